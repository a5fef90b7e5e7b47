"""Flat tops over two bands of cliff, aprons of talus, washes and drifted sand on the floor."""
# ruff: noqa: E501

from covers import AT_HEIGHT, AT_SLOPE, cover, layer

from gelande.core.recipe.site import Site

from .shared import finished, toned


def tableland(maker):
    """Flat tops over two bands of cliff, aprons of talus, washes and drifted sand on the floor."""
    m = maker(Site("Saldar tables", 5000, 5000, bare="sand"), seed=2)
    floor = m.add(
        "fractal_noise", "Desert floor", {"feature_size": 2200, "relief": 90, "octaves": 6, "gain": 0.4, "seed": 4}
    )
    lone = {"irregularity": 0.9, "edge": 60, "talus": 0.3, "rough": 9}
    table = m.add(
        "plateau",
        "Great table",
        {
            "radius": 1150,
            "relief": 420,
            "east": 0.42,
            "north": 0.6,
            "turn": 25,
            "stretch_along": 1.5,
            "seed": 5,
            **lone,
        },
    )
    second = m.add(
        "plateau", "Lesser table", {"radius": 460, "relief": 400, "east": 0.8, "north": 0.34, "seed": 9, **lone}
    )
    butte = m.add(
        "plateau",
        "Butte",
        {
            "radius": 190,
            "relief": 380,
            "east": 0.53,
            "north": 0.17,
            "stretch_along": 1.1,
            "seed": 3,
            **lone,
            "edge": 40,
        },
    )
    both = m.add("mix", "Two tables", {"way": "higher", "seam": 30}, height=table, second=second)
    three = m.add("mix", "Tables and butte", {"way": "higher", "seam": 30}, height=both, second=butte)
    land = m.add("mix", "Tables on the floor", {"way": "add", "unit": 1}, height=floor, second=three)
    rock = m.add(
        "rock_beds",
        "Two hard beds",
        {"thickness": 150, "contrast": 0.95, "irregularity": 0.35, "dip": 0.6, "succession": 4},
    )
    rain = m.add(
        "rain_erosion",
        "Flash floods",
        {"strength": 0.4, "gully_spacing": 150, "ravines": 0.25, "deposition": 0.6},
        height=land,
        beds_from=rock,
    )
    steps = m.add(
        "strata",
        "Cliff bands",
        {
            "thickness": 95,
            "contrast": 0.8,
            "irregularity": 0.5,
            "dip": 0.6,
            "where": "slope",
            "where_low": 18,
            "where_high": 90,
            "where_falloff": 8,
        },
        height=rain,
    )
    scree = m.add("scree", "Talus aprons", {"repose": 34, "amount_broken": 6}, height=steps, beds_from=rock)
    flow = m.add("flow", "Dry washes", {"first": 110, "full": 1100, "softness": 12}, height=scree)
    level = m.add("slope_band", "Level ground", {"low": 0, "high": 5, "falloff": 4}, height=scree)
    low = m.add("height_band", "The floor", {"low": -200, "high": 90, "falloff": 60}, height=scree)
    where = m.add("mask_mix", "Where sand drifts", {"way": "multiply"}, first=level, second=low)
    sand = m.add("wind", "Drifted sand", {"wind": 70, "spacing": 150, "relief": 3}, height=scree, sand=where)
    tone = toned(m, sand, rain, flow, flow_weight=0.3)
    cover(
        m, "Ground cover",
        [
            layer("Desert pavement", "6b4a34 835b40 996d4c b0835d c49a73", grain=0.5),
            layer("Sand", "b0804f c2935e d3a871 e2bf8b", mask=where, amount=0.75, broken=0.5, patch=120, grain=0.3),
            layer("Slope wash", "7a4530 8e543a a26747 b57b58", lies=AT_SLOPE, from_slope=15, to_slope=33, slope_fade=6, broken=0.5, patch=60, grain=0.4),
            layer("Red sandstone", "5a2a1b 74381f 8e4a2a a5613a bb7c52", lies=AT_SLOPE, from_slope=33, slope_fade=7, broken=0.4, patch=40, grain=0.5),
            layer("Pale band", "a77d5a bd9570 d1ad87", lies=AT_HEIGHT, low=150, high=205, fade=26, amount=0.6, broken=0.5, patch=200, grain=0.4),
            layer("Talus", "55382a 6b4937 825c46", mask=(scree, "scree"), amount=0.85, broken=0.6, patch=24, grain=0.7),
            layer("Washes", "c7a57b d6b990 e3caa4", mask=flow, amount=0.85, broken=0.4, patch=40, thins=0.9, steep=16, grain=0.3),
            layer("Thorn bush", "4c4a2c 5d5a37 6f6b45", mask=flow, amount=0.25, broken=0.9, patch=30, thins=0.9, steep=14, grain=0.5),
        ],
        sand, tone, grain_size=30, over=30, seed=6,
    )  # fmt: skip
    bush = m.add("mask_mix", "Where bushes root", {"way": "multiply"}, first=level, second=flow)
    m.add(
        "things",
        "Thorn bushes",
        {"thing": "bush", "density": 14, "least": 4, "smallest": 0.5, "largest": 1.2, "tint": (1.0, 0.92, 0.6)},
        where=bush,
    )
    m.publish(
        "Height of the tables",
        "Form",
        "How far the tables stand over the floor.",
        (table, "relief"),
        (second, "relief", 0.95),
        (butte, "relief", 0.9),
        low=180,
        high=700,
    )
    m.publish("Size of the great table", "Form", "From its middle to its rim.", (table, "radius"), low=600, high=1700)
    m.publish(
        "Ragged rims",
        "Form",
        "How far rims are broken into bays and spurs.",
        (table, "irregularity"),
        (second, "irregularity"),
        low=0.2,
        high=1.0,
    )
    m.publish("Cliff bands", "Rock", "How thick a band of cliff is.", (steps, "thickness"), low=40, high=200)
    m.publish("Steepness of bands", "Rock", "How sheer hard beds stand.", (steps, "contrast"), low=0.2, high=1.0)
    m.publish(
        "Flash floods", "Weather", "How far floods have cut the tables up.", (rain, "strength"), low=0.0, high=0.9
    )
    m.publish("Talus", "Weather", "How much has fallen from the cliffs.", (scree, "amount_broken"), low=0, high=14)
    m.publish("Drifted sand", "Weather", "How high sand is blown into dunes.", (sand, "relief"), low=0, high=18)
    m.publish("Wind from", "Weather", "Where the wind comes from.", (sand, "wind"), low=0, high=345)
    m.preset("As found", {})
    m.preset("Worn low", {"Height of the tables": 240, "Flash floods": 0.7, "Talus": 10})
    m.preset("High tables", {"Height of the tables": 640, "Cliff bands": 150, "Flash floods": 0.25})
    m.note(
        "Tables are drawn first, each with its own seed, and stand on the floor by adding. Beds make two bands of cliff: rain spares the hard ones, and Strata steps what is steep.",
        table,
    )
    m.note("Talus lies at the angle at which stones rest. Sand drifts where it is level and low.", scree)
    return finished(
        m,
        (
            ("Far", 0.1, -0.25, 900, 22, -16),
            ("Below the table", 0.44, 0.22, 60, 10, 4),
            ("On the floor", 0.6, 0.22, 2, 330, 3),
        ),
        ("Talus", scree, "scree"),
        ("Sand", sand, "drift"),
    )
