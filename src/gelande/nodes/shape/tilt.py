"""Tilt: leans the whole land."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.node import height_in, height_out, node
from gelande.kernels.shapes import grid, turned


@node(
    "tilt",
    "Tilt",
    "Shape",
    "Leans the whole land towards one direction.",
    reshapes="It tilts the land.",
    inputs=(height_in(),),
    outputs=(height_out(),),
    params=(
        P.degrees("angle", "Angle", 3, "How far the land leans.", (0, 60), (0, 20), 1),
        P.degrees("direction", "Falls towards", 180, "Direction of the fall, clockwise from north.", (0, 360)),
    ),
    base="height",
    figure="{angle}",
    keywords=("slope", "lean", "plane", "dip"),
    starting_points=(("Gentle", {"angle": 1.5}), ("Steep", {"angle": 10})),
)
def tilt(ctx: Context) -> Arrays:
    """Adds a plane through the middle of the site."""
    x, y = grid(ctx.window, ctx.site.width, ctx.site.depth)
    along, _ = turned(x, y, ctx.p.direction)
    return {"height": ctx.input("height") - along * np.float32(np.tan(np.radians(ctx.p.angle)))}
