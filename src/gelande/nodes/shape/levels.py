"""Levels: one range of heights to another."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.node import height_in, height_out, node


@node(
    "levels",
    "Levels",
    "Shape",
    "Moves one range of heights to another, with a bend between.",
    reshapes="It moves heights to another range.",
    inputs=(height_in(),),
    outputs=(height_out(),),
    params=(
        P.metres(
            "in_low", "In from", 0, "Height that becomes the lowest.", (-100_000, 100_000), (-500, 1500), 0, scales=True
        ),
        P.metres(
            "in_high",
            "In to",
            500,
            "Height that becomes the highest.",
            (-100_000, 100_000),
            (-500, 2000),
            0,
            scales=True,
        ),
        P.metres(
            "out_low", "Out from", 0, "Lowest height afterwards.", (-100_000, 100_000), (-500, 1500), 0, scales=True
        ),
        P.metres(
            "out_high", "Out to", 700, "Highest height afterwards.", (-100_000, 100_000), (-500, 2000), 0, scales=True
        ),
        P.number("bend", "Bend", 1.3, "Below 1 lifts the middle, above 1 lowers it.", (0.1, 10), (0.3, 3), 2),
        P.toggle(
            "hold", "Hold at the ends", False, "Heights beyond the range are held at its ends; else they go on evenly."
        ),
    ),
    base="height",
    limits=("in_low", "in_high"),
    figure="{out_low} to {out_high}",
    keywords=(
        "remap",
        "range",
        "gamma",
        "scale",
        "exaggerate",
        "invert",
        "threshold",
        "bias",
        "normalise",
        "brightness",
    ),
    starting_points=(("Broad floors", {"bend": 2.2}), ("High plateaux", {"bend": 0.5})),
)
def levels(ctx: Context) -> Arrays:
    """out = low + t^bend · span with t the place in the input range; beyond it the end's slope of a straight line."""
    p, h = ctx.p, ctx.input("height")
    span = p.in_high - p.in_low
    span = span if abs(span) > 1e-3 else 1e-3
    t = (h - np.float32(p.in_low)) / np.float32(span)
    inside = np.clip(t, 0, 1)
    out = inside ** np.float32(p.bend)
    if not p.hold:
        out = out + (t - inside)
    return {"height": np.float32(p.out_low) + out * np.float32(p.out_high - p.out_low)}
