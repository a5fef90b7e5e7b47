"""Warp: bends what comes in by noise."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import Footprint
from gelande.core.recipe.node import any_in, any_out, node
from gelande.kernels import noise
from gelande.kernels.grid_window import place


@node(
    "warp",
    "Warp",
    "Shape",
    "Bends land, a mask or a colour sideways by noise, which breaks regular shapes.",
    reshapes="It bends the land sideways.",
    inputs=(any_in(),),
    outputs=(any_out(),),
    params=(
        P.metres(
            "distance", "Distance", 160, "How far the land is moved at most.", (0, 50_000), (0, 800), 0, scales=True
        ),
        P.metres(
            "size", "Bend size", 900, "Size of the largest bends.", (1, 200_000), (50, 4000), 0, log=True, scales=True
        ),
        P.count("octaves", "Octaves", 4, "How many finer bends are added.", (1, 12), (1, 8)),
        P.fraction(
            "gain", "Gain", 0.45, "Strength of each octave as a share of the one before.", (0.0, 0.9), (0.2, 0.7)
        ),
        P.seed(),
    ),
    footprint=lambda p, site: Footprint(
        looks=lambda level, window: window.grown(int(1.2 * p.distance / site.spacing(level)) + 3)
    ),
    base="height",
    figure="{distance} · {size}",
    keywords=("distort", "displace", "domain", "bend", "swirl", "twist", "turbulence"),
    starting_points=(("Slight", {"distance": 60}), ("Swirling", {"distance": 420, "size": 1500})),
)
def warp(ctx: Context) -> Arrays:
    """Domain warping: each sample is looked up at a place moved by two independent octave sums (Catmull-Rom between
    samples)."""
    p, places = ctx.p, []
    for axis, seed in zip(place(ctx.window), (ctx.seed + 11, ctx.seed + 5417)):
        n = noise.fractal(
            ctx.window, (0.0, ctx.site.depth), ctx.dx, p.size, p.octaves, 2.0, p.gain, seed, stop=ctx.stop
        )
        ctx.check()
        places.append(axis + n * np.float32(p.distance / ctx.dx))
    return {"height": ctx.sampled("height", *places)}
