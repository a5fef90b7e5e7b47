"""Cone: a volcano's shape, with or without a crater."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.node import height_out, node
from gelande.kernels.shapes import grid
from gelande.nodes.shared import banded, wander


@node(
    "cone",
    "Cone",
    "Landforms",
    "A cone with hollow flanks, gullied or smooth, with a crater if wanted.",
    outputs=(height_out(),),
    params=(
        P.metres("radius", "Radius", 1500, "From the middle to the foot.", (1, 500_000), (50, 4000), 0, scales=True),
        P.metres("relief", "Height", 620, "Height of the top over the foot.", (0, 60_000), (0, 2000), 0, scales=True),
        P.number(
            "hollow",
            "Hollow flanks",
            1.9,
            "1 gives straight flanks, more lets them steepen towards the top.",
            (0.3, 6),
            (0.7, 3.5),
            1,
        ),
        P.metres(
            "crater",
            "Crater width",
            260,
            "Width of the crater; 0 for a pointed top.",
            (0, 100_000),
            (0, 1200),
            0,
            scales=True,
        ),
        P.fraction("depth", "Crater depth", 0.35, "Depth of the crater as a share of its width."),
        P.fraction("ribs", "Ribs", 0.35, "How strongly ribs run down the flanks."),
        P.fraction("east", "East", 0.5, "Where the middle lies from west to east.", (-1.0, 2.0), (0.0, 1.0)),
        P.fraction("north", "North", 0.5, "Where the middle lies from south to north.", (-1.0, 2.0), (0.0, 1.0)),
        P.seed(),
    ),
    figure="{radius} · {relief}",
    keywords=("volcano", "crater", "peak", "source", "radial", "island"),
    starting_points=(
        ("Cinder cone", {"hollow": 1.1, "ribs": 0.1}),
        ("Sharp peak", {"crater": 0, "hollow": 2.4, "ribs": 0.6}),
    ),
)
def cone(ctx: Context) -> Arrays:
    """h = (1 - r)^hollow: the exponential flank of a stratovolcano (Milne 1878) in power form; ribs are noise over
    the angle."""
    p = ctx.p
    x, y = grid(ctx.window, ctx.site.width, ctx.site.depth, p.east, p.north)
    bend = wander(ctx, p.radius * 0.9, 4, ctx.seed + 31, moves=True)  # ribs waver instead of running straight
    rough = wander(ctx, p.radius / 3, 5, ctx.seed + 99)
    phases = [np.random.default_rng(ctx.seed + k).random() * 6.283 for k in range(3)]

    def shape(x, y, bend, rough):
        d = np.hypot(x, y)
        unit = np.maximum(d, np.float32(1e-3))
        ridge = np.zeros_like(d)
        for k, waves in enumerate((7, 13, 23)):
            ridge += np.abs(np.sin(np.arctan2(x, y) * waves / 2 + phases[k] + bend * (1 + k))) / (k + 1.5)
        r = np.clip(d / np.float32(p.radius), 0, 1)
        r = np.clip(r + (ridge - 0.6) * np.float32(0.12 * p.ribs) * np.sin(np.pi * r), 0, 1)
        h = (1 - r) ** np.float32(p.hollow)
        h = (h + rough * np.float32(0.03 * p.ribs) * np.sin(np.pi * r)) * np.float32(p.relief)
        if p.crater > 0:
            rim_r = min(0.5 * p.crater, 0.8 * p.radius)
            rim = np.float32((1 - rim_r / p.radius) ** p.hollow * p.relief)
            bowl = rim - np.float32(p.depth * p.crater) * (1 - np.minimum(unit / np.float32(rim_r), 1) ** 2)
            h = np.where(unit < rim_r, np.minimum(bowl, h), h)
        return h

    return {"height": banded(ctx, shape, x, y, bend, rough)}
