"""Colour ramp: colours driven by a height or a mask."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import Footprint
from gelande.core.recipe.node import Port, colour_in, colour_out, node
from gelande.core.recipe.raster import HEIGHT
from gelande.kernels.curves import coloured, ramp_table, to_linear, to_srgb
from gelande.kernels.oklab import adjusted

HILL = (
    (0.0, 0.36, 0.41, 0.22),
    (0.3, 0.50, 0.49, 0.28),
    (0.58, 0.53, 0.44, 0.29),
    (0.8, 0.60, 0.56, 0.47),
    (1.0, 0.78, 0.76, 0.71),
)


@node(
    "colour_ramp",
    "Colour ramp",
    "Colour",
    "Gives each height, or each grey of a mask, a colour of a ramp.",
    inputs=(
        Port("driver", "Height or mask", "any"),
        colour_in("under", "Under", True, "Colour that shows where the ramp is restricted."),
    ),
    outputs=(colour_out(),),
    params=(
        P.ramp("ramp", "Ramp", HILL, "Colours from the lowest (or black) to the highest (or white)."),
        P.choice(
            "range",
            "Runs over",
            "whole_range",
            ("whole_range", "given_heights"),
            "The heights that the ramp's two ends stand for.",
        ),
        P.metres(
            "low",
            "Left end",
            0,
            "Height at the left end of the ramp.",
            (-100_000, 100_000),
            (-200, 1500),
            0,
            shown_when=("range", ("given_heights",)),
            scales=True,
        ),
        P.metres(
            "high",
            "Right end",
            600,
            "Height at the right end of the ramp.",
            (-100_000, 100_000),
            (-200, 1500),
            0,
            shown_when=("range", ("given_heights",)),
            scales=True,
        ),
        P.fraction("part_low", "Part from", 0.0, "Where the part of the ramp that is taken begins."),
        P.fraction("part_high", "Part to", 1.0, "Where it ends; below its beginning the part runs the other way."),
        P.fraction("vary", "Vary", 0.0, "How far the seed moves hue, lightness and saturation of the ramp's colours."),
        P.seed(),
    ),
    footprint=lambda p, site: Footprint(ranged=("driver",) if p.range == "whole_range" else ()),
    base="under",
    figure="{ramp}",
    keywords=("gradient", "palette", "hypsometric", "tint", "texture"),
    starting_points=(
        ("Hill grass", {"ramp": HILL}),
        ("Peat and heather", {"ramp": ((0.0, 0.20, 0.16, 0.12), (0.5, 0.38, 0.29, 0.25), (1.0, 0.50, 0.40, 0.42))}),
        ("Grey limestone", {"ramp": ((0.0, 0.42, 0.41, 0.38), (0.6, 0.66, 0.65, 0.61), (1.0, 0.83, 0.82, 0.78))}),
    ),
)
def colour_ramp(ctx: Context) -> Arrays:
    """A table of 2048 colours, mixed in sRGB between stops, looked up by height or grey and returned as linear RGB. The
    seed moves its stops in OKLab (Ottosson 2020)."""
    p, data = ctx.p, ctx.input("driver")
    low, high = 0.0, 1.0
    if ctx.input_kind("driver") == HEIGHT:
        low, high = ctx.range("driver") if p.range == "whole_range" else (p.low, p.high)
    lut = ramp_table(varied(p.ramp, p.vary, ctx.seed) if p.vary > 0 else p.ramp)
    if (p.part_low, p.part_high) != (0.0, 1.0):
        at = np.linspace(p.part_low, p.part_high, len(lut)) * (len(lut) - 1)
        lut = lut[np.round(at).astype(int)]
    return {"colour": coloured(data, lut, low, high, ctx.stop)}


def varied(stops, amount: float, seed: int):
    """Stops whose hue, lightness and saturation differ: all of them together, and each a little by itself."""
    draw = np.random.default_rng(seed)
    turn, lighter, fuller = draw.uniform(-1, 1, 3) * amount
    found = []
    for x, *tone in stops:
        own = draw.uniform(-1, 1, 3) * amount * 0.4
        colour = to_linear(np.array([[tone]], np.float32))
        made = adjusted(colour, 50.0 * (turn + own[0]), 1 + 0.6 * (fuller + own[2]), 0.14 * (lighter + own[1]))
        found.append((x, *(float(v) for v in to_srgb(made)[0, 0])))
    return tuple(found)
