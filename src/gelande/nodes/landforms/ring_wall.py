"""Ring wall: a bowl with a raised rim."""

import numpy as np

from gelande.core import param as P
from gelande.core.node import height_out, node
from gelande.kernels.shapes import grid
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
        P.share("floor", "Floor width", 0.45, "Level part of the bowl as a share of the radius."),
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
        P.share("irregularity", "Irregularity", 0.3, "How uneven the rim runs."),
        P.share("east", "East", 0.5, "Where the middle lies from west to east.", (-1.0, 2.0), (0.0, 1.0)),
        P.share("north", "North", 0.5, "Where the middle lies from south to north.", (-1.0, 2.0), (0.0, 1.0)),
        P.seed(),
    ),
    figure="{radius} · {rim}",
    keywords=("crater", "caldera", "bowl", "impact", "cirque", "source"),
    starting_points=(("Old and worn", {"rim": 60, "depth": 120, "irregularity": 0.6}), ("With a peak", {"peak": 160})),
)
def ring_wall(ctx):
    """Parabolic bowl above a level floor; outside, the rim falls with the inverse cube of the radius (McGetchin et
    al. 1973)."""
    p = ctx.p
    x, y = grid(ctx.frame, ctx.site.width, ctx.site.depth, p.east, p.north)
    floor = np.float32(min(p.floor, 0.95))
    bend = wander(ctx, p.radius * 0.7, 5, ctx.seed, moves=True)
    uneven = wander(ctx, p.radius * 0.5, 4, ctx.seed + 7)

    def shape(x, y, bend, uneven):
        r = np.hypot(x, y) / np.float32(p.radius) * (1 + bend * np.float32(0.28 * p.irregularity))
        crest = np.float32(p.rim) * (1 + uneven * np.float32(0.6 * p.irregularity))
        inner = -np.float32(p.depth) + (crest + np.float32(p.depth)) * np.clip((r - floor) / (1 - floor), 0, 1) ** 2
        outer = crest * np.maximum(r, 1) ** np.float32(-3)
        hill = np.float32(p.peak) * np.clip(1 - r / np.float32(0.22), 0, 1) ** np.float32(1.6)
        return np.where(r < 1, inner + hill, outer)

    return {"height": banded(ctx, shape, x, y, bend, uneven)}
