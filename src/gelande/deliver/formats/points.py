"""Places for plants, stones and the like from a cover mask: CSV, GeoPackage, and instances in glTF.

The pattern lies fixed on the site, and the mask is asked at one detail, whatever is delivered: the same points stand
in every tile and at every detail. Heights and slopes are those of the land that is delivered.

"""

from __future__ import annotations

import math
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from gelande.core.errors import DeliveryError
from gelande.core.evaluate.standing import pattern_of
from gelande.core.recipe import param as P
from gelande.core.recipe.raster import HEIGHT, MASK
from gelande.core.recipe.site import Site
from gelande.kernels.discs import bilinear, discs, room

from ..layers import placing_of
from ..place import Place, Work
from ..samples import Samples
from . import geopackage
from .glb import CORNERS, TRIANGLES, GlbFile, read_glb
from .writer import Slot, Writer

#: Samples along the long side at which the mask is asked, at most: the same whatever is delivered, so that points stay.
ASKED = ("513", "1025", "2049", "4097")
LAYER = "points"
COLUMNS = ("east_m", "north_m", "height_m", "slope_deg", "turn_deg", "size")
DECIMALS = (3, 3, 3, 2, 1, 3)
#: Points that a file holds at most, and nodes that a glTF does.
MOST, MOST_NODES = 5_000_000, 200_000
#: How a glTF keeps points, and the extension for it (Khronos 2018).
INSTANCES, NODES, INSTANCING = "instances", "nodes", "EXT_mesh_gpu_instancing"

OPTIONS = (
    P.number("density", "Points a hectare", 200, "Where the mask is full.", (0.001, 100_000), (1, 2000)),
    P.metres("least", "Least distance", 3, "Between two points.", (0.05, 10_000), (0.5, 50)),
    P.number("smallest", "Smallest size", 0.7, "Factor of the smallest ones.", (0.01, 100), (0.2, 2)),
    P.number("largest", "Largest size", 1.3, "Factor of the largest ones.", (0.01, 100), (0.5, 4)),
    P.choice(
        "asked",
        "Mask is asked at",
        ASKED[1],
        tuple((n, f"{n} samples") for n in ASKED),
        "Finer masks put points nearer to narrow things.",
    ),
    P.count("pattern", "Pattern", 0, "Another number gives other places.", (0, 999_999), (0, 99)),
)


def points_of(mask: np.ndarray, height: Samples, place: Place, seed: int, value: dict) -> np.ndarray:
    """The points of a part of a site. mask: shares, of the whole site; height: of the part, and a little around it;
    value: options; no density: the mask says which share of the places is taken. Returns (n, 6): columns as COLUMNS
    says. Raises DeliveryError when there is no room for them."""
    least, most = float(value["least"]), room(float(value["least"]))
    density = most if value["density"] is None else float(value["density"])
    if density > most:
        raise DeliveryError(
            f"with {least:g} m between points there is room for {most:.0f} a hectare, and {density:g} were asked for; "
            "choose fewer, or a smaller distance"
        )
    site, f = place.site, place.window
    west, south = place.west, place.north - (f.height - 1) * place.dx
    # what lies on an edge belongs to the tile that begins there, and on the site's far edges to the last one
    east = place.west + (f.width - 1) * place.dx if f.left + f.width < f.columns else site.width + 1e-6
    north = place.north if f.top > 0 else site.depth + 1e-6
    if site.width * site.depth * most / 1e4 > 20 * MOST:
        raise DeliveryError(f"points {least:g} m apart on this site are too many; choose a larger distance")
    found = discs(west, south, east, north, least, pattern_of(seed, int(value["pattern"])))
    x, y = found[:, 0], found[:, 1]
    wanted = bilinear(mask, (site.depth - y) / site.depth * (mask.shape[0] - 1), x / site.width * (mask.shape[1] - 1))
    found = found[found[:, 2] < wanted * (density / most)]
    if len(found) > MOST:
        raise DeliveryError(f"{len(found)} points are more than a file may hold ({MOST}); choose fewer a hectare")
    x, y = found[:, 0], found[:, 1]
    data, g = height.all().astype(np.float64), height.window
    row, column = (site.depth - y) / place.dx - g.top, x / place.dx - g.left
    down, right = np.gradient(data, place.dx)
    slope = np.degrees(np.arctan(np.hypot(bilinear(down, row, column), bilinear(right, row, column))))
    low, high = sorted((float(value["smallest"]), float(value["largest"])))
    size = low + (high - low) * found[:, 4]
    table = np.stack([x, y, bilinear(data, row, column), slope, 360 * found[:, 3], size], -1)
    return np.stack([np.round(table[:, k], n) for k, n in enumerate(DECIMALS)], -1)


@dataclass(frozen=True)
class Points(Writer):
    """A table of points; east and north are moved with the site's corner where the delivery has a reference system."""

    params: tuple[P.Param, ...] = OPTIONS
    slots: tuple[Slot, ...] = (Slot("height", "Height", HEIGHT, True),)
    group: str = "Points"

    def margin(self, options: dict, dx: float) -> int:
        return 2

    def fixed(self, slot: str, site: Site, level: int, options: dict) -> int | None:
        asked = int(self.option(options, "asked"))
        return site.finest_within(asked) if slot == "" else None

    def make(self, folder: Path, stem: str, samples: dict[str, Samples], work: Work, options: dict, span) -> dict:
        value = {p.id: self.option(options, p.id) for p in self.params}
        if placing_of(work.recipe, work.deliverable.node) is not None:
            value["density"] = None  # the layer's mask is how dense they are
        table = points_of(samples[""].all(), samples["height"], work.place, work.recipe.seed, value)
        work.stop.check()
        work.tell(0.4)
        path = folder / self.names(stem, options)[0]
        self.write_points(path, table, work.place, options)
        back = self.read_points(path, work.place)
        wanted = table[:, : back.shape[1]]
        if back.shape != wanted.shape or (len(back) and float(np.abs(back - wanted).max()) > self.close(table)):
            raise DeliveryError(f"{path.name} does not read back as it was written; nothing was kept.")
        return {
            "samples": list(reversed(work.place.window.shape)),
            "metres_per_sample": work.place.dx,
            "meaning": {"unit": "m", "columns": list(COLUMNS)},
            **({"options": options} if options else {}),
            "points": len(table),
            "largest_rounding_error": 0.0005,
            "read_back": f"{len(table)} points",
        }

    def close(self, table: np.ndarray) -> float:
        """Tolerance of a number that is read back."""
        return 1e-6

    def write_points(self, path: Path, table: np.ndarray, place: Place, options: dict) -> None:
        """Writes the file."""
        moved = table + np.array([place.delivery.east, place.delivery.north, 0, 0, 0, 0])
        np.savetxt(path, moved, [f"%.{n}f" for n in DECIMALS], ",", header=",".join(COLUMNS), comments="")

    def read_points(self, path: Path, place: Place) -> np.ndarray:
        """The numbers of a file, in order; some or all columns."""
        lines = path.read_text(encoding="ascii").splitlines()[1:]
        found = np.array([line.split(",") for line in lines], np.float64).reshape(-1, len(COLUMNS))
        return found - np.array([place.delivery.east, place.delivery.north, 0, 0, 0, 0])


class PointLayer(Points):
    """Points as a GeoPackage."""

    def write_points(self, path: Path, table: np.ndarray, place: Place, options: dict) -> None:
        fields = {name: np.ascontiguousarray(table[:, k]) for k, name in enumerate(COLUMNS) if k > 1}
        geopackage.write(path, LAYER, geopackage.POINT, list(table[:, :2]), fields, place)

    def read_points(self, path: Path, place: Place) -> np.ndarray:
        return np.array(geopackage.read(path, LAYER, place), np.float64).reshape(-1, 2)


@dataclass(frozen=True)
class Instances(Points):
    """glTF: one small cone, to be replaced by what stands there, once for each point. Y points up."""

    params: tuple[P.Param, ...] = (
        *OPTIONS,
        P.choice(
            "kept",
            "Kept as",
            INSTANCES,
            (INSTANCES, NODES),
            "Instances need programs that know EXT_mesh_gpu_instancing; nodes open everywhere.",
        ),
    )

    def close(self, table: np.ndarray) -> float:
        return max(1e-3, float(np.abs(table[:, :3]).max(initial=0)) * 2e-7)

    def write_points(self, path: Path, table: np.ndarray, place: Place, options: dict) -> None:
        many = self.option(options, "kept") == NODES
        if many and len(table) > MOST_NODES:
            raise DeliveryError(
                f"{len(table)} nodes are more than glTF programs open ({MOST_NODES}); keep them as instances, or write "
                "CSV or GeoPackage"
            )
        file = GlbFile()
        ring = [(math.cos(a) * 0.4, 0.0, math.sin(a) * 0.4) for a in np.arange(6) * math.pi / 3]
        corners = np.array([*ring, (0, 1, 0)], "<f4")
        faces = np.array([((k + 1) % 6, k, 6) for k in range(6)], "<u2").ravel()
        cone = {
            "attributes": {"POSITION": file.add(corners, CORNERS, ends=True)},
            "indices": file.add(faces, TRIANGLES),
        }
        file.block["meshes"] = [{"name": "place", "primitives": [cone]}]
        half = np.radians(-table[:, 4]) / 2
        at = np.stack([table[:, 0], table[:, 2], -table[:, 1]], -1).astype("<f4")
        turned = np.zeros((len(table), 4), "<f4")
        turned[:, 1], turned[:, 3] = np.sin(half), np.cos(half)
        sizes = np.repeat(table[:, 5:6], 3, axis=1).astype("<f4")
        if many:
            rows = zip(at.tolist(), turned.tolist(), sizes.tolist())
            nodes = [{"mesh": 0, "translation": t, "rotation": r, "scale": s} for t, r, s in rows]
            children = {"children": list(range(1, len(nodes) + 1))} if nodes else {}
            file.block["nodes"] = [{"name": "points", **children}, *nodes]
        elif len(table):
            attributes = {"TRANSLATION": file.add(at), "ROTATION": file.add(turned), "SCALE": file.add(sizes)}
            extension = {INSTANCING: {"attributes": attributes}}
            file.block |= {
                "extensionsUsed": [INSTANCING],
                "extensionsRequired": [INSTANCING],
                "nodes": [{"name": "points", "mesh": 0, "extensions": extension}],
            }
        else:
            file.block["nodes"] = [{"name": "points"}]
        file.write(path)

    def read_points(self, path: Path, place: Place) -> np.ndarray:
        block, arrays = read_glb(path)
        first = block["nodes"][0].get("extensions", {}).get(INSTANCING)
        found = arrays[first["attributes"]["TRANSLATION"]] if first else [n["translation"] for n in block["nodes"][1:]]
        at = np.array(found, np.float64).reshape(-1, 3)
        return np.stack([at[:, 0], -at[:, 2], at[:, 1]], -1)


def point_formats() -> tuple[Writer, ...]:
    """All of them."""
    return (
        Points("points_csv", "Points, CSV", MASK, ".csv", 32, floats=True),
        PointLayer("points_gpkg", "Points, GeoPackage", MASK, ".gpkg", 32, floats=True),
        Instances("points_glb", "Points, glTF instances", MASK, ".glb", 32, floats=True),
    )
