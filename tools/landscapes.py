"""Landscapes that one recognises at first glance: each is dressed, published and explained. Used by make_examples.py."""
# ruff: noqa: E501

import math
from dataclasses import replace

from covers import AT_HEIGHT, AT_SLOPE, FACING, HEIGHT, cover, layer, steps_of

from gelande.core.evaluate import query
from gelande.core.evaluate.executor import Evaluator, Job
from gelande.core.recipe.cameras import keep
from gelande.core.recipe.choices import FigureChoice
from gelande.core.recipe.deliverables import Deliverable
from gelande.core.recipe.model import NamedCamera
from gelande.core.recipe.ramps import stops_of
from gelande.core.recipe.site import Site


def _tone(m, ground, rain=None, flow=None, **settings) -> str:
    """The grey along which the colours of a layer run: lighter on bulges, darker in hollows and where it is wet."""
    links = {"height": ground} | ({"flow": flow} if flow else {})
    links |= {port: (rain, port) for port in ("cut", "fill")} if rain else {}
    given = {"height_weight": 0.1, "slope_weight": 0.3, "bulge_weight": 0.5, "open_weight": 0.35, "noise_weight": 0.3}
    return m.add("ground_tone", "Tone of the ground", {**given, "size": 90, "noise_size": 70, **settings}, **links)


def finished(m, cameras, *weathered) -> object:
    """Cameras, figures and files of a landscape. cameras: (name, share east, share north, metres over the ground,
    heading, pitch); weathered: (name, node, output) of masks that are delivered, too."""
    recipe, site, evaluator = m.recipe, m.recipe.site, Evaluator()
    land = query.last_of(recipe)
    (ground, port), (colour, output) = land["height"], land["colour"]
    height = evaluator.result(Job(recipe), ground, 3)[port]
    for name, east, north, over, heading, pitch in cameras:
        rows, columns = height.shape
        r, c = min(rows - 1, round((1 - north) * (rows - 1))), min(columns - 1, round(east * (columns - 1)))
        up = round(float(height[r, c]) + over, 1)
        kept = NamedCamera(
            name, round(east * site.width, 1), round(north * site.depth, 1), up, float(heading), float(pitch)
        )
        recipe = keep(recipe, kept)
    files = (
        Deliverable("Height", ground, port, "height_tiff32"),
        Deliverable("Height for engine", ground, port, "height_png16"),
        Deliverable("Colour", colour, output, "colour_png8"),
        *(Deliverable(name, node, mask, "mask_png8") for name, node, mask in weathered),
    )
    figures = (FigureChoice("relief"), FigureChoice("walkable", low=0.3), FigureChoice("area"), FigureChoice("flat"))
    m.recipe = replace(recipe, deliverables=files, figures=figures, author="the makers of Gelande")
    return m


def _banded(colours: str, times: int) -> str:
    """Colours again and again, as beds lie on beds."""
    return " ".join([colours] * times)


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
    both = m.add("mix", "Two tables", {"way": "Higher", "seam": 30}, height=table, second=second)
    three = m.add("mix", "Tables and butte", {"way": "Higher", "seam": 30}, height=both, second=butte)
    land = m.add("mix", "Tables on the floor", {"way": "Add", "unit": 1}, height=floor, second=three)
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
            "where": "Slope",
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
    where = m.add("mask_mix", "Where sand drifts", {"way": "Multiply"}, first=level, second=low)
    sand = m.add("wind", "Drifted sand", {"wind": 70, "spacing": 150, "relief": 3}, height=scree, sand=where)
    tone = _tone(m, sand, rain, flow, flow_weight=0.3)
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
    bush = m.add("mask_mix", "Where bushes root", {"way": "Multiply"}, first=level, second=flow)
    m.add(
        "things",
        "Thorn bushes",
        {"thing": "Bush", "density": 14, "least": 4, "smallest": 0.5, "largest": 1.2, "tint": (1.0, 0.92, 0.6)},
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
    land = m.add("mix", "Cone on the plain", {"way": "Add", "unit": 1}, height=plain, second=cone)
    rough = m.add("surface_noise", "Rough ground", {"depth": 24, "size": 240, "octaves": 6}, height=land)
    rain = m.add(
        "rain_erosion",
        "Barrancos",
        {
            "strength": 0.45,
            "gully_spacing": 140,
            "ravines": 0.75,
            "deposition": 0.5,
            "where": "Height",
            "where_low": -200,
            "where_high": 1080,
            "where_falloff": 160,
        },
        height=rough,
    )
    with_child = m.add("mix", "Child cone", {"way": "Add", "unit": 1}, height=rain, second=child)
    tongues = m.add(
        "outline_mask", "Lava flows",
        {"outlines": tuple((True, 90.0, "Inward", "S", 0.5, 220.0, k + 1, False, points) for k, points in enumerate((
            ((2900, 3380), (3130, 3330), (3330, 2900), (3760, 2460), (4240, 2150), (4420, 1700), (4090, 1480), (3700, 1800), (3420, 2330), (3060, 2790)),
            ((2830, 3240), (2560, 3250), (2030, 2960), (1560, 2600), (1000, 2480), (720, 2130), (1060, 1900), (1640, 2230), (2220, 2640), (2700, 2960)),
        )))},
    )  # fmt: skip
    thick = m.add("mask_as_height", "Thickness of the flows", {"low": 0, "high": 26}, first=tongues)
    flows = m.add("mix", "Flows over the flanks", {"way": "Add", "unit": 1}, height=with_child, second=thick)
    ground = m.add("surface_noise", "Clinker", {"depth": 12, "size": 60, "octaves": 4}, height=flows)
    m.restrict(ground, tongues)
    tone = _tone(m, ground, rain, (rain, "flow"), flow_weight=-0.25)
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
        {"thing": "Broadleaved tree", "density": 70, "least": 5, "smallest": 0.5, "largest": 1.1},
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
            ("On a flow", 0.2, 0.37, 2, 60, 6),
        ),
        ("Lava", tongues, "mask"),
        ("Barrancos", rain, "cut"),
    )


def canyon(maker):
    """A river deep in steps; its beds run through the whole site."""
    m = maker(Site("Tarun gorge", 5000, 5000, bare="sand"), seed=3)
    plain = m.add(
        "fractal_noise", "High plain", {"feature_size": 2400, "relief": 150, "octaves": 6, "gain": 0.4, "seed": 6}
    )
    high = m.add(
        "levels",
        "Raised",
        {"in_low": 0, "in_high": 150, "out_low": 620, "out_high": 760, "bend": 1.0, "hold": False},
        height=plain,
    )
    river = (
        (5000, 3900),
        (4150, 3500),
        (3700, 3900),
        (2950, 3650),
        (2700, 2850),
        (3150, 2250),
        (2600, 1700),
        (1700, 1900),
        (1150, 1350),
        (500, 1150),
        (0, 500),
    )
    gorge = m.add(
        "valley",
        "Gorge",
        {
            "line": river,
            "floor_width": 110,
            "side_width": 520,
            "depth": 430,
            "trough": 0.3,
            "fall": 10,
            "irregularity": 0.75,
            "seed": 4,
        },
        height=high,
    )
    side = m.add(
        "valley",
        "Side gorge",
        {
            "line": ((900, 5000), (1250, 4150), (1900, 3500), (2700, 2950)),
            "floor_width": 50,
            "side_width": 330,
            "depth": 330,
            "trough": 0.2,
            "fall": 60,
            "irregularity": 0.7,
            "seed": 8,
        },
        height=gorge,
    )
    rough = m.add("surface_noise", "Rough ground", {"depth": 14, "size": 260, "octaves": 5}, height=side)
    rock = m.add(
        "rock_beds",
        "Layered rock",
        {"thickness": 78, "contrast": 0.9, "irregularity": 0.6, "dip": 0.8, "dip_direction": 70, "succession": 2},
    )
    rain = m.add(
        "rain_erosion",
        "Side gullies",
        {"strength": 0.5, "gully_spacing": 220, "ravines": 0.3, "deposition": 0.3},
        height=rough,
        beds_from=rock,
    )
    steps = m.add(
        "strata",
        "Ledges",
        {
            "thickness": 70,
            "contrast": 0.9,
            "irregularity": 0.45,
            "dip": 0.8,
            "dip_direction": 70,
            "where": "Slope",
            "where_low": 16,
            "where_high": 90,
            "where_falloff": 8,
        },
        height=rain,
    )
    scree = m.add("scree", "Rubble on the ledges", {"repose": 35, "amount_broken": 4}, height=steps, beds_from=rock)
    water = m.add(
        "stream_channels", "River", {"line": river, "width": 60, "deep": 8, "bank": 20, "filled": 0.6}, height=scree
    )
    tone = _tone(m, water, rain, (rain, "flow"), bulge_weight=0.35, flow_weight=-0.2)
    beds = "7a3a26 8e4a30 c08a5e b77a50 6a3326 a05a3a d2a678 94543a"
    ground = cover(
        m, "Ground cover",
        [
            layer("Dry plain", "6f5b3c 84704b 9a865c b09c70", grain=0.45),
            layer("Beds", _banded(beds, 2), lies=AT_SLOPE, from_slope=15, slope_fade=7, broken=0.3, patch=40, along=HEIGHT, grain=0.25),
            layer("Rubble", "5d4233 735441 8a6852", mask=(scree, "scree"), amount=0.7, broken=0.6, patch=24, grain=0.6),
            layer("Juniper", "2d3420 3a4228 4a5132", lies=AT_HEIGHT, low=580, fade=60, amount=0.5, broken=0.9, patch=80, thins=0.9, steep=20, grain=0.6),
            layer("River bank", "4a5a2c 5c6c36 6f7d42", lies=AT_HEIGHT, low=-100, high=270, fade=40, amount=0.85, broken=0.7, patch=60, thins=0.9, steep=18, grain=0.5),
        ],
        water, tone, grain_size=32, over=36, seed=3,
    )  # fmt: skip
    m.add(
        "water_colour",
        "River water",
        {"ramp": stops_of("8a7a54 6f7350 4f6350 37524a"), "clear": 0.25, "wet": 0.4, "foam": 0.1},
        under=ground,
        water=(water, "channel"),
        depth=(water, "depth"),
    )
    m.add(
        "things",
        "Junipers",
        {"thing": "Bush", "density": 40, "least": 4, "smallest": 0.7, "largest": 1.8, "tint": (0.8, 0.85, 0.6)},
        where=(ground, "weight_4"),
    )
    m.publish("Depth of the gorge", "Form", "From the plain to the river.", (gorge, "depth"), low=200, high=600)
    m.publish(
        "Width of the gorge",
        "Form",
        "How far its sides reach from the river.",
        (gorge, "side_width"),
        low=250,
        high=1000,
    )
    m.publish(
        "Ragged sides",
        "Form",
        "How far the sides are broken into bays and spurs.",
        (gorge, "irregularity"),
        low=0.1,
        high=1.0,
    )
    m.publish("Side gorge", "Form", "How deep the second gorge is.", (side, "depth"), low=0, high=480)
    m.publish(
        "Thickness of beds",
        "Rock",
        "From bed to bed.",
        (rock, "thickness"),
        (steps, "thickness", 0.8),
        low=30,
        high=150,
    )
    m.publish("Tilt of beds", "Rock", "How far the beds dip.", (rock, "dip"), (steps, "dip"), low=0, high=6)
    m.publish("Steep ledges", "Rock", "How much steeper hard beds stand.", (steps, "contrast"), low=0.2, high=1.0)
    m.publish("Side gullies", "Weather", "How far rain has cut into the sides.", (rain, "strength"), low=0.1, high=1.0)
    m.publish("River", "Water", "How wide the river is.", (water, "width"), low=15, high=110)
    m.preset("As found", {})
    m.preset("Narrow slot", {"Width of the gorge": 280, "Side gullies": 0.25})
    m.preset("Broad canyon", {"Width of the gorge": 950, "Side gullies": 0.85, "Ragged sides": 0.95})
    m.note("One line is the gorge and the river: move a point of one, and move it in the other, too.", gorge)
    m.note("Beds are described once (Rock in beds); rain, ledges and rubble all lie along them.", rock)
    return finished(
        m,
        (
            ("Far", 0.15, -0.1, 900, 25, -24),
            ("Over the river", 0.03, 0.16, 190, 50, -6),
            ("On the rim", 0.36, 0.52, 2, 60, -10),
        ),
        ("River", water, "channel"),
        ("Rubble", scree, "scree"),
    )


def dune_field(maker):
    """Long dunes, level pans between them, and islands of dark rock."""
    m = maker(Site("Ummar sands", 6000, 6000, bare="sand"), seed=4)
    long = m.add(
        "dunes",
        "Long dunes",
        {
            "kind": "Lengthwise",
            "spacing": 620,
            "relief": 85,
            "wind": 62,
            "lee": 0.5,
            "irregularity": 0.55,
            "swell": 20,
            "seed": 3,
        },
    )
    cross = m.add(
        "dunes",
        "Cross dunes",
        {
            "kind": "Transverse",
            "spacing": 170,
            "relief": 9,
            "wind": 152,
            "lee": 0.35,
            "irregularity": 0.8,
            "swell": 6,
            "seed": 5,
        },
    )
    sand = m.add("mix", "Dunes on dunes", {"way": "Add", "unit": 1}, height=long, second=cross)
    pans = m.add("clip", "Pans between", {"floor": 40, "ceiling": 500, "edge": "Rounded", "rounding": 8}, height=sand)
    one = m.add(
        "massif",
        "Rock island",
        {
            "character": "Jagged",
            "radius": 950,
            "relief": 520,
            "ridge_spacing": 480,
            "east": 0.3,
            "north": 0.64,
            "seed": 6,
        },
    )
    two = m.add(
        "massif",
        "Lesser island",
        {
            "character": "Jagged",
            "radius": 520,
            "relief": 330,
            "ridge_spacing": 260,
            "east": 0.76,
            "north": 0.4,
            "seed": 8,
        },
    )
    both = m.add("mix", "Two islands", {"way": "Higher", "seam": 20}, height=one, second=two)
    worn = m.add("rain_erosion", "Worn rock", {"strength": 0.35, "gully_spacing": 90, "ravines": 0.5}, height=both)
    land = m.add("mix", "Rock in the sand", {"way": "Higher", "seam": 16}, height=pans, second=worn)
    wind = m.add(
        "wind",
        "Ripples",
        {"wind": 62, "spacing": 60, "relief": 1.6, "ripple_spacing": 16, "ripple_relief": 0.4},
        height=land,
    )
    bare = m.add("mix", "Rock over sand", {"way": "Difference", "unit": 1}, height=land, second=pans)
    rocky = m.add("height_as_mask", "Where rock is", {"range": "Given heights", "low": 0.5, "high": 12}, height=bare)
    low = m.add("height_band", "Pans", {"low": -100, "high": 44, "falloff": 5}, height=wind)
    tone = _tone(m, wind, bulge_weight=0.55, slope_weight=-0.25, noise_weight=0.15)
    cover(
        m, "Ground cover",
        [
            layer("Sand", "a06a38 b57c45 c99258 dba96e e9c18a", grain=0.15),
            layer("Slip faces", "8c5a30 a06b3c b37d4b", lies=AT_SLOPE, from_slope=24, slope_fade=6, amount=0.7, broken=0.2, patch=60, grain=0.15),
            layer("Pans", "9b8a70 b0a085 c6b79d d8ccb5", mask=low, amount=0.85, broken=0.45, patch=140, thins=0.9, steep=8, grain=0.35),
            layer("Dark rock", "2b201b 3c2d25 4f3c31 64503f", mask=rocky, broken=0.35, patch=24, grain=0.6),
            layer("Sand on ledges", "a87542 be8b55 d3a46e", mask=rocky, amount=0.6, broken=0.8, patch=60, thins=1.0, steep=20, grain=0.2),
        ],
        wind, tone, grain_size=22, over=24, seed=2,
    )  # fmt: skip
    m.publish("Height of the dunes", "Dunes", "From trough to crest.", (long, "relief"), low=25, high=180)
    m.publish("Distance of the dunes", "Dunes", "From crest to crest.", (long, "spacing"), low=280, high=1200)
    m.publish("Wind from", "Dunes", "Where the wind comes from.", (long, "wind"), (wind, "wind"), low=0, high=345)
    m.publish(
        "Uneven dunes", "Dunes", "How far crests wander, fork and end.", (long, "irregularity"), low=0.0, high=1.0
    )
    m.publish(
        "Cross dunes", "Dunes", "How high the small dunes on the large ones are.", (cross, "relief"), low=0, high=24
    )
    m.publish("Pans", "Dunes", "Height up to which the ground between is level.", (pans, "floor"), low=10, high=80)
    m.publish("Rock island", "Rock", "How high it stands.", (one, "relief"), low=60, high=700)
    m.publish("Worn rock", "Rock", "How far rain has worn it.", (worn, "strength"), low=0.0, high=0.9)
    m.preset("As found", {})
    m.preset("Low sands", {"Height of the dunes": 40, "Cross dunes": 5, "Pans": 34})
    m.preset("Great sands", {"Height of the dunes": 160, "Distance of the dunes": 950, "Pans": 10})
    m.note(
        "Two sets of dunes by one wind: long ones, and small ones over them. What lies below the pans' height is level.",
        long,
    )
    m.note("Rock is worn before it is set into the sand, so that rain leaves the dunes alone.", worn)
    return finished(
        m,
        (("Far", 0.1, -0.15, 900, 25, -18), ("Island", 0.2, 0.45, 90, 25, -3), ("On a crest", 0.5, 0.4, 2, 320, -4)),
        ("Rock", rocky, "mask"),
        ("Pans", low, "mask"),
    )


def badlands(maker):
    """Knife ridges and rills in banded clay, with pale floors between."""
    m = maker(Site("Corvin breaks", 1600, 1600, bare="snow"), seed=5)
    hills = m.add("fractal_noise", "Hills", {"feature_size": 620, "relief": 420, "octaves": 6, "gain": 0.45, "seed": 2})
    ridges = m.add(
        "ridge_noise",
        "Ridges",
        {"feature_size": 420, "relief": 330, "octaves": 6, "gain": 0.45, "sharpness": 1.3, "warp": 60, "seed": 7},
    )
    body = m.add("mix", "Hills and ridges", {"way": "Percentage", "share": 0.55}, height=hills, second=ridges)
    floor = m.add("curve", "Broad floors", {"curve": ((0.0, 0.03), (0.16, 0.07), (0.5, 0.55), (1.0, 1.0))}, height=body)
    rain = m.add(
        "rain_erosion",
        "Rills",
        {"strength": 0.85, "gully_spacing": 34, "ravines": 0.9, "deposition": 0.5},
        height=floor,
    )
    sharp = m.add("crests", "Knife ridges", {"radius": 30, "crests": 0.6}, height=rain)
    wash = m.add("silt", "Washed floors", {"filled": 0.3, "dished": 0.1, "thick_at": 2}, height=sharp)
    tone = _tone(m, wash, rain, (rain, "flow"), flow_weight=0.2, size=30, noise_size=24)
    flat = m.add("slope_band", "Floors", {"low": 0, "high": 9, "falloff": 5}, height=wash)
    beds = "8f8578 b7a892 a4523d c7b79f 7d7468 d5c8b2 8a4434 b3a58f 6f6a62 cdb896"
    cover(
        m, "Ground cover",
        [
            layer("Banded clay", beds, along=HEIGHT, grain=0.12),
            layer("Washed clay", "b8aa92 c8bba3 d8ccb5 e3dac6", mask=flat, amount=0.9, broken=0.4, patch=30, thins=0.9, steep=14, grain=0.3),
            layer("Short grass", "6d6a40 7f7b4c 938e5c", mask=flat, amount=0.55, broken=0.9, patch=60, thins=1.0, steep=9, grain=0.5),
            layer("Shadow of the rills", "5c5148 70645a", mask=(rain, "flow"), amount=0.25, broken=0.3, patch=10, grain=0.2),
        ],
        wash, tone, grain_size=10, over=12, seed=4,
    )  # fmt: skip
    m.publish(
        "Height",
        "Form",
        "From the floors to the ridges.",
        (hills, "relief"),
        (ridges, "relief", 0.75),
        low=150,
        high=700,
    )
    m.publish("Size of the hills", "Form", "From hill to hill.", (hills, "feature_size"), low=300, high=1200)
    m.publish("Ridges or hills", "Form", "0 is rounded hills, 1 sharp ridges.", (body, "share"), low=0.0, high=1.0)
    m.publish("Rills", "Weather", "How deep rain has cut.", (rain, "strength"), low=0.2, high=1.0)
    m.publish("Space between rills", "Weather", "From one to the next.", (rain, "gully_spacing"), low=14, high=80)
    m.publish(
        "Hill form kept", "Weather", "How much of the hills' own form rain leaves.", (rain, "form"), low=0.2, high=1.0
    )
    m.publish("Knife ridges", "Weather", "How sharp the crests are.", (sharp, "crests"), low=0.0, high=1.0)
    m.publish("Washed floors", "Weather", "How far hollows are filled with clay.", (wash, "filled"), low=0.0, high=1.0)
    m.preset("As found", {})
    m.preset("Young", {"Rills": 0.4, "Space between rills": 50, "Knife ridges": 0.2})
    m.preset("Deep breaks", {"Height": 620, "Rills": 1.0})
    m.note("Clay gives way fast: much rain, gullies close beside each other, and crests sharpened after it.", rain)
    m.note("The bands are a ramp along the height: the same bed has the same colour on every hill.", wash)
    return finished(
        m,
        (
            ("Far", 0.1, -0.15, 350, 25, -20),
            ("Over the floor", 0.42, 0.42, 60, 20, -9),
            ("On the floor", 0.5, 0.3, 2, 20, 3),
        ),
        ("Rills", rain, "flow"),
        ("Floors", flat, "mask"),
    )


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
        "patches", "Where rock comes out", {"look": "Patches", "size": 170, "cover": 0.36, "softness": 0.1, "seed": 4}
    )
    where = m.add("mask_mix", "Tors", {"way": "Multiply"}, first=tops, second=spots)
    tors = m.add(
        "blocks",
        "Tors",
        {"size": 22, "tall": 13, "gap": 0.1, "jitter": 0.8, "jitter_up": 0.9, "tilt": 8, "layers": 3, "seed": 2},
        height=worn,
    )
    m.restrict(tors, where)
    near = m.add("mask_edge", "Below the tors", {"way": "Grow", "distance": 130}, first=where)
    fallen = m.add("boulders", "Clitter", {"large": 17, "small": 5, "per_hectare": 45, "tall": 0.55}, height=tors)
    m.restrict(fallen, near)
    brook = m.add(
        "stream_channels", "Brooks", {"first": 240, "full": 1500, "width": 9, "deep": 1.6, "bank": 14}, height=fallen
    )
    flow = m.add("flow", "Wet ground", {"first": 60, "full": 500, "softness": 10}, height=brook)
    level = m.add("slope_band", "Level ground", {"low": 0, "high": 7, "falloff": 4}, height=brook)
    wet = m.add("mask_edge", "Damp hollows", {"way": "Blur", "distance": 36}, first=flow)
    bog = m.add("mask_mix", "Blanket bog", {"way": "Multiply"}, first=level, second=wet)
    tone = _tone(m, brook, worn, flow, flow_weight=-0.3)
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
        {"thing": "Broadleaved tree", "density": 10, "least": 6, "smallest": 0.3, "largest": 0.6},
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


def valley_head(maker):
    """Sharp ridges round a trough with a lake on its floor; snow where it does not slide off."""
    m = maker(Site("Isenkar", 6000, 6000), seed=7)
    peaks = m.add(
        "ridge_noise",
        "Peaks",
        {"feature_size": 2600, "relief": 1500, "octaves": 8, "gain": 0.46, "sharpness": 1.9, "warp": 260, "seed": 11},
    )
    mass = m.add(
        "fractal_noise", "Mountain mass", {"feature_size": 3400, "relief": 600, "octaves": 6, "gain": 0.42, "seed": 3}
    )
    body = m.add("mix", "Peaks on the mass", {"way": "Percentage", "share": 0.62}, height=mass, second=peaks)
    trough = m.add(
        "valley",
        "Trough",
        {
            "line": ((3300, 4700), (3150, 3700), (2700, 2700), (2500, 1500), (2800, 0)),
            "floor_width": 520,
            "side_width": 1150,
            "depth": 360,
            "trough": 0.95,
            "fall": 60,
            "irregularity": 0.3,
            "seed": 2,
        },
        height=body,
    )
    hanging = m.add(
        "valley",
        "Hanging valley",
        {
            "line": ((5400, 3300), (4500, 3050), (3500, 2750)),
            "floor_width": 240,
            "side_width": 560,
            "depth": 200,
            "trough": 0.9,
            "fall": 60,
            "irregularity": 0.3,
            "seed": 5,
        },
        height=trough,
    )
    rain = m.add(
        "rain_erosion",
        "Gullies and fans",
        {"strength": 0.4, "gully_spacing": 120, "ravines": 0.6, "deposition": 0.55, "hollows": 0.5},
        height=hanging,
    )
    moraine = m.add(
        "ridge_line",
        "Moraine",
        {
            "relief": 60,
            "width": 130,
            "saddles": 0.5,
            "spurs": 0.1,
            "line": ((2050, 1180), (2350, 900), (2720, 850), (3050, 1060)),
            "seed": 4,
        },
    )
    dam = m.add("mix", "Moraine across the floor", {"way": "Add", "unit": 1}, height=rain, second=moraine)
    scree = m.add("scree", "Scree under the faces", {"repose": 35, "amount_broken": 5}, height=dam)
    place = ((3080.0, 2520.0), (3290.0, 2490.0), (3310.0, 2640.0), (3100.0, 2660.0))
    hamlet = m.add(
        "levelled_ground",
        "Ground for the huts",
        {"outlines": ((False, "Mean of its ground", 0.0, 0.0, place),)},
        height=scree,
    )
    way = (
        (2560.0, 0.0),
        (2640.0, 420.0),
        (2900.0, 760.0),
        (3060.0, 1180.0),
        (3010.0, 1640.0),
        (2870.0, 2080.0),
        (3010.0, 2420.0),
        (3190.0, 2560.0),
    )
    road = m.add("road", "Road to the huts", {"line": way, "width": 8, "grade": 0.1, "even": 120}, height=hamlet)
    lake = m.add("lakes", "Lake", {"least_width": 160, "least_depth": 3}, height=road)
    snow = m.add(
        "snow",
        "Snow",
        {"snow_line": 680, "transition": 160, "fall": 5, "slide_angle": 44, "melt": 0.7, "drift": 0.6},
        height=lake,
    )
    flow = m.add("flow", "Becks", {"first": 120, "full": 1300, "softness": 8}, height=lake)
    tone = _tone(m, lake, rain, flow, flow_weight=-0.2)
    ground = cover(
        m, "Ground cover",
        [
            layer("Meadow", "3a4a24 4a5c2e 5f7039 768347", grain=0.4),
            layer("Forest", "18231a 202e21 2a3a29 364733", lies=AT_HEIGHT, low=-200, high=470, fade=90, amount=0.9, broken=0.85, patch=160, thins=0.8, steep=38, grain=0.6),
            layer("Alpine turf", "525434 67673f 7e7b4e 959064", lies=AT_HEIGHT, low=430, fade=160, broken=0.7, patch=140, grain=0.45),
            layer("Stony ground", "58564f 6d6a61 837f75 99958a", lies=AT_HEIGHT, low=760, fade=170, broken=0.75, patch=100, grain=0.5),
            layer("Rock", "45443f 5b5952 726f67 8a867d a19d93", lies=AT_SLOPE, from_slope=36, slope_fade=7, broken=0.5, patch=40, grain=0.5),
            layer("Scree", "6f6c65 837f77 98948b", mask=(scree, "scree"), amount=0.85, broken=0.5, patch=30, grain=0.7),
            layer("Banks", "6b6458 7f7768 948b7a", mask=(road, "banks"), amount=0.9, broken=0.3, patch=10, grain=0.6),
            layer("Hut ground", "8a8169 9c937a aea58b", mask=(hamlet, "area"), broken=0.2, patch=10, grain=0.4),
            layer("Road", "a39a86 b3aa96 c2baa7", mask=(road, "road"), broken=0.05, patch=5, grain=0.3),
            layer("Snow", "b9c6d4 d3dde6 e8eef3 f7f9fb", mask=(snow, "snow"), broken=0.2, patch=30, grain=0.15),
        ],
        lake, tone, grain_size=34, over=40, seed=8,
    )  # fmt: skip
    m.add(
        "water_colour",
        "Lake water",
        {"ramp": stops_of("6f9a94 4a7f80 2d6066 1b444c"), "clear": 0.35, "wet": 0.35, "foam": 0.0},
        under=ground,
        water=(lake, "water"),
        depth=(lake, "depth"),
        shore=(lake, "shore"),
    )
    beside = m.add("mask_mix", "Road and huts", {"way": "Higher"}, first=(road, "beside"), second=(hamlet, "area"))
    open_ground = m.add("mask_mix", "Where no tree stands", {"way": "Higher"}, first=beside, second=(lake, "water"))
    dry = m.add("mask_mix", "Forest by the lake", {"way": "Subtract"}, first=(ground, "weight_2"), second=open_ground)
    spruces = {"thing": "Conifer", "density": 190, "least": 3.5, "smallest": 0.6, "largest": 1.3}
    m.add("things", "Spruces", spruces, where=dry)
    m.publish("Height of the peaks", "Form", "From the floor to the tops.", (peaks, "relief"), low=600, high=1900)
    m.publish("Sharp ridges", "Form", "How sharp ridges are.", (peaks, "sharpness"), low=1.0, high=2.8)
    m.publish(
        "Depth of the trough", "Form", "How deep ice has cut the main valley.", (trough, "depth"), low=120, high=600
    )
    m.publish(
        "Width of the floor", "Form", "How wide the main valley's floor is.", (trough, "floor_width"), low=150, high=800
    )
    m.publish("Hanging valley", "Form", "How deep the side valley is.", (hanging, "depth"), low=0, high=340)
    m.publish("Moraine", "Water", "How high it dams the valley.", (moraine, "relief"), low=0, high=140)
    m.publish("Gullies", "Weather", "How far rain has cut into the faces.", (rain, "strength"), low=0.0, high=0.9)
    m.publish("Scree", "Weather", "How much has fallen from the faces.", (scree, "amount_broken"), low=0, high=12)
    huts = m.add("mask_mix", "Where huts stand", {"way": "Subtract"}, first=(hamlet, "area"), second=(road, "beside"))
    m.add("things", "Huts", {"thing": "Hut", "density": 14, "least": 14, "smallest": 0.8, "largest": 1.2}, where=huts)
    m.publish("Road", "Road and huts", "Where the road runs: its points can be moved.", (road, "line"))
    m.publish("Steepest grade", "Road and huts", "Rise of the road at most.", (road, "grade"), low=0.05, high=0.18)
    m.publish(
        "Ground for huts", "Road and huts", "What is levelled for building: areas can be drawn.", (hamlet, "outlines")
    )
    m.publish("Snow line", "Weather", "Height from which snow lies.", (snow, "snow_line"), low=300, high=1500)
    m.preset("As found", {})
    m.preset("Late summer", {"Snow line": 1250})
    m.preset("Winter", {"Snow line": 330})
    m.note("Troughs are valleys with a round floor; the side valley's floor ends high above the main one.", trough)
    m.note(
        "Ground for huts is levelled first, the road ends on it. Both are published: an artist draws them anew on a locked recipe, and trees give way.",
        road,
    )
    m.note("The moraine is a ridge drawn across the floor: the lake behind it is what the land then holds.", moraine)
    return finished(
        m,
        (
            ("Far", 0.3, -0.15, 1300, 12, -20),
            ("Over the lake", 0.43, 0.05, 220, 2, -8),
            ("At the moraine", 0.42, 0.17, 3, 5, 4),
        ),
        ("Lake", lake, "water"),
        ("Snow", snow, "snow"),
        ("Scree", scree, "scree"),
    )


def _meanders(start, heading, wave, swing, count, points):
    """A river's line of sine-generated bends (Langbein and Leopold 1966): (east, north) metres from a start along a
    heading. wave: metres from bend to bend and back; swing: degrees to either side."""
    x, y, found = *start, []
    steps = 40 * count
    for k in range(steps + 1):
        if k % (steps // points) == 0:
            found.append((round(x, 1), round(y, 1)))
        turn = math.radians(heading + swing * math.sin(2 * math.pi * k / 40 + 0.35 * math.sin(2 * math.pi * k / 130)))
        step = wave / 40 * (1.0 + 0.25 * math.sin(k / 29.0))
        x, y = x + step * math.sin(turn), y + step * math.cos(turn)
    return tuple(found)


def river_plain(maker):
    """Meanders on a broad floor between low terraces, with woods along the water and fields beyond."""
    m = maker(Site("Lower Anwe", 5000, 5000), seed=8)
    line = tuple(p for p in _meanders((-150, 700), 50, 2450, 82, 5, 60) if 0 <= p[0] <= 4900)
    old = _meanders((-150, 1500), 55, 1500, 74, 2, 20)[4:16]
    hills = m.add(
        "fractal_noise", "Low hills", {"feature_size": 2200, "relief": 110, "octaves": 6, "gain": 0.4, "seed": 5}
    )
    floor = m.add(
        "valley",
        "River's floor",
        {
            "line": ((-200, 800), (1300, 1750), (2700, 2700), (4000, 3450), (5200, 4350)),
            "floor_width": 1700,
            "side_width": 700,
            "depth": 60,
            "trough": 0.2,
            "fall": 1,
            "irregularity": 0.5,
            "seed": 3,
        },
        height=hills,
    )
    level = m.add("smooth", "Laid down by floods", {"radius": 60}, height=floor)
    steps = m.add(
        "terrace",
        "River terraces",
        {
            "riser_height": 9,
            "sharpness": 0.75,
            "irregularity": 0.35,
            "where": "Height",
            "where_low": -200,
            "where_high": 55,
            "where_falloff": 20,
        },
        height=level,
    )
    loop = m.add(
        "stream_channels",
        "Cut-off loop",
        {"line": old, "width": 60, "deep": 4, "bank": 24, "filled": 0.75, "stands": False},
        height=steps,
    )
    river = m.add(
        "stream_channels",
        "River",
        {"line": line, "width": 95, "deep": 6, "bank": 26, "filled": 0.7, "stands": False},
        height=loop,
    )
    wood = m.add("mask_edge", "Near the water", {"way": "Grow", "distance": 130}, first=(river, "channel"))
    patches = m.add(
        "patches", "Stands of trees", {"look": "Patches", "size": 190, "cover": 0.5, "softness": 0.2, "seed": 6}
    )
    grove = m.add("mask_mix", "Gallery wood", {"way": "Multiply"}, first=wood, second=patches)
    dry = m.add("mask_mix", "Wood beside the water", {"way": "Subtract"}, first=grove, second=(river, "channel"))
    bars = m.add("mask_edge", "Banks of sand", {"way": "Grow", "distance": 26}, first=(river, "channel"))
    gentle = m.add("slope_band", "Gentle ground", {"low": 0, "high": 3, "falloff": 2}, height=river)
    cells = m.add(
        "cell_noise", "Parcels", {"what": "Cell value", "size": 210, "jitter": 0.75, "metric": "Manhattan", "seed": 4}
    )
    crop = m.add("height_as_mask", "Which crop", {}, height=cells)
    crops = m.add(
        "colour_ramp",
        "Crops",
        {"ramp": steps_of("67763c 7d8446 948f52 5b7336 8f8650 74803f a09a60 566e34 868048 647839")},
        driver=crop,
    )
    tone = _tone(m, river, size=60, noise_size=50)
    ground = cover(
        m, "Ground cover",
        [
            layer("Meadow", "46592a 587034 6c8441 84984f", grain=0.35),
            layer("Fields", mask=gentle, colour=crops, amount=0.7, broken=0.3, patch=70, thins=1.0, steep=6),
            layer("Wet meadow", "3c5527 4a672f 5b7a39 6f8c46", mask=wood, amount=0.9, broken=0.5, patch=90, grain=0.4),
            layer("Woods on the slopes", "22341c 2d4324 39522d", lies=AT_SLOPE, from_slope=6, slope_fade=3, amount=0.85, broken=0.8, patch=140, grain=0.6),
            layer("Gallery wood", "1e321a 294022 354f2b", mask=dry, amount=0.9, broken=0.5, patch=40, grain=0.6),
            layer("Sand", "b7a67c c9ba92 dacda9", mask=bars, amount=0.75, broken=0.75, patch=60, grain=0.3),
        ],
        river, tone, grain_size=30, over=24, seed=7,
    )  # fmt: skip
    water = m.add(
        "water_colour",
        "Old water",
        {"ramp": stops_of("5d6a3f 48583a 344632 263629"), "clear": 0.3, "wet": 0.3, "foam": 0.0},
        under=ground,
        water=(loop, "channel"),
        depth=(loop, "depth"),
    )
    m.add(
        "water_colour",
        "River water",
        {"ramp": stops_of("8a8a66 6c7d66 4d6a63 35525a"), "clear": 0.25, "wet": 0.35, "foam": 0.0},
        under=water,
        water=(river, "channel"),
        depth=(river, "depth"),
    )
    m.add(
        "things",
        "Trees of the gallery wood",
        {"thing": "Broadleaved tree", "density": 110, "least": 5, "smallest": 0.6, "largest": 1.2},
        where=dry,
    )
    m.publish("River", "Water", "Where it runs: its points can be moved.", (river, "line"))
    m.publish("Width of the river", "Water", "From bank to bank.", (river, "width"), low=30, high=180)
    m.publish("Cut-off loop", "Water", "How wide the old channel is.", (loop, "width"), low=0.1, high=110)
    m.publish(
        "Width of the floor", "Form", "How wide the river's plain is.", (floor, "floor_width"), low=700, high=2600
    )
    m.publish("Height of the hills", "Form", "On both sides of the plain.", (hills, "relief"), low=40, high=280)
    m.publish("Depth of the plain", "Form", "How far it lies below the hills.", (floor, "depth"), low=20, high=140)
    m.publish(
        "Terraces", "Form", "Height of a step of the river's old floors.", (steps, "riser_height"), low=3, high=24
    )
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
        "The plain is a broad valley; the river is a drawn line on it. Its bends swing to both sides by a sine of the way that the water has gone.",
        river,
    )
    m.note("What is near the water comes from one mask, grown: wet meadow, wood, sand.", wood)
    return finished(
        m,
        (
            ("Far", 0.1, -0.15, 900, 25, -22),
            ("Over a bend", 0.3, 0.3, 120, 40, -10),
            ("On the bank", 0.45, 0.4, 2, 30, 2),
        ),
        ("Wood", dry, "mask"),
        ("Fields", gentle, "mask"),
    )


RECIPES = {
    "tableland": tableland,
    "old-volcano": old_volcano,
    "canyon": canyon,
    "dune-field": dune_field,
    "badlands": badlands,
    "moor": moor,
    "river-plain": river_plain,
    "valley-head": valley_head,
}
