"""Edge-keeping smooth: smooths treads and leaves cliffs."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import Footprint
from gelande.core.recipe.node import height_in, height_out, node
from gelande.kernels.measure import gaussian
from gelande.nodes.shared import filtered


@node(
    "edge_smooth",
    "Edge-keeping smooth",
    "Shape",
    "Smooths gentle ground and leaves cliffs and edges standing.",
    inputs=(height_in(),),
    outputs=(height_out(),),
    params=(
        P.metres("radius", "Radius", 60, "Size of what is smoothed away.", (0, 20_000), (5, 400), 0, scales=True),
        P.metres(
            "edge",
            "Keep edges over",
            12,
            "Height differences well above this are kept.",
            (0.01, 5000),
            (1, 120),
            1,
            log=True,
            scales=True,
        ),
    ),
    version=2,
    footprint=lambda p, site: Footprint(low_passed={"height": p.radius / 2}, ranged=("height",)),
    base="height",
    figure="{radius} · {edge}",
    keywords=("bilateral", "guided", "denoise", "blur", "median", "flatten"),
    starting_points=(("Worn treads", {"edge": 6}), ("Strong", {"radius": 160, "edge": 30})),
)
def edge_smooth(ctx: Context) -> Arrays:
    """Guided filter with itself as guide (He, Sun and Tang 2013): out = a·h + b with a = var / (var + edge²),
    Gaussian windows."""
    p, h = ctx.p, ctx.input("height")
    if p.radius <= 0:
        return {"height": h}
    low, high = ctx.range("height")
    middle = np.float32((low + high) / 2)  # squares of small numbers keep more digits

    def coefficients(g, sigma):
        g = g - middle
        mean = gaussian(g, sigma, ctx.stop)
        var = np.maximum(gaussian(g * g, sigma, ctx.stop) - mean * mean, 0)
        a = var / (var + np.float32(p.edge**2))
        return gaussian(a, sigma, ctx.stop), gaussian(mean - a * mean, sigma, ctx.stop)

    a, b = (filtered(ctx, "height", p.radius / 2, lambda g, s, k=k: coefficients(g, s)[k]) for k in (0, 1))
    return {"height": a * (h - middle) + b + middle}
