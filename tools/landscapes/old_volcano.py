"""A cone with a crater, barrancos down its sides, dark flows, and green on the side that the rain comes from."""
# ruff: noqa: E501

from covers import AT_HEIGHT, AT_SLOPE, FACING, cover, layer

from gelande.core.recipe.site import Site

from .shared import finished, toned


def old_volcano(maker):
    """A cone with a crater, barrancos down its sides, dark flows, and green on the side that the rain comes from."""
    m = maker(Site("Mount Ember", 6000, 6000, bare="ash"), seed=1)
    plain = m.add(
        "fractal_noise", "Plain", {"feature_size": 2600, "relief": 160, "octaves": 7, "gain": 0.42, "seed": 3}
    )
    cone = m.add(
        "cone",
        "Cone",
        {"radius": 2250, "relief": 1200, "hollow": 1.8, "crater": 560, "depth": 0.3, "ribs": 0.35, "seed": 2},
    )
    child = m.add(
        "cone",
        "Child cone",
        {
            "radius": 480,
            "relief": 330,
            "hollow": 1.5,
            "crater": 130,
            "depth": 0.35,
            "ribs": 0.2,
            "east": 0.33,
            "north": 0.19,
            "seed": 7,
        },
    )
    # the same seed bends cone and flows alike, and another way for each seed of the recipe
    bends = {"distance": 520, "size": 3400, "octaves": 2, "gain": 0.4, "seed": 12}
    uneven = m.add("warp", "Uneven cone", bends, height=cone)
    land = m.add("mix", "Cone on the plain", {"way": "add", "unit": 1}, height=plain, second=uneven)
    rough = m.add("surface_noise", "Rough ground", {"depth": 24, "size": 240, "octaves": 6}, height=land)
    rain = m.add(
        "rain_erosion",
        "Barrancos",
        {
            "strength": 0.45,
            "gully_spacing": 140,
            "ravines": 0.75,
            "deposition": 0.5,
            "where": "height",
            "where_low": -200,
            "where_high": 1080,
            "where_falloff": 160,
        },
        height=rough,
    )
    with_child = m.add("mix", "Child cone", {"way": "add", "unit": 1}, height=rain, second=child)
    tongues = m.add(
        "outline_mask", "Lava flows",
        {"outlines": tuple((True, 90.0, "Inward", "S", 0.5, 220.0, k + 1, False, points) for k, points in enumerate((
            ((2900, 3380), (3130, 3330), (3330, 2900), (3760, 2460), (4240, 2150), (4420, 1700), (4090, 1480), (3700, 1800), (3420, 2330), (3060, 2790)),
            ((2830, 3240), (2560, 3250), (2030, 2960), (1560, 2600), (1000, 2480), (720, 2130), (1060, 1900), (1640, 2230), (2220, 2640), (2700, 2960)),
        )))},
    )  # fmt: skip
    tongues = m.add("warp", "Flows where the cone is", bends, height=tongues)
    thick = m.add("mask_as_height", "Thickness of the flows", {"low": 0, "high": 26}, first=tongues)
    flows = m.add("mix", "Flows over the flanks", {"way": "add", "unit": 1}, height=with_child, second=thick)
    ground = m.add("surface_noise", "Clinker", {"depth": 12, "size": 60, "octaves": 4}, height=flows)
    m.restrict(ground, tongues)
    tone = toned(m, ground, rain, (rain, "flow"), flow_weight=-0.25)
    dressed = cover(
        m, "Ground cover",
        [
            layer("Dry grass", "6a6238 7d7443 918752 a59b66", grain=0.4),
            layer("Green flank", "25351b 324524 43592e 566d3a 6d8149", lies=FACING, facing=225, width=170, amount=0.9, broken=0.7, patch=320, thins=0.4, steep=34, grain=0.45),
            layer("Forest foot", "1b2a17 24371e 2f4526 3b532f", lies=AT_HEIGHT, low=170, high=480, fade=100, amount=0.6, broken=0.9, patch=280, thins=0.6, steep=30, grain=0.6),
            layer("Ash", "2f2b2a 403a37 524a45 665c54 7a6f65", lies=AT_HEIGHT, low=640, fade=240, broken=0.75, patch=170, grain=0.4),
            layer("Barranco rock", "302825 43372f 57483c 6b5a4b", lies=AT_SLOPE, from_slope=34, slope_fade=8, amount=0.9, broken=0.5, patch=40, grain=0.5),
            layer("Red cinder", "4c1f16 66291b 803724 9a4a31", lies=AT_HEIGHT, low=930, fade=90, amount=0.85, broken=0.6, patch=90, grain=0.4),
            layer("Lava", "141314 1d1b1c 2a2728 393536", mask=tongues, broken=0.25, patch=40, grain=0.7),
        ],
        ground, tone, grain_size=36, over=40, seed=5,
    )  # fmt: skip
    m.add(
        "things",
        "Trees on the wet side",
        {"thing": "broadleaved_tree", "density": 70, "least": 5, "smallest": 0.5, "largest": 1.1},
        where=(dressed, "weight_3"),
    )
    m.publish("Height of the cone", "Form", "Over the plain.", (cone, "relief"), low=600, high=1900)
    m.publish("Width of the cone", "Form", "From its middle to its foot.", (cone, "radius"), low=1500, high=2900)
    m.publish(
        "Hollow sides",
        "Form",
        "1 is a straight slope; more steepens towards the top.",
        (cone, "hollow"),
        low=1.0,
        high=3.0,
    )
    m.publish("Crater", "Form", "How wide the crater is.", (cone, "crater"), low=0, high=800)
    m.publish("Depth of the crater", "Form", "As a share of what its rim has.", (cone, "depth"), low=0.0, high=0.6)
    m.publish("Child cone", "Form", "How high the small cone beside it stands.", (child, "relief"), low=0, high=420)
    m.publish("Barrancos", "Weather", "How deep rain has cut into the flanks.", (rain, "strength"), low=0.0, high=1.0)
    m.publish("Space between barrancos", "Weather", "From one to the next.", (rain, "gully_spacing"), low=70, high=320)
    m.publish("Thickness of the flows", "Lava", "How far lava lies over the ground.", (thick, "high"), low=0, high=80)
    m.preset("As found", {})
    m.preset("Young and steep", {"Barrancos": 0.1, "Hollow sides": 2.4, "Height of the cone": 1500})
    m.preset("Old and cut up", {"Barrancos": 0.95, "Space between barrancos": 220, "Crater": 620})
    m.note(
        "Rain is kept off the summit (Where by height), so that the crater stays. Barrancos are deep rain with much ravine.",
        rain,
    )
    m.note("Flows are drawn outlines: the same mask lifts the ground, roughens it and colours it.", tongues)
    return finished(
        m,
        (
            ("Far", 0.05, -0.2, 1100, 30, -12),
            ("Over the crater", 0.42, 0.36, 420, 30, -22),
            ("On a flow", 0.62, 0.18, 6, 325, 4),
        ),
        ("Lava", tongues, "height"),
        ("Barrancos", rain, "cut"),
    )
