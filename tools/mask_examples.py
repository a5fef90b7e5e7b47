"""Example recipes of masks: seven jobs that say where something happens. Written by make_examples.py."""
# ruff: noqa: E501

from dataclasses import replace

import numpy as np

from gelande.core.recipe import graph
from gelande.core.recipe.deliverables import Deliverable
from gelande.core.recipe.param import Pieces
from gelande.core.recipe.site import Site


def piece(maker, node: str, place, **changes) -> tuple:
    """One drawn piece with the node's own settings, but for some."""
    state = maker.recipe.nodes[node]
    drawn = next(p for p in state.spec.params if isinstance(p, Pieces))
    return (*(changes.get(p.id, state.params[p.id]) for p in drawn.piece), place)


def put(maker, node: str, *pieces) -> None:
    """Sets what a node has drawn."""
    drawn = next(p for p in maker.recipe.nodes[node].spec.params if isinstance(p, Pieces))
    maker.recipe = graph.set_param(maker.recipe, node, drawn.id, tuple(pieces))


def deliver(maker, *outputs) -> None:
    """Asks for outputs as files: (name, node, output, format)."""
    orders = tuple(Deliverable(*one) for one in outputs)
    maker.recipe = replace(maker.recipe, deliverables=(*maker.recipe.deliverables, *orders))


def painted_moor(Maker):
    """A rough ground below a height, erosion painted away from it, the ground's mask used again by its name."""
    m = Maker(Site("Hallan Moor", 4096, 4096))
    moor = m.add("fractal_noise", "Moor", {"feature_size": 1700, "relief": 420, "gain": 0.44, "seed": 12})
    low = m.add("height_band", "Low ground", {"low": -500, "high": 190, "falloff": 60}, height=moor)
    name = m.add("cairn", "Low ground mask", through=low)
    rough = m.add(
        "surface_noise", "Hummocks", {"depth": 16, "size": 90, "octaves": 4, "seed": 3}, height=moor, mask=name
    )
    spared = m.add("brush_mask", "Spared from rain")
    winding = tuple((700.0 + 260 * k, 1500.0 + 380 * np.sin(0.9 * k)) for k in range(11))
    put(
        m,
        spared,
        piece(m, spared, winding, brush_radius=420.0, brush_strength=0.9, brush_hardness=0.1),
        piece(
            m, spared, ((2900.0, 3100.0), (3300.0, 2800.0)), brush_radius=500.0, brush_strength=0.7, brush_hardness=0.0
        ),
    )
    where = m.add("mask_levels", "Rain elsewhere", {"invert": True}, first=spared)
    rain = m.add("rain_erosion", "Rain", {"strength": 0.3, "gully_spacing": 70, "seed": 5}, height=rough, mask=where)
    m.add("silt", "Silt in the low ground", {}, height=rain, mask=name)
    return m


def three_fields(Maker):
    """Three outlines, each filled with a land of its own and joined to the ground around by Mix with the mask."""
    m = Maker(Site("Threefold", 4096, 4096))
    ground = m.add("fractal_noise", "Ground", {"feature_size": 2600, "relief": 170, "gain": 0.4, "seed": 21})
    drawn = {
        "Stepped court": ((700.0, 2300.0), (1300.0, 2200.0), (1900.0, 2650.0), (1750.0, 3300.0), (1000.0, 3450.0), (600.0, 2950.0)),
        "Dune field": ((2350.0, 2500.0), (3200.0, 2250.0), (3650.0, 2900.0), (3200.0, 3550.0), (2500.0, 3300.0)),
        "Broken hills": ((1300.0, 700.0), (2200.0, 480.0), (3100.0, 800.0), (2900.0, 1600.0), (1900.0, 1750.0), (1350.0, 1350.0)),
    }  # fmt: skip
    land = {
        "Stepped court": m.add("terrace", "Steps", {"riser_height": 24, "sharpness": 0.75, "dip": 0}, height=m.add(
            "dome", "Rise", {"radius": 1100, "relief": 260, "east": 0.31, "north": 0.69})),
        "Dune field": m.add("dunes", "Dunes", {}),
        "Broken hills": m.add("ridge_noise", "Hills", {"feature_size": 800, "relief": 330, "seed": 4}),
    }  # fmt: skip
    made = ground
    for name, points in drawn.items():
        mask = m.add("outline_mask", name, {"seed": 6})
        put(m, mask, piece(m, mask, points, feather=170.0, profile="s", rough=60.0, rough_size=170.0))
        made = m.add(
            "mix", f"{name} joined", {"way": "percentage", "share": 1.0}, height=made, second=land[name], mask=mask
        )
    m.add("rain_erosion", "A light rain over all", {"strength": 0.1}, height=made)
    return m


def two_hills(Maker):
    """Two hills stand where their shapes lie, and move with them."""
    m = Maker(Site("Twyfell", 4096, 4096))
    plain = m.add("fractal_noise", "Plain", {"feature_size": 1500, "relief": 90, "gain": 0.45, "seed": 7})
    where = m.add("shape_mask", "Two hills")
    put(
        m,
        where,
        piece(
            m, where, (1450.0, 2500.0, 1700.0, 1250.0, 25.0), feather=620.0, profile="s", rough=60.0, rough_size=260.0
        ),
        piece(
            m, where, (2850.0, 1500.0, 1300.0, 1900.0, 60.0), feather=640.0, profile="s", rough=60.0, rough_size=260.0
        ),
    )
    hills = m.add("mask_as_height", "Hills", {"low": 0, "high": 340}, first=where)
    both = m.add("mix", "Hills on the plain", {"way": "add"}, height=plain, second=hills)
    rough = m.add("surface_noise", "Surface noise", {"depth": 30, "size": 260, "octaves": 5}, height=both)
    m.add("rain_erosion", "Rain", {"strength": 0.3, "gully_spacing": 80}, height=rough)
    return m


def snow_from_erosion(Maker):
    """A snow mask from what rain wore and laid down."""
    m = Maker(Site("Ravnskar", 4096, 4096), seed=3)
    fells = m.add("ridge_noise", "Fells", {"feature_size": 1500, "relief": 640, "seed": 11})
    rain = m.add("rain_erosion", "Rain", {"strength": 0.4, "gully_spacing": 80, "seed": 2}, height=fells)
    broken = {}
    for k, (port, cover, size) in enumerate((("cut", 0.55, 70), ("fill", 0.6, 140), ("flow", 0.5, 90))):
        grown = m.add("mask_levels", f"{port.capitalize()}, lifted", {"low": 0.0, "high": 0.45}, first=(rain, port))
        broken[port] = m.add(
            "patches",
            f"{port.capitalize()} in patches",
            {"cover": cover, "size": size, "greys": 0.8, "seed": 31 + k},
            first=grown,
        )
    divided = m.add("mask_mix", "Fill over cut", {"way": "divide"}, first=broken["fill"], second=broken["cut"])
    added = m.add("mask_mix", "And the flow", {"way": "add"}, first=divided, second=broken["flow"])
    steep = m.add("slope_band", "Steep faces", {"low": 38, "falloff": 8}, height=rain)
    ragged = m.add("warp", "Ragged edge", {"distance": 45, "size": 140, "seed": 9}, height=steep)
    lies = m.add("mask_mix", "Off the faces", {"way": "subtract"}, first=added, second=ragged)
    snow = m.add(
        "mask_levels", "Snow", {"way": "curve", "curve": ((0.0, 0.0), (0.3, 0.08), (0.6, 0.9), (1.0, 1.0))}, first=lies
    )
    height = m.recipe.nodes[rain].spec.main.id
    deliver(m, ("height", rain, height, "height_tiff32"))
    for name, node, port in (
        ("cut", rain, "cut"), ("fill", rain, "fill"), ("flow", rain, "flow"), ("steep", steep, "mask"), ("snow", snow, "mask"),
    ):  # fmt: skip
        deliver(m, (name, node, port, "mask_png16"))
    return m


def two_plants(Maker):
    """Two kinds of plants: one on deep soil of the lower half, one along the streams of the upper half."""
    m = Maker(Site("Sallowhope", 4096, 4096))
    hills = m.add("fractal_noise", "Hills", {"feature_size": 1900, "relief": 520, "gain": 0.44, "seed": 17})
    rain = m.add("rain_erosion", "Rain", {"strength": 0.35, "gully_spacing": 90}, height=hills)
    soil = m.add("soil_depth", "Soil", {}, height=rain, fill=(rain, "fill"))
    upper = m.add("height_band", "Upper half", {"limits_in": "shares_of_its_range", "low_share": 0.5}, height=rain)
    flow = m.add("flow", "Streams", {}, height=rain)
    banks = m.add("distance", "Banks", {"reach": 70, "threshold": 0.35}, first=flow)
    along = m.add("mask_mix", "Banks of the upper half", {"way": "multiply"}, first=banks, second=upper)
    scrub = m.add(
        "plant_cover",
        "Sallow scrub",
        {"high": 2000, "wet_low": 0.5, "plants": 1200, "crown": 3, "clump": 50, "slope_high": 40},
        height=rain,
        wet=along,
    )
    lower = m.add("mask_levels", "Lower half", {"invert": True}, first=upper)
    deep = m.add("mask_mix", "Deep soil below", {"way": "multiply"}, first=soil, second=lower)
    m.add(
        "plant_cover",
        "Hazel wood",
        {"high": 2000, "soil_low": 0.55, "plants": 400, "crown": 8, "clump": 160, "seed": 6},
        height=rain,
        soil=deep,
        crowd=scrub,
    )
    return m


def sheltered_ground(Maker):
    """Openness on the lower ground alone: two masks by their names, multiplied."""
    m = Maker(Site("Under Hask", 4096, 4096))
    fells = m.add("ridge_noise", "Fells", {"feature_size": 1400, "relief": 560, "seed": 23})
    rain = m.add("rain_erosion", "Rain", {"strength": 0.3}, height=fells)
    hidden = m.add("openness", "Sheltered", {"horizon": 350, "full": 0.25}, height=rain)
    low = m.add(
        "height_band",
        "Lower ground",
        {"limits_in": "shares_of_its_range", "low_share": 0.0, "high_share": 0.4},
        height=rain,
    )
    first, second = m.add("cairn", "Sheltered mask", through=hidden), m.add("cairn", "Lower mask", through=low)
    m.add("slope_band", "Steep", {"low": 34}, height=rain)
    m.add("mask_mix", "Sheltered lower ground", {"way": "multiply"}, first=first, second=second)
    return m


def stones_on_scree(Maker):
    """Stones only where scree lies, and only in patches."""
    m = Maker(Site("Clatter Edge", 2048, 2048))
    edge = m.add("plateau", "Edge", {"relief": 340})
    rough = m.add("surface_noise", "Surface noise", {"depth": 26, "size": 160, "octaves": 5}, height=edge)
    steps = m.add("terrace", "Scars", {"riser_height": 40, "amount": 0.7}, height=rough)
    scree = m.add("scree", "Scree", {"repose": 33, "amount_broken": 8}, height=steps)
    fresh = m.add(
        "patches",
        "Fresh falls",
        {"cover": 0.5, "size": 150, "softness": 0.2, "greys": 0.3, "seed": 4},
        first=(scree, "scree"),
    )
    m.add(
        "boulders", "Stones", {"large": 60, "small": 14, "per_hectare": 12, "seed": 8}, height=scree, where_from=fresh
    )
    return m


RECIPES = {
    "hallan-moor": painted_moor,
    "threefold": three_fields,
    "twyfell": two_hills,
    "ravnskar": snow_from_erosion,
    "sallowhope": two_plants,
    "under-hask": sheltered_ground,
    "clatter-edge": stones_on_scree,
}
