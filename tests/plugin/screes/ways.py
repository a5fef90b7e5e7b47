"""Hollow way: a path that carts have cut into soft ground along a drawn line."""

import numpy as np

from gelande.core.recipe import param as P
from gelande.core.recipe.node import height_in, height_out, mask_out, node
from gelande.kernels.shapes import curve_through, smoothstep, to_line


@node(
    "screes.hollow_way",
    "Hollow way",
    "Soil",
    "Cuts a path into the ground along a drawn line.",
    inputs=(height_in(),),
    outputs=(height_out(), mask_out("way", "Way")),
    params=(
        P.line("line", "Line", "Where the path runs; nothing is cut when none is drawn."),
        P.metres("width", "Width", 6, "Of its floor.", (0.1, 2000), (1, 30), 1, scales=True),
        P.metres("deep", "Depth", 3, "Of its floor below the ground.", (0, 1000), (0, 10), 1, scales=True),
    ),
    base="height",
    unfinished=lambda p: "" if len(p["line"]) > 1 else "draw a line",
    figure="{width}",
    keywords=("path", "sunken lane", "track"),
)
def hollow_way(ctx):
    """A path's floor with sides that rise over its width."""
    p, h = ctx.p, ctx.input("height")
    if len(p.line) < 2:
        return {"height": h, "way": np.zeros_like(h)}
    away, _ = to_line(curve_through(p.line), ctx.window, ctx.site.depth, ctx.dx, ctx.stop)
    way = smoothstep(np.float32(1.5) - away / np.float32(p.width))
    return {"height": h - np.float32(p.deep) * way, "way": way}
