"""Widen and narrow: spreads high or low parts."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import Footprint
from gelande.core.recipe.node import height_in, height_out, node
from gelande.kernels.morphology import grow
from gelande.nodes.shared import filtered


@node(
    "widen",
    "Widen and narrow",
    "Shape",
    "Widens tops or floors by a distance, and narrows what lies between.",
    reshapes="It makes high or low ground wider.",
    inputs=(height_in(),),
    outputs=(height_out(),),
    params=(
        P.choice("part", "Widen", "high_parts", ("high_parts", "low_parts"), "Tops and ridges, or floors and valleys."),
        P.metres("distance", "Distance", 60, "How far they are widened.", (0, 5000), (0, 300), 0, scales=True),
    ),
    footprint=lambda p, site: Footprint(
        asks=lambda level: () if p.distance > 0 else ("height",), low_passed={"height": p.distance}, ranged=("height",)
    ),
    base="height",
    figure="{distance}",
    keywords=("dilate", "erode", "expand", "morphology", "thicken", "grow", "shrink"),
    starting_points=(("Broad tops", {}), ("Broad valleys", {"part": "low_parts"})),
)
def widen(ctx: Context) -> Arrays:
    """Grey dilation or erosion by a disc (Serra 1982), done on the level where the disc is a few samples wide."""
    p = ctx.p
    if p.distance <= 0:
        return {"height": ctx.input("height")}
    low, high = ctx.range("height")
    span = np.float32(max(high - low, 1e-3) * 2)
    sign, base = (
        (np.float32(1), np.float32(low) - span / 4)
        if p.part == "high_parts"
        else (np.float32(-1), np.float32(high) + span / 4)
    )

    def run(a, radius):
        return grow(sign * (a - base) / span, radius, ctx.stop) * span * sign + base

    return {"height": filtered(ctx, "height", p.distance, run)}
