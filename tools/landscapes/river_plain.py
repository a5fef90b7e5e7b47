"""A river that winds over its plain between terraces, with old bends, woods along the water and fields beyond."""
# ruff: noqa: E501

from covers import AT_SLOPE, cover, layer, steps_of

from gelande.core.recipe.ramps import stops_of
from gelande.core.recipe.site import Site

from .shared import finished, toned

#: The middle of the valley, metres east and north.
LINE = ((150, 800), (1300, 1750), (2700, 2600), (4000, 3450), (4850, 4200))


def river_plain(maker):
    """A river that winds over its plain between terraces, with old bends, woods along the water and fields beyond."""
    m = maker(Site("Lower Anwe", 5000, 5000), seed=8)
    hills = m.add(
        "fractal_noise", "Low hills", {"feature_size": 2200, "relief": 130, "octaves": 7, "gain": 0.42, "seed": 5}
    )
    slopes = m.add("rain_erosion", "Worn slopes", {"strength": 0.25, "gully_spacing": 220, "seed": 4}, height=hills)
    river = m.add(
        "river",
        "River",
        {
            "line": LINE,
            "width": 78,
            "deep": 6,
            "filled": 0.72,
            "wound": 2.0,
            "old": 0.9,
            "plain": 1350,
            "sunk": 34,
            "sides": 17,
            "terraces": 3,
            "riser": 9,
            "levee": 1.2,
            "seed": 21,
        },
        height=slopes,
    )
    wood = m.add("mask_edge", "Near the water", {"way": "grow", "distance": 130}, first=(river, "water"))
    patches = m.add(
        "patches", "Stands of trees", {"look": "patches", "size": 190, "cover": 0.5, "softness": 0.2, "seed": 6}
    )
    grove = m.add("mask_mix", "Gallery wood", {"way": "multiply"}, first=wood, second=patches)
    dry = m.add("mask_mix", "Wood beside the water", {"way": "subtract"}, first=grove, second=(river, "water"))
    gentle = m.add("slope_band", "Gentle ground", {"low": 0, "high": 3, "falloff": 2}, height=river)
    cells = m.add(
        "cell_noise", "Parcels", {"what": "cell_value", "size": 210, "jitter": 0.75, "metric": "manhattan", "seed": 4}
    )
    crop = m.add("height_as_mask", "Which crop", {}, height=cells)
    crops = m.add(
        "colour_ramp",
        "Crops",
        {"ramp": steps_of("67763c 7d8446 948f52 5b7336 8f8650 74803f a09a60 566e34 868048 647839")},
        driver=crop,
    )
    tone = toned(m, river, size=60, noise_size=50)
    ground = cover(
        m, "Ground cover",
        [
            layer("Meadow", "46592a 587034 6c8441 84984f", grain=0.35),
            layer("Fields", mask=gentle, colour=crops, amount=0.7, broken=0.3, patch=70, thins=1.0, steep=6),
            layer("Wet meadow", "3c5527 4a672f 5b7a39 6f8c46", mask=wood, amount=0.9, broken=0.5, patch=90, grain=0.4),
            layer("Woods on the slopes", "22341c 2d4324 39522d", lies=AT_SLOPE, from_slope=6, slope_fade=3, amount=0.85, broken=0.8, patch=140, grain=0.6),
            layer("Old channels", "4a5a2c 5d6c36 70803f", mask=(river, "old"), amount=0.7, broken=0.4, patch=40, grain=0.4),
            layer("Gallery wood", "1e321a 294022 354f2b", mask=dry, amount=0.9, broken=0.5, patch=40, grain=0.6),
            layer("Sand", "b7a67c c9ba92 dacda9", mask=(river, "bars"), amount=0.75, broken=0.75, patch=60, grain=0.3),
        ],
        river, tone, grain_size=30, over=24, seed=7,
    )  # fmt: skip
    m.add(
        "water_colour",
        "Water",
        {"ramp": stops_of("8a8a66 6c7d66 4d6a63 35525a"), "clear": 0.25, "wet": 0.35, "foam": 0.0},
        under=ground,
        water=(river, "water"),
        depth=(river, "depth"),
    )
    m.add(
        "things",
        "Trees of the gallery wood",
        {"thing": "broadleaved_tree", "density": 110, "least": 5, "smallest": 0.6, "largest": 1.2},
        where=dry,
    )
    m.publish("Valley", "Water", "Where the river runs: its points can be moved.", (river, "line"))
    m.publish("Width of the river", "Water", "From brim to brim.", (river, "width"), low=30, high=160)
    m.publish(
        "Winding", "Water", "How many times as long as its valley the river is.", (river, "wound"), low=1.2, high=2.3
    )
    m.publish("Old bends", "Water", "How many bends it has cut off and left.", (river, "old"), low=0.0, high=1.0)
    m.publish("Width of the plain", "Form", "How wide the river's plain is.", (river, "plain"), low=700, high=2200)
    m.publish("Height of the hills", "Form", "On both sides of the plain.", (hills, "relief"), low=40, high=280)
    m.publish("Depth of the plain", "Form", "How far it lies below the hills.", (river, "sunk"), low=5, high=80)
    m.publish("Terraces", "Form", "Height of a step of the river's older plains.", (river, "riser"), low=2, high=22)
    m.publish(
        "Gallery wood",
        "Ground",
        "How much of the ground near the water is wooded.",
        (patches, "cover"),
        low=0.0,
        high=1.0,
    )
    m.publish("Size of the fields", "Ground", "From edge to edge.", (cells, "size"), low=80, high=600)
    m.preset("As found", {})
    m.preset("Wooded", {"Gallery wood": 0.9})
    m.preset("Open country", {"Gallery wood": 0.12, "Size of the fields": 340, "Height of the hills": 70})
    m.note(
        "Only the middle of the valley is drawn. The river wears its own bends from it, cuts some of them off, and levels its plain; move a point of the line and all of it follows.",
        river,
    )
    m.note("What is near the water comes from one mask, grown: wet meadow, wood, sand.", wood)
    return finished(
        m,
        (
            ("Far", 0.1, -0.15, 900, 25, -22),
            ("Over a bend", 0.3, 0.3, 120, 40, -10),
            ("On the bank", 0.822, 0.625, 3, 225, -2),
        ),
        ("Wood", dry, "mask"),
        ("Fields", gentle, "mask"),
    )
