"""Edge-keeping smooth: smooths treads and leaves cliffs."""

import numpy as np

from gelande.core import param as P
from gelande.core.node import height_in, height_out, node
from gelande.core.site import COARSEST
from gelande.kernels.measure import gaussian
from gelande.kernels.transfer import up_to
from gelande.kernels.coarse import on_level


@node("edge_smooth", "Edge-keeping smooth", "Shape", "Smooths gentle ground and leaves cliffs and edges standing.",
      inputs=(height_in(),), outputs=(height_out(),),
      params=(
          P.metres("radius", "Radius", 60, "Size of what is smoothed away.", (0, 20_000), (5, 400), 0, scales=True),
          P.metres("edge", "Keep edges over", 12, "Height differences well above this are kept.", (0.01, 5000), (1, 120), 1, log=True, scales=True),
      ),
      base="height", figure="{radius} · {edge}", keywords=("bilateral", "guided", "denoise", "blur"),
      starts=(("Worn treads", {"edge": 6}), ("Strong", {"radius": 160, "edge": 30})))
def edge_smooth(ctx):
    """Guided filter with itself as guide (He, Sun and Tang 2013): out = a·h + b with a = var / (var + edge²), Gaussian windows."""
    p, h = ctx.p, ctx.input("height")
    if p.radius <= 0:
        return {"height": h}
    at = on_level(ctx.level, COARSEST, ctx.site.spacing, p.radius / 2)
    g = ctx.input("height", at).astype(np.float32)
    sigma = p.radius / 2 / ctx.site.spacing(at)
    middle = np.float32(g.mean())
    g = g - middle
    mean = gaussian(g, sigma, ctx.stop)
    var = np.maximum(gaussian(g * g, sigma, ctx.stop) - mean * mean, 0)
    ctx.check()
    a = var / (var + np.float32(p.edge ** 2))
    b = mean - a * mean
    a, b = gaussian(a, sigma, ctx.stop), gaussian(b, sigma, ctx.stop)
    steps = ctx.level - at
    return {"height": up_to(a, steps) * (h - middle) + up_to(b, steps) + middle}
