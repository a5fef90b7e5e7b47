"""A river deep in steps; its beds run through the whole site."""
# ruff: noqa: E501

from covers import AT_HEIGHT, AT_SLOPE, HEIGHT, cover, layer

from gelande.core.recipe.ramps import stops_of
from gelande.core.recipe.site import Site

from .shared import banded, finished, toned


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
            "fall": 30,
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
    # the gorge is drawn; each seed bends it another way
    bent = m.add(
        "warp", "Bent by the seed", {"distance": 780, "size": 3000, "octaves": 2, "gain": 0.35, "seed": 5}, height=side
    )
    rough = m.add("surface_noise", "Rough ground", {"depth": 14, "size": 260, "octaves": 5}, height=bent)
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
            "where": "slope",
            "where_low": 16,
            "where_high": 90,
            "where_falloff": 8,
        },
        height=rain,
    )
    scree = m.add("scree", "Rubble on the ledges", {"repose": 35, "amount_broken": 4}, height=steps, beds_from=rock)
    water = m.add(
        "stream_channels",
        "River",
        {"first": 1500, "full": 2400, "width": 60, "deep": 8, "bank": 20, "filled": 0.6, "sills": 40},
        height=scree,
    )
    tone = toned(m, water, rain, (rain, "flow"), bulge_weight=0.35, flow_weight=-0.2)
    beds = "7a3a26 8e4a30 c08a5e b77a50 6a3326 a05a3a d2a678 94543a"
    ground = cover(
        m, "Ground cover",
        [
            layer("Dry plain", "6f5b3c 84704b 9a865c b09c70", grain=0.45),
            layer("Beds", banded(beds, 2), lies=AT_SLOPE, from_slope=15, slope_fade=7, broken=0.3, patch=40, along=HEIGHT, grain=0.25),
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
        {"thing": "bush", "density": 40, "least": 4, "smallest": 0.7, "largest": 1.8, "tint": (0.8, 0.85, 0.6)},
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
            ("On the rim", 0.69, 0.333, 2, 315, -8),
        ),
        ("River", water, "channel"),
        ("Rubble", scree, "scree"),
    )
