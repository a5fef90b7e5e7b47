"""Ring wall: a bowl with a raised rim."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.node import height_out, node
from gelande.kernels.shapes import grid, smoothstep
from gelande.nodes.shared import banded, wander


@node(
    "ring_wall",
    "Ring wall",
    "Landforms",
    "A bowl with a raised rim and an apron of cast-out ground.",
    outputs=(height_out(),),
    params=(
        P.metres(
            "radius",
            "Rim radius",
            1100,
            "From the middle to the crest of the rim.",
            (1, 500_000),
            (50, 4000),
            0,
            scales=True,
        ),
        P.metres(
            "depth", "Bowl depth", 240, "Depth of the floor below the plain.", (0, 60_000), (0, 1000), 0, scales=True
        ),
        P.metres(
            "rim", "Rim height", 130, "Height of the crest over the plain.", (0, 60_000), (0, 600), 0, scales=True
        ),
        P.fraction("floor", "Floor width", 0.45, "Level part of the bowl as a share of the radius."),
        P.metres(
            "peak",
            "Central peak",
            0,
            "Height of a peak in the middle of the floor.",
            (0, 60_000),
            (0, 500),
            0,
            scales=True,
        ),
        P.fraction("irregularity", "Irregularity", 0.3, "How uneven the rim runs."),
        P.fraction("east", "East", 0.5, "Where the middle lies from west to east.", (-1.0, 2.0), (0.0, 1.0)),
        P.fraction("north", "North", 0.5, "Where the middle lies from south to north.", (-1.0, 2.0), (0.0, 1.0)),
        P.seed(),
    ),
    version=2,
    figure="{radius} · {rim}",
    keywords=("crater", "caldera", "bowl", "impact", "cirque", "source"),
    starting_points=(("Old and worn", {"rim": 60, "depth": 120, "irregularity": 0.6}), ("With a peak", {"peak": 160})),
)
def ring_wall(ctx: Context) -> Arrays:
    """Parabolic bowl above a level floor; outside, the rim falls with the inverse cube of the radius (McGetchin et
    al. 1973)."""
    p = ctx.p
    x, y = grid(ctx.window, ctx.site.width, ctx.site.depth, p.east, p.north)
    floor = np.float32(min(p.floor, 0.95))
    bend = wander(ctx, p.radius * 0.95, 8, ctx.seed, moves=True)
    uneven = wander(ctx, p.radius * 0.5, 6, ctx.seed + 7)
    slump = wander(ctx, p.radius * 0.55, 5, ctx.seed + 13, moves=True)
    hummocks = wander(ctx, p.radius * 0.16, 5, ctx.seed + 17)
    swing = np.float32(p.irregularity)

    def shape(x, y, bend, uneven, slump, hummocks):
        r = np.hypot(x, y) / np.float32(p.radius) * (1 + bend * np.float32(0.75) * swing)
        # Here and there the wall has given way: a breach as deep as what is missing of its crest.
        breach = smoothstep((uneven - np.float32(0.34)) / np.float32(0.3)) * smoothstep(swing * np.float32(1.6))
        crest = np.float32(p.rim) * (1 - np.float32(0.7) * swing * uneven) * (1 - np.float32(0.85) * breach)
        t = np.clip((r - floor) / (1 - floor), 0, 1)
        inner = -np.float32(p.depth) + (crest + np.float32(p.depth)) * _slumped(t, slump, swing) ** 2
        level = hummocks * np.float32(0.05 * (p.depth + p.rim)) * swing
        outer = crest * np.maximum(r, 1) ** np.float32(-3)
        apron = outer * (1 + np.float32(0.5) * swing * hummocks)
        hill = np.float32(p.peak) * np.clip(1 - r / np.float32(0.22), 0, 1) ** np.float32(1.6)
        return np.where(
            r < 1,
            inner + level + hill * (1 + np.float32(0.25) * swing * hummocks),
            apron + level / np.maximum(r, 1) ** 3,
        )

    return {"height": banded(ctx, shape, x, y, bend, uneven, slump, hummocks)}


def _slumped(t, slump, swing):
    """Where blocks slid down the inner wall, benches stand before steeper faces: t from floor to crest, 0-1, moved in
    steps that begin and end along the wall."""
    at = t * np.float32(3.2) + slump * np.float32(1.1)
    step = at - np.floor(at)
    bench = np.floor(at) + smoothstep((step - np.float32(0.45)) / np.float32(0.55))
    much = np.float32(0.9) * np.minimum(1, np.float32(1.6) * swing) * np.clip(np.float32(4) * t * (1 - t), 0, 1)
    return np.clip(t + much * (bench - at) / np.float32(3.2), 0, 1)
