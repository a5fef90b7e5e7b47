"""Rounded moor with tors, boulder fields below them, and bog in the hollows."""
# ruff: noqa: E501

from covers import AT_HEIGHT, AT_SLOPE, cover, layer

from gelande.core.recipe.ramps import stops_of
from gelande.core.recipe.site import Site

from .shared import finished, toned


def moor(maker):
    """Rounded moor with tors, boulder fields below them, and bog in the hollows."""
    m = maker(Site("Harrow tors", 3000, 3000), seed=6)
    moorland = m.add(
        "fractal_noise", "Moor", {"feature_size": 1500, "relief": 240, "octaves": 6, "gain": 0.38, "seed": 8}
    )
    valley = m.add(
        "valley",
        "Brook valley",
        {
            "floor_width": 130,
            "side_width": 520,
            "depth": 90,
            "trough": 0.4,
            "direction": 35,
            "winding": 0.6,
            "fall": 30,
            "irregularity": 0.5,
            "seed": 3,
        },
        height=moorland,
    )
    worn = m.add(
        "rain_erosion",
        "Long rain",
        {"strength": 0.25, "gully_spacing": 130, "ravines": 0.1, "deposition": 0.6, "hollows": 0.8},
        height=valley,
    )
    tops = m.add("height_band", "Tops", {"low": 140, "high": 500, "falloff": 22}, height=worn)
    spots = m.add(
        "patches", "Where rock comes out", {"look": "patches", "size": 170, "cover": 0.36, "softness": 0.1, "seed": 4}
    )
    where = m.add("mask_mix", "Tors", {"way": "multiply"}, first=tops, second=spots)
    tors = m.add(
        "blocks",
        "Tors",
        {"size": 22, "tall": 13, "gap": 0.1, "jitter": 0.8, "jitter_up": 0.9, "tilt": 8, "layers": 3, "seed": 2},
        height=worn,
    )
    m.restrict(tors, where)
    near = m.add("mask_edge", "Below the tors", {"way": "grow", "distance": 130}, first=where)
    fallen = m.add("boulders", "Clitter", {"large": 17, "small": 5, "per_hectare": 45, "tall": 0.55}, height=tors)
    m.restrict(fallen, near)
    brook = m.add(
        "stream_channels", "Brooks", {"first": 240, "full": 1500, "width": 9, "deep": 1.6, "bank": 14}, height=fallen
    )
    flow = m.add("flow", "Wet ground", {"first": 60, "full": 500, "softness": 10}, height=brook)
    level = m.add("slope_band", "Level ground", {"low": 0, "high": 7, "falloff": 4}, height=brook)
    wet = m.add("mask_edge", "Damp hollows", {"way": "blur", "distance": 36}, first=flow)
    bog = m.add("mask_mix", "Blanket bog", {"way": "multiply"}, first=level, second=wet)
    tone = toned(m, brook, worn, flow, flow_weight=-0.3)
    ground = cover(
        m, "Ground cover",
        [
            layer("Moor grass", "5b552f 6d663a 817947 968d58 aaa16d", grain=0.45),
            layer("Heather", "2e2226 41303a 54404a 6a525a 816771", lies=AT_HEIGHT, low=90, fade=70, amount=0.85, broken=0.85, patch=130, grain=0.5),
            layer("Bracken", "4a3a20 5f4a28 765d33 8d7242", lies=AT_SLOPE, from_slope=9, to_slope=34, slope_fade=6, amount=0.7, broken=0.85, patch=90, grain=0.5),
            layer("Bog", "2c2d1b 3c3c24 50502f 67653d", mask=bog, amount=0.95, broken=0.5, patch=50, grain=0.5),
            layer("Peat hags", "1a1411 261d18 352a22", mask=bog, amount=0.55, broken=0.95, patch=24, grain=0.4),
            layer("Clitter", "6f6c66 83807a 98958e", mask=(fallen, "boulders"), amount=0.95, broken=0.2, patch=8, grain=0.7),
            layer("Tor rock", "5c5a56 73706b 8b8882 a3a09a", mask=where, amount=0.9, broken=0.3, patch=14, grain=0.7),
        ],
        brook, tone, grain_size=20, over=22, seed=5,
    )  # fmt: skip
    m.add(
        "water_colour",
        "Brook water",
        {"ramp": stops_of("4a4630 35382a 262c24 1a211d"), "clear": 0.4, "wet": 0.4, "foam": 0.05},
        under=ground,
        water=(brook, "channel"),
        depth=(brook, "depth"),
    )
    m.add(
        "things",
        "Rowans",
        {"thing": "broadleaved_tree", "density": 10, "least": 6, "smallest": 0.3, "largest": 0.6},
        where=(ground, "weight_3"),
    )
    m.publish("Height of the moor", "Form", "From its valleys to its tops.", (moorland, "relief"), low=100, high=420)
    m.publish("Size of the hills", "Form", "From top to top.", (moorland, "feature_size"), low=800, high=2600)
    m.publish("Brook valley", "Form", "How deep it is.", (valley, "depth"), low=0, high=180)
    m.publish("Tors", "Rock", "How much of the tops is bare rock.", (spots, "cover"), low=0.0, high=0.7)
    m.publish("Height of the tors", "Rock", "How high the rock stands.", (tors, "tall"), low=4, high=36)
    m.publish("Clitter", "Rock", "Blocks a hectare below the tors.", (fallen, "per_hectare"), low=0, high=120)
    m.publish("Long rain", "Weather", "How far rain has worn the moor.", (worn, "strength"), low=0.0, high=0.7)
    m.publish("Tops begin at", "Rock", "Height from which tors stand.", (tops, "low"), low=60, high=320)
    m.preset("As found", {})
    m.preset("Bare tops", {"Tors": 0.6, "Height of the tors": 24, "Clitter": 90})
    m.preset("Green moor", {"Tors": 0.08, "Clitter": 10, "Long rain": 0.45})
    m.note("Tors stand where two masks meet: high ground, and patches where rock comes out.", where)
    m.note("The same mask, grown, says where blocks have fallen; bog is where it is both level and wet.", bog)
    return finished(
        m,
        (
            ("Far", 0.1, -0.15, 520, 25, -18),
            ("By the brook", 0.45, 0.3, 25, 20, -3),
            ("Among the tors", 0.62, 0.52, 2, 40, 3),
        ),
        ("Tors", where, "mask"),
        ("Bog", bog, "mask"),
        ("Clitter", fallen, "boulders"),
    )
