"""Smooth: takes detail away."""

from gelande.core import param as P
from gelande.core.node import height_in, height_out, node
from gelande.core.site import COARSEST
from gelande.kernels.coarse import filtered
from gelande.kernels.measure import gaussian


@node("smooth", "Smooth", "Shape", "Takes away everything smaller than a radius.",
      inputs=(height_in(),), outputs=(height_out(),),
      params=(P.metres("radius", "Radius", 40, "Size of what is smoothed away.", (0, 20_000), (0, 300), 0, log=False, scales=True),),
      base="height", figure="{radius}", keywords=("blur", "soften", "gaussian", "low-pass"),
      starts=(("Slight", {"radius": 15}), ("Broad forms only", {"radius": 250})))
def smooth(ctx):
    """Gaussian filter with a standard deviation of half the radius, done on the level where it is a few samples wide."""
    sigma = ctx.p.radius / 2
    if sigma <= 0:
        return {"height": ctx.input("height")}
    return {"height": filtered(ctx.level, COARSEST, ctx.site.spacing, sigma, lambda k: ctx.input("height", k),
                               lambda a, s: gaussian(a, s, ctx.stop), True, ctx.stop)}
