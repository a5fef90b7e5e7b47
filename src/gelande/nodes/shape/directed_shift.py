"""Directed shift: moves ground sideways by another height or mask."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import Footprint
from gelande.core.recipe.node import Port, any_in, any_out, node
from gelande.core.recipe.raster import HEIGHT
from gelande.kernels.grid_window import place


@node(
    "directed_shift",
    "Directed shift",
    "Shape",
    "Moves land, a mask or a colour in one direction, farther where another height or mask is greater.",
    reshapes="It shifts the land sideways.",
    inputs=(any_in(), Port("by", "Moved by", "any")),
    outputs=(any_out(),),
    params=(
        P.metres(
            "distance",
            "Distance",
            260,
            "How far the ground moves where the other is greatest.",
            (-50_000, 50_000),
            (-1000, 1000),
            0,
            scales=True,
        ),
        P.degrees("direction", "Towards", 90, "Direction of the move, clockwise from north.", (0, 360)),
    ),
    footprint=lambda p, site: Footprint(
        looks=lambda level, window: window.grown(int(abs(p.distance) / site.spacing(level)) + 3), ranged=("by",)
    ),
    base="height",
    figure="{distance}",
    keywords=("displace", "push", "shear", "slide", "fault", "offset"),
    starting_points=(("Slight", {"distance": 80}), ("Sheared", {"distance": 700})),
)
def directed_shift(ctx: Context) -> Arrays:
    """Looks each sample up against the direction by distance times the other's value (heights over their own range)."""
    p, by = ctx.p, ctx.input("by")
    if ctx.input_kind("by") == HEIGHT:
        low, high = ctx.range("by")
        by = (by - np.float32(low)) / np.float32(max(high - low, 1e-6))
    a, reach = np.radians(p.direction), np.float32(p.distance / ctx.dx)
    rows, columns = place(ctx.window)
    y = rows + by * reach * np.float32(np.cos(a))
    x = columns - by * reach * np.float32(np.sin(a))
    return {"height": ctx.sampled("height", y, x)}
