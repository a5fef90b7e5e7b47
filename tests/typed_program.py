"""A program that uses all of gelande, for the type checker: ./run-tests --lint runs mypy --strict over it."""

from pathlib import Path

import numpy as np

import gelande


def built() -> gelande.Land:
    land = gelande.new("Upper valley", width="6 km")
    hills = land.add("fractal_noise", height=420, size="1.8 km")
    rain: gelande.Node = land.add("rain_erosion", hills, strength=0.4)
    rain.set(strength=0.5).shuffle(3).next_seed()
    flow: gelande.Output = rain["flow"]
    steep = land.add("slope_band", rain, low=35, high=90)
    stones = land.add("boulders", rain, where=steep)
    label: str = land.publish(rain, "strength", low=0.1, high=0.8)
    land.set(label, 0.4)
    land.order("Height", stones, format="height_png16")
    land.order("Flow", flow)
    survey = land.add("elevation_file", np.zeros((65, 65)))
    survey.off = True
    copies: list[gelande.Node] = land.copy([hills, rain])
    print(copies[0].id, [node.kind for node in land.all_nodes], land.node("Boulders").inputs)
    return land


def measured(land: gelande.Land) -> None:
    found: gelande.Raster = land.raster("height", 129, gelande.Region.around(2000, 2000, 500), outside="pad")
    west, south, east, north = found.extent
    print(west + south + east + north, found.unit, found.values.shape, land.height(129).max())
    corner = land.raster("height", 129, gelande.Region.samples(0, 0, 64, 64))
    corner.to_rasterio("corner.tif")
    print([(c.label, c.value, c.low, c.high, c.choices) for c in land.controls], land.figures(129).values)
    for name, other in land.variants("seed", (1, 3)):
        print(name, other.figures(129).text("flat"), other.seed)
    gelande.write_sheet("seeds.png", land.variants("seed", (1, 4)), relief=True)


def delivered(land: gelande.Land) -> None:
    try:
        land.settle(tile=257, span="found", epsg=25832)
        files: list[gelande.File] = land.deliver("out", 513)
        print([f.name for f in files if f.done], land.water(129) is None)
    except gelande.DeliveryError as error:
        print(error)
    except gelande.Stopped:
        land.cancel()
    except gelande.GelandeError as error:
        print(error)


def main() -> None:
    land = built()
    measured(land)
    delivered(land)
    land.save("x.gelande")
    again = gelande.open(Path("x.gelande"))
    kind: gelande.NodeSpec = gelande.node_kind("scree")
    print(again.site.width, gelande.formats(), [p.id for p in kind.params], [p.name for p in gelande.packages()])


if __name__ == "__main__":
    main()
