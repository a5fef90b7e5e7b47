"""Repeat: tiles the land without seams."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import Footprint
from gelande.core.recipe.node import any_in, any_out, node
from gelande.core.recipe.raster import COLOUR
from gelande.kernels.grid_window import GridWindow
from gelande.kernels.shapes import smoothstep


@node(
    "repeat",
    "Repeat",
    "Shape",
    "Repeats land, a mask or a colour in tiles whose seams are blended.",
    reshapes="It repeats a part of the land.",
    inputs=(any_in(),),
    outputs=(any_out(),),
    params=(
        P.count("east", "Tiles east", 2, "How many tiles from west to east.", (1, 32), (1, 8)),
        P.count("north", "Tiles north", 2, "How many tiles from south to north.", (1, 32), (1, 8)),
        P.fraction("seam", "Seam width", 0.2, "Width of the blended seam as a share of a tile.", (0.0, 0.5)),
        P.toggle(
            "shrink", "Shrink to fit", False, "Each tile shows the whole land, made smaller; else its middle part."
        ),
    ),
    footprint=Footprint(looks=lambda level, window: GridWindow.of(window.grid)),
    base="height",
    figure="{east} × {north}",
    keywords=("tile", "seamless", "pattern", "wrap"),
    starting_points=(("Four tiles", {}), ("Seamless once", {"east": 1, "north": 1})),
)
def repeat(ctx: Context) -> Arrays:
    """Within the seam a tile fades into the part that lies beyond its far edge, so that left meets right and top
    meets bottom."""
    p, f = ctx.p, ctx.window
    axes, shift = [], []
    for n, tiles, first, count in ((f.rows, p.north, f.top, f.height), (f.columns, p.east, f.left, f.width)):
        t = np.linspace(0, tiles, n, dtype=np.float64)[first : first + count]
        g = t - np.minimum(np.floor(t), tiles - 1)
        seam = max(p.seam, 1e-6)
        scale = (1 - seam) if p.shrink else (1 - seam) / tiles if tiles > 1 else (1 - seam)
        # Towards the tile's end the next tile's start takes over.
        weight = smoothstep((g - (1 - seam)) / seam).astype(np.float32)
        axes.append((g * scale * (n - 1), (g - 1) * scale * (n - 1), weight))
        shift.append((n - 1) * (0 if p.shrink or tiles == 1 else 0.5 - 0.5 / tiles))
    (y0, y1, wy), (x0, x1, wx) = axes

    def part(y, x):
        ys = np.repeat((y + shift[0]).astype(np.float32)[:, None], f.width, 1)
        return ctx.sampled("height", ys, np.repeat((x + shift[1]).astype(np.float32)[None], f.height, 0))

    bands = (1,) if ctx.input_kind("height") == COLOUR else ()
    wy, wx = wy.reshape(-1, 1, *bands), wx.reshape(1, -1, *bands)
    top = part(y0, x0) * (1 - wx) + part(y0, x1) * wx
    ctx.check()
    return {"height": top * (1 - wy) + (part(y1, x0) * (1 - wx) + part(y1, x1) * wx) * wy}
