"""Drape: lays one height's detail over another."""

import numpy as np

from gelande.core import param as P
from gelande.core.node import height_in, height_out, node
from gelande.kernels.transfer import sample

from .sharpen import blurred


@node("drape", "Drape", "Shape", "Lays the detail of one height over another, along its surface.",
      inputs=(height_in("height", "Ground"), height_in("detail", "Detail")), outputs=(height_out(),),
      params=(
          P.metres("radius", "Detail up to", 300, "Forms of the detail up to this size are laid over; 0 takes all of it.", (0, 50_000), (0, 1500), 0, scales=True),
          P.number("strength", "Strength", 1.0, "Height of the detail as a factor.", (-10, 10), (0, 3), 2),
          P.share("along", "Out of the slope", 0.7, "From straight up to along the surface normal."),
      ),
      base="height", figure="{radius}", keywords=("overlay", "project", "detail", "displace", "transfer"),
      starts=(("All of it", {"radius": 0}), ("Fine detail", {"radius": 80})))
def drape(ctx):
    """h(x - n·d) + n_z·d with d the high-passed detail and n the ground's smoothed normal (displacement along the normal)."""
    p, h = ctx.p, ctx.input("height")
    detail = ctx.input("detail")
    low, high = ctx.range("detail")
    d = (detail - blurred(ctx, "detail", p.radius)) if p.radius > 0 else detail - np.float32((low + high) / 2)
    d = d * np.float32(p.strength)
    if p.along <= 0:
        return {"height": h + d}
    base = blurred(ctx, "height", ctx.site.long_side / 64)
    gy, gx = np.gradient(base, ctx.dx)
    up = 1 / np.sqrt(1 + (gx * gx + gy * gy) * np.float32(p.along ** 2))
    rows, columns = ctx.shape
    move = d * up * np.float32(p.along / ctx.dx)
    y = np.arange(rows, dtype=np.float32)[:, None] + gy * move
    x = np.arange(columns, dtype=np.float32)[None] + gx * move
    return {"height": sample(h, y, x, ctx.stop) + up * d}
