"""Plateau: a steep-sided table."""

import numpy as np

from gelande.core import param as P
from gelande.core.node import height_out, node
from gelande.kernels.shapes import grid, smoothstep, turned
from gelande.nodes.shared import banded, wander


@node(
    "plateau",
    "Plateau",
    "Landforms",
    "A steep-sided table with an irregular outline and a talus foot.",
    outputs=(height_out(),),
    params=(
        P.metres("radius", "Radius", 1350, "From the middle to the edge.", (1, 500_000), (50, 4000), 0, scales=True),
        P.metres(
            "relief", "Height", 280, "Height of the table over the plain.", (0, 60_000), (0, 1200), 0, scales=True
        ),
        P.metres(
            "edge",
            "Edge width",
            90,
            "Width of the cliff from top to the talus.",
            (0.5, 20_000),
            (5, 800),
            0,
            scales=True,
        ),
        P.share("talus", "Talus", 0.35, "Share of the height that lies as a slope at the foot."),
        P.share("irregularity", "Irregularity", 0.5, "How deeply bays and spurs cut the outline."),
        P.share("stretch_along", "Length", 1.3, "Length as a share of the width.", (0.1, 10.0), (0.3, 3.0)),
        P.degrees("turn", "Turned to", 40, "Direction of the long axis, clockwise from north.", (0, 360)),
        P.metres("rough", "Top roughness", 14, "Unevenness of the table's top.", (0, 1000), (0, 80), 0, scales=True),
        P.share("east", "East", 0.5, "Where the middle lies from west to east.", (-1.0, 2.0), (0.0, 1.0)),
        P.share("north", "North", 0.5, "Where the middle lies from south to north.", (-1.0, 2.0), (0.0, 1.0)),
        P.seed(),
    ),
    figure="{radius} · {relief}",
    keywords=("mesa", "table", "butte", "highland", "source"),
    starting_points=(
        ("Butte", {"radius": 420, "irregularity": 0.25, "stretch_along": 1.0}),
        ("Dissected table", {"irregularity": 0.95}),
    ),
)
def plateau(ctx):
    """A cliff and a talus slope over the distance to an outline that noise pushes in and out."""
    p = ctx.p
    x, y = grid(ctx.frame, ctx.site.width, ctx.site.depth, p.east, p.north)
    outline = wander(ctx, p.radius * 0.8, 7, ctx.seed, 0.52, moves=True)
    rough = wander(ctx, p.radius * 0.4, 6, ctx.seed + 5)
    foot = np.float32(max(p.edge, p.relief * p.talus * 2.2))

    def shape(x, y, outline, rough):
        along, across = turned(x, y, p.turn)
        d = np.hypot(along / np.float32(p.stretch_along), across) + outline * np.float32(
            p.irregularity * 0.75 * p.radius
        )
        inside = np.float32(p.radius) - d
        cliff = smoothstep(inside / np.float32(p.edge)) * np.float32(1 - p.talus)
        slope = np.clip(1 + np.minimum(inside, 0) / foot, 0, 1) ** np.float32(1.4) * np.float32(p.talus)
        return (cliff + slope) * np.float32(p.relief) + rough * np.float32(0.5 * p.rough) * np.clip(
            inside / np.float32(p.edge), 0, 1
        )

    return {"height": banded(ctx, shape, x, y, outline, rough)}
