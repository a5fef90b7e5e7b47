"""Sharp ridges round a trough with a lake on its floor; snow where it does not slide off."""
# ruff: noqa: E501

from covers import AT_HEIGHT, AT_SLOPE, cover, layer

from gelande.core.recipe.ramps import stops_of
from gelande.core.recipe.site import Site

from .shared import finished, toned


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
    body = m.add("mix", "Peaks on the mass", {"way": "percentage", "share": 0.62}, height=mass, second=peaks)
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
    dam = m.add("mix", "Moraine across the floor", {"way": "add", "unit": 1}, height=rain, second=moraine)
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
    tone = toned(m, lake, rain, flow, flow_weight=-0.2)
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
    beside = m.add("mask_mix", "Road and huts", {"way": "higher"}, first=(road, "beside"), second=(hamlet, "area"))
    open_ground = m.add("mask_mix", "Where no tree stands", {"way": "higher"}, first=beside, second=(lake, "water"))
    dry = m.add("mask_mix", "Forest by the lake", {"way": "subtract"}, first=(ground, "weight_2"), second=open_ground)
    spruces = {"thing": "conifer", "density": 190, "least": 3.5, "smallest": 0.6, "largest": 1.3}
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
    huts = m.add("mask_mix", "Where huts stand", {"way": "subtract"}, first=(hamlet, "area"), second=(road, "beside"))
    m.add("things", "Huts", {"thing": "hut", "density": 14, "least": 14, "smallest": 0.8, "largest": 1.2}, where=huts)
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
