"""Drape: lays one height's detail over another."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import Footprint
from gelande.core.recipe.node import height_in, height_out, node
from gelande.kernels.grid_window import place
from gelande.kernels.measure import gradient
from gelande.nodes.shared import banded, blurred


@node(
    "drape",
    "Drape",
    "Shape",
    "Lays the detail of one height over another, along its surface.",
    reshapes="It puts another land on this one.",
    inputs=(height_in("height", "Ground"), height_in("detail", "Detail")),
    outputs=(height_out(),),
    params=(
        P.metres(
            "radius",
            "Detail up to",
            300,
            "Forms of the detail up to this size are laid over; 0 takes all of it.",
            (0, 50_000),
            (0, 1500),
            0,
            scales=True,
        ),
        P.number("strength", "Strength", 1.0, "Height of the detail as a factor.", (-10, 10), (0, 3), 2),
        P.fraction("along", "Out of the slope", 0.7, "From straight up to along the surface normal."),
    ),
    footprint=lambda p, site: Footprint(
        working=lambda level, asked: asked.grown(2),
        looks=lambda level, window: window.grown(int(site.long_side / 256 / site.spacing(level)) + 3),
        low_passed={"height": site.long_side / 128, **({"detail": p.radius / 2} if p.radius > 0 else {})},
        ranged=("detail",),
    ),
    base="height",
    figure="{radius}",
    keywords=("overlay", "project", "detail", "displace", "transfer"),
    starting_points=(("All of it", {"radius": 0}), ("Fine detail", {"radius": 80})),
)
def drape(ctx: Context) -> Arrays:
    """h(x - n·d) + n_z·d with d the high-passed detail and n the ground's smoothed normal (displacement along the
    normal)."""
    p, h = ctx.p, ctx.input("height")
    detail = ctx.input("detail")
    low, high = ctx.range("detail")
    rest = blurred(ctx, "detail", p.radius) if p.radius > 0 else np.full((1, 1), (low + high) / 2, np.float32)
    d = banded(ctx, lambda detail, rest: (detail - rest) * np.float32(p.strength), detail, rest)
    if p.along <= 0:
        return {"height": h + d}
    gy, gx = gradient(blurred(ctx, "height", ctx.site.long_side / 64), ctx.dx, ctx.stop)
    up = banded(ctx, lambda gy, gx: 1 / np.sqrt(1 + (gx * gx + gy * gy) * np.float32(p.along**2)), gy, gx)
    fraction = np.float32(p.along / ctx.dx)
    y, x = place(ctx.window)
    moved_y = banded(ctx, lambda y, g, d, up: y + g * (d * up * fraction), y, gy, d, up)
    moved_x = banded(ctx, lambda x, g, d, up: x + g * (d * up * fraction), x, gx, d, up)
    return {"height": banded(ctx, lambda a, up, d: a + up * d, ctx.sampled("height", moved_y, moved_x), up, d)}
