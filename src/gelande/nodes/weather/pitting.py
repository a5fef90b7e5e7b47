"""Pitting: small hollows that weathering leaves in rock."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import Footprint
from gelande.core.recipe.node import height_in, height_out, mask_out, node
from gelande.kernels.boulders import boulders
from gelande.kernels.measure import slope_degrees
from gelande.kernels.shapes import smoothstep
from gelande.nodes.shared import banded


@node(
    "pitting",
    "Pitting",
    "Weather",
    "Eats small rounded hollows into bare rock, on all ground or on steep faces.",
    inputs=(height_in(),),
    outputs=(height_out(), mask_out("pits", "Pits")),
    params=(
        P.metres("size", "Size", 75, "Width of the largest hollows.", (0.05, 2000), (2, 160), 1, log=True, scales=True),
        P.metres("deep", "Depth", 7, "Depth of the largest hollows.", (0, 500), (0, 25), 1, scales=True),
        P.fraction("cover", "Cover", 0.6, "Share of the places that hold a hollow."),
        P.degrees("from_slope", "From slope", 0, "Gentler ground stays whole."),
        P.fraction("rough", "Roughness", 0.7, "How uneven the outlines are."),
        P.seed(),
    ),
    footprint=lambda p, site: Footprint(halo=site.slope_baseline / 2 if p.from_slope > 0 else 0.0),
    base="height",
    figure="{size}",
    keywords=("weathering", "hollow", "honeycomb", "tafoni", "detail", "pockmark", "erode"),
    starting_points=(
        ("Honeycomb faces", {"from_slope": 35, "size": 24, "cover": 0.9}),
        ("Solution hollows", {"size": 90, "deep": 3, "cover": 0.4}),
    ),
)
def pitting(ctx: Context) -> Arrays:
    """Hollows on a jittered lattice in two sizes, each a bowl with a wavy outline; fewer large than small. Hollows
    narrower than two samples are left out, as fine noise is."""
    p, h = ctx.p, ctx.input("height")
    made = []
    for k, fraction in enumerate((1.0, 0.6)):
        size = p.size * fraction
        made.append(
            boulders(
                ctx.window,
                ctx.site.depth,
                ctx.dx,
                1.1 * size,
                0.6 * size,
                size,
                1.0,
                p.rough,
                p.cover,
                None,
                ctx.seed + 11 * k,
                ctx.stop,
            )
        )
        ctx.check()
    slope = (
        slope_degrees(h, ctx.dx, ctx.site.slope_baseline, ctx.stop, ctx.window)
        if p.from_slope > 0
        else np.full((1, 1), 90, np.float32)
    )

    def eat(a, b, slope):
        steep = smoothstep((slope - np.float32(p.from_slope - 5)) / np.float32(10))
        return np.float32(p.deep) * np.maximum(a / np.float32(0.5 * p.size), b / np.float32(0.5 * p.size)) * steep

    pits = banded(ctx, eat, *made, slope)
    return {
        "height": h - pits,
        "pits": banded(ctx, lambda d: np.clip(d / np.float32(max(0.5 * p.deep, 1e-3)), 0, 1), pits),
    }
