"""Example recipes of colours: six jobs from what made the land to what lies on it. Written by make_examples.py."""
# ruff: noqa: E501

from covers import AT_SLOPE, cover, layer
from mask_examples import deliver

from gelande.core.recipe.node import SHARE
from gelande.core.recipe.ramps import find, stops_of
from gelande.core.recipe.site import Site


def base_tone(Maker):
    """A base tone from flow, slope and height; another ramp where water flows; rock where it is steep; snow last."""
    m = Maker(Site("Ossenfell", 4096, 4096))
    fells = m.add("ridge_noise", "Fells", {"feature_size": 1500, "relief": 620, "seed": 14})
    rain = m.add("rain_erosion", "Rain", {"strength": 0.35, "gully_spacing": 80}, height=fells)
    snow = m.add("snow", "Snow", {"snow_line": 380, "transition": 160}, height=rain)
    flow = m.add("flow", "Streams", {"first": 80, "full": 700, "softness": 10}, height=rain)
    tone = m.add(
        "ground_tone", "Base tone",
        {"height_weight": 0.5, "slope_weight": 0.45, "bulge_weight": 0.25, "open_weight": 0.15, "flow_weight": -0.6, "noise_weight": 0.2},
        height=rain, flow=flow,
    )  # fmt: skip
    made = cover(
        m, "Ground cover",
        [
            layer("Base", "3a4226 58592f 7a723f 97895a b5a67c", grain=0.3),
            layer("Where water flows", "1f2a1c 2f3d26 435030 5a6240", mask=flow, amount=0.9, broken=0.5, patch=30),
            layer("Rock", "4d4c4a 67655f 838077 a19d92", lies=AT_SLOPE, from_slope=40, slope_fade=10, broken=0.6, patch=34),
            layer("Snow", "b9c4d0 d3dce4 e6ecf0 f6f8f9", mask=(snow, "snow"), broken=0.4, patch=50, thins=0.8, steep=44, grain=0.2),
        ],
        rain, tone,
    )  # fmt: skip
    spec = m.recipe.nodes[made].spec
    deliver(m, ("colour", made, "colour", "colour_png8"))
    for port in spec.outputs:
        if port.role == SHARE:
            deliver(m, (port.label, made, port.id, "mask_png8"))
    return m


def river_snow_lake(Maker):
    """River, then snow, then lake: the river runs out from under the snow, the lake covers both."""
    m = Maker(Site("Tarrowmere", 4096, 4096))
    hills = m.add("fractal_noise", "Hills", {"feature_size": 1800, "relief": 560, "gain": 0.44, "seed": 26})
    rain = m.add("rain_erosion", "Rain", {"strength": 0.3, "gully_spacing": 90}, height=hills)
    basin = m.add("brushed_height", "Basin", {"strokes": (
        (700, -46, 0.1, ((900, 2700), (1250, 2500))), (380, -26, 0.2, ((1500, 2250), (1700, 2300))),
        (420, -24, 0.1, ((700, 3050), (820, 2900))),
    )}, height=rain)  # fmt: skip
    river = m.add(
        "stream_channels", "River", {"first": 420, "full": 2200, "width": 30, "deep": 4, "stands": False}, height=basin
    )
    snow = m.add("snow", "Snow", {"snow_line": 285, "transition": 90}, height=river)
    lake = m.add("lakes", "Lake", {"least_depth": 2, "least_width": 120}, height=river)
    ground = m.add("colour_ramp", "Ground", {"ramp": find("bent and fescue")[0].stops}, driver=river)
    running = m.add(
        "colour_ramp", "River colour", {"ramp": stops_of("4c5a50 2f4648"), "where": "mask"},
        driver=(river, "channel"), under=ground, mask=(river, "channel"),
    )  # fmt: skip
    white = m.add(
        "colour_ramp", "Snow colour", {"ramp": find("fresh snow")[0].stops, "where": "mask"},
        driver=(snow, "depth"), under=running, mask=(snow, "snow"),
    )  # fmt: skip
    soft = m.add("mask_edge", "Lake edge, blurred", {"way": "blur", "distance": 22}, first=(lake, "water"))
    drawn_in = m.add(
        "mask_levels", "Lake edge, drawn in",
        {"way": "curve", "curve": ((0.0, 0.0), (0.7, 0.0), (0.9, 0.9), (1.0, 1.0))}, first=soft,
    )  # fmt: skip
    depths = m.add("colour_ramp", "Depths", {"ramp": stops_of("6d8272 4a6c6a 2a4d58 173341")}, driver=(lake, "depth"))
    bent = m.add("warp", "Depths, warped", {"distance": 26, "size": 160, "octaves": 3}, height=depths)
    m.add("colour_mix", "Lake over all", {"where": "mask"}, under=white, over=bent, mask=drawn_in)
    return m


def two_greens(Maker):
    """Two plant covers in two greens; some rock shows through the streams' dark ground."""
    m = Maker(Site("Withen Slack", 4096, 4096))
    hills = m.add("fractal_noise", "Hills", {"feature_size": 1700, "relief": 620, "gain": 0.44, "seed": 33})
    rain = m.add("rain_erosion", "Rain", {"strength": 0.35, "gully_spacing": 85}, height=hills)
    flow = m.add("flow", "Streams", {"first": 60, "full": 420, "softness": 22}, height=rain)
    bare = m.add("patches", "Bare rock in the streams", {"cover": 0.35, "size": 60, "greys": 0.2}, first=flow)
    wood = m.add(
        "plant_cover",
        "Oak wood",
        {"high": 260, "plants": 300, "crown": 8, "clump": 240, "clumping": 0.95, "seed": 3},
        height=rain,
    )
    scrub = m.add(
        "plant_cover", "Juniper", {"low": 240, "high": 2000, "plants": 900, "crown": 3.5, "clump": 60, "slope_high": 36, "seed": 8},
        height=rain, crowd=wood,
    )  # fmt: skip
    cover(
        m, "Ground cover",
        [
            layer("Grass", "5a5b31 73703f 8b8552 a49b68", along="grain", grain=0.7),
            layer("Dark ground", "1f1a15 2e2720 40372b 544a3a", mask=flow, along="grain", grain=0.6, amount=0.92, broken=0.4, patch=30),
            layer("Rock", "5c5a55 77746c 928e83", mask=bare, along="grain", grain=0.8, broken=0.6, patch=20),
            layer("Juniper", "3b4a34 4f5f45 667558", mask=scrub, along="grain", grain=0.8, broken=0.5, patch=18),
            layer("Oak wood", "2c3a22 3c4c2d 50603b 66754d", mask=wood, along="grain", grain=0.8, broken=0.5, patch=24),
        ],
        rain, grain_size=24,
    )  # fmt: skip
    return m


def cliff_and_tide(Maker):
    """A cliff's colour from a part of a ramp over slope turned round; a tide line of weed; water from its depth."""
    m = Maker(Site("Hob Ness", 3072, 2064, sea_level=0))
    land = m.add(
        "plateau", "Headland", {"relief": 150, "radius": 900, "irregularity": 0.8, "east": 0.62, "north": 0.55}
    )
    sunk = m.add("levels", "Sunk", {"in_low": 0, "in_high": 150, "out_low": -40, "out_high": 96}, height=land)
    rough = m.add("surface_noise", "Surface noise", {"depth": 18, "size": 220, "octaves": 6}, height=sunk)
    rain = m.add("rain_erosion", "Rain", {"strength": 0.22, "gully_spacing": 60}, height=rough)
    sea = m.add("sea", "Sea", {"level": 0, "cliff": 22, "beach": 3, "white_depth": 30}, height=rain)
    steep = m.add("slope_band", "Slope, turned round", {"low": 45, "falloff": 40, "invert": True}, height=sea)
    cliff = m.add(
        "colour_ramp",
        "Cliff",
        {"ramp": find("rusted slabs")[0].stops, "part_low": 0.25, "part_high": 0.9},
        driver=steep,
    )
    turf = m.add(
        "colour_ramp", "Turf", {"ramp": find("sheep pasture")[0].stops, "part_low": 0.1, "part_high": 0.75, "where": "slope", "where_slope_low": 0, "where_slope_high": 24,
        "where_slope_falloff": 8}, driver=sea, under=cliff,
    )  # fmt: skip
    sand = m.add(
        "colour_ramp",
        "Sand",
        {"ramp": find("shell beach")[0].stops, "where": "mask"},
        driver=sea,
        under=turf,
        mask=(sea, "shore"),
    )
    line = m.add("height_band", "Tide line", {"low": -2.5, "high": 0.8, "falloff": 1.6}, height=sea)
    ragged = m.add("mask_edge", "Tide line, broken", {"way": "break", "distance": 14, "size": 40}, first=line)
    weed = m.add(
        "plain_colour", "Weed", {"tone": (0.23, 0.21, 0.11), "where": "mask", "amount": 0.85}, under=sand, mask=ragged
    )
    m.add(
        "water_colour",
        "Water",
        {"clear": 0.6, "foam": 0.25},
        under=weed,
        water=(sea, "water"),
        depth=(sea, "depth"),
        shore=(sea, "shore"),
    )
    return m


def plain_colours(Maker):
    """Snow over rock, dust on the slopes of the snow; a plain colour is changed to grass in two clicks."""
    m = Maker(Site("Skelder Top", 4096, 4096))
    fells = m.add("ridge_noise", "Fells", {"feature_size": 1700, "relief": 700, "seed": 9})
    rain = m.add("rain_erosion", "Rain", {"strength": 0.3}, height=fells)
    snow = m.add("snow", "Snowfall", {"snow_line": 260, "transition": 200}, height=rain)
    rock = m.add("plain_colour", "Rock", {"tone": (0.44, 0.42, 0.40)})
    white = m.add(
        "plain_colour", "Snow", {"tone": (0.93, 0.94, 0.96), "where": "mask"}, under=rock, mask=(snow, "snow")
    )
    slopes = m.add("slope_band", "Slopes", {"low": 22, "high": 90, "falloff": 10}, height=snow)
    dusty = m.add("mask_mix", "Slopes of the snow", {"way": "multiply"}, first=(snow, "snow"), second=slopes)
    broken = m.add("patches", "Dust in patches", {"cover": 0.55, "size": 60, "greys": 0.7}, first=dusty)
    m.add(
        "plain_colour", "Dust", {"tone": (0.62, 0.55, 0.44), "where": "mask", "amount": 0.6}, under=white, mask=broken
    )
    return m


def hard_light(Maker):
    """Contrast by a curve, then saturation taken back; hard light without air."""
    m = Maker(Site("Korrast", 4096, 4096))
    ground = m.add("fractal_noise", "Ground", {"feature_size": 1500, "relief": 420, "gain": 0.48, "seed": 41})
    rain = m.add("rain_erosion", "Old rain", {"strength": 0.4, "gully_spacing": 70}, height=ground)
    tone = m.add("ground_tone", "Tone", {}, height=rain, cut=(rain, "cut"), fill=(rain, "fill"))
    ramp = m.add("colour_ramp", "Dust and rock", {"ramp": find("rose sand")[0].stops}, driver=tone)
    strong = m.add(
        "colour_adjust", "Contrast by a curve, saturation back",
        {"contrast": 1.0, "curve": ((0.0, 0.0), (0.28, 0.14), (0.62, 0.74), (1.0, 1.0)), "saturation_times": 0.7}, under=ramp,
    )  # fmt: skip
    m.add(
        "baked_light", "Hard light", {"sun": 1.6, "sky": 0.08, "elevation": 22, "haze": 0.0}, height=rain, under=strong
    )
    return m


RECIPES = {
    "ossenfell": base_tone,
    "tarrowmere": river_snow_lake,
    "withen-slack": two_greens,
    "hob-ness": cliff_and_tide,
    "skelder-top": plain_colours,
    "korrast": hard_light,
}
