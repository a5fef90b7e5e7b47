"""An ice stream between bare peaks, broken where it is steep; a frozen lake lies before its tongue."""
# ruff: noqa: E501

from covers import AT_HEIGHT, AT_SLOPE, cover, layer

from gelande.core.recipe.site import Site

from .shared import finished, toned


def ice_country(maker):
    """An ice stream between bare peaks, broken where it is steep; a frozen lake lies before its tongue."""
    m = maker(Site("Hvalen ice", 8000, 8000, bare="snow"), seed=5)
    peaks = m.add(
        "ridge_noise",
        "Peaks",
        {"feature_size": 3000, "relief": 1500, "octaves": 8, "gain": 0.45, "sharpness": 1.8, "warp": 300, "seed": 6},
    )
    mass = m.add(
        "fractal_noise", "Mountain mass", {"feature_size": 5200, "relief": 520, "octaves": 6, "gain": 0.42, "seed": 9}
    )
    body = m.add("mix", "Peaks on the mass", {"way": "percentage", "share": 0.6}, height=mass, second=peaks)
    dale = m.add(
        "valley",
        "Main valley",
        {
            "line": ((5900, 7900), (5500, 6300), (4300, 5000), (3900, 3500), (4300, 2000), (4100, 0)),
            "floor_width": 700,
            "side_width": 1500,
            "depth": 400,
            "trough": 0.6,
            "fall": 45,
            "irregularity": 0.4,
            "seed": 2,
        },
        height=body,
    )
    rain = m.add("rain_erosion", "Before the ice", {"strength": 0.3, "gully_spacing": 240, "seed": 3}, height=dale)
    ice = m.add(
        "glacier",
        "Ice stream",
        {"line": 0.37, "thick": 180, "depth": 240, "left": 0.85, "moraine": 26, "cracked": 0.75, "seed": 4},
        height=rain,
    )
    scree = m.add("scree", "Scree under the faces", {"repose": 36, "amount_broken": 5}, height=ice)
    lake = m.add("lakes", "Frozen lake", {"least_width": 260, "least_depth": 2}, height=scree)
    snow = m.add(
        "snow",
        "Snow",
        {"snow_line": 520, "transition": 420, "fall": 3, "slide_angle": 40, "melt": 0.45, "drift": 0.7},
        height=lake,
    )
    tone = toned(m, lake, rain, bulge_weight=0.6, slope_weight=0.35)
    cover(
        m, "Ground cover",
        [
            layer("Stony ground", "4a4844 5d5b55 74716a 8d8a81", grain=0.5),
            layer("Lichen and moss", "3c3e2c 505236 666644 7c7a56", lies=AT_HEIGHT, low=-400, high=330, fade=120, amount=0.75, broken=0.8, patch=140, thins=0.8, steep=34, grain=0.5),
            layer("Rock", "34353a 484950 5f6067 7a7b81 95959a", lies=AT_SLOPE, from_slope=33, slope_fade=8, broken=0.5, patch=60, grain=0.5),
            layer("Scree", "5c5b5c 737274 8b8a8b", mask=(scree, "scree"), amount=0.85, broken=0.5, patch=30, grain=0.7),
            layer("Moraine", "4b463f 635d54 7c756a", mask=(ice, "moraine"), amount=0.9, broken=0.45, patch=40, grain=0.8),
            layer("Snow", "b4c3d3 d0dbe6 e6edf3 f7f9fb", mask=(snow, "snow"), broken=0.25, patch=40, grain=0.12),
            layer("Ice", "8fb2c6 b3cddb d3e3ec eef5f8", mask=(ice, "ice"), amount=0.82, broken=0.5, patch=160, grain=0.15),
            layer("Crevasses", "2f5f7c 3f7593 5a90ab", mask=(ice, "crevasses"), amount=0.95, broken=0.1, patch=10, grain=0.1),
            layer("Frozen lake", "9bb4c0 b5c9d2 cbdae0", mask=(lake, "water"), amount=0.95, broken=0.25, patch=120, grain=0.12),
        ],
        lake, tone, grain_size=40, over=48, seed=6,
    )  # fmt: skip
    m.publish("Height of the peaks", "Form", "From the valleys to the tops.", (peaks, "relief"), low=700, high=2000)
    m.publish("Sharp ridges", "Form", "How sharp ridges are.", (peaks, "sharpness"), low=1.0, high=2.6)
    m.publish("Valley", "Form", "Where the main valley runs: its points can be moved.", (dale, "line"))
    m.publish(
        "Depth of the valley",
        "Form",
        "How deep the main valley was before the ice.",
        (dale, "depth"),
        low=150,
        high=700,
    )
    m.publish(
        "Snow line",
        "Ice",
        "How much of the ground lies below the height from which snow stays all year; the more, the less ice.",
        (ice, "line"),
        low=0.1,
        high=0.65,
    )
    m.publish("Ice thickness", "Ice", "How thick the ice is in the valleys.", (ice, "thick"), low=90, high=300)
    m.publish("Cut by the ice", "Ice", "How deep it has worn its bed.", (ice, "depth"), low=0, high=450)
    m.publish("Ice left", "Ice", "How much of it still lies there.", (ice, "left"), low=0.0, high=1.0)
    m.publish("Moraines", "Ice", "Height of the ridges at its edge.", (ice, "moraine"), low=0, high=50)
    m.publish("Fresh snow from", "Snow", "Height from which snow lies.", (snow, "snow_line"), low=0, high=1400)
    m.preset("As found", {})
    m.preset("Great ice", {"Snow line": 0.15, "Ice left": 1.0, "Ice thickness": 240})
    m.preset("After the ice", {"Ice left": 0.0, "Fresh snow from": 1100})
    m.note("The valley comes first and rain roughens it: ice follows the ways that water has found.", rain)
    m.note(
        "The ice wears its trough, lays moraines, and what is left of it lies in the height itself: a mask tells where it is, another one where it is broken.",
        ice,
    )
    return finished(
        m,
        (
            ("Far", 0.25, -0.1, 1700, 15, -22),
            ("Over the tongue", 0.5, 0.12, 260, 0, -8),
            ("Before the ice", 0.52, 0.25, 3, 355, 3),
        ),
        ("Ice", ice, "ice"),
        ("Crevasses", ice, "crevasses"),
        ("Moraine", ice, "moraine"),
        ("Snow", snow, "snow"),
    )
