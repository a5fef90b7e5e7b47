"""Plateau: a steep-sided table."""

from __future__ import annotations

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.node import height_out, node
from gelande.kernels import noise
from gelande.kernels.shapes import grid, smoothstep, turned
from gelande.nodes.shared import banded, wander


@node(
    "plateau",
    "Plateau",
    "Landforms",
    "A steep-sided table with swales on top, bays in its edge and a talus foot.",
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
        P.fraction("talus", "Talus", 0.35, "Share of the height that lies as a slope at the foot."),
        P.fraction("irregularity", "Irregularity", 0.5, "How deeply bays and spurs cut the outline."),
        P.fraction("stretch_along", "Length", 1.3, "Length as a share of the width.", (0.1, 10.0), (0.3, 3.0)),
        P.degrees("turn", "Turned to", 40, "Direction of the long axis, clockwise from north.", (0, 360)),
        P.metres("rough", "Top roughness", 14, "Unevenness of the table's top.", (0, 1000), (0, 80), 0, scales=True),
        P.fraction("east", "East", 0.5, "Where the middle lies from west to east.", (-1.0, 2.0), (0.0, 1.0)),
        P.fraction("north", "North", 0.5, "Where the middle lies from south to north.", (-1.0, 2.0), (0.0, 1.0)),
        P.seed(),
    ),
    version=2,
    figure="{radius} · {relief}",
    keywords=("mesa", "table", "butte", "highland", "source"),
    starting_points=(
        ("Butte", {"radius": 420, "irregularity": 0.25, "stretch_along": 1.0}),
        ("Dissected table", {"irregularity": 0.95}),
    ),
)
def plateau(ctx: Context) -> Arrays:
    """A cliff and a talus slope over the distance to an outline that noise pushes in and out."""
    p = ctx.p
    x, y = grid(ctx.window, ctx.site.width, ctx.site.depth, p.east, p.north)
    outline = wander(ctx, p.radius * 0.8, 7, ctx.seed, 0.52, moves=True)
    rough = wander(ctx, p.radius * 0.4, 6, ctx.seed + 5)
    varied = wander(ctx, p.radius * 0.35, 3, ctx.seed + 15, moves=True)
    # Swales drain the top along the creases of a ridged noise; where one reaches the edge, a bay is cut into it.
    how = {"form": noise.RIDGED, "sharp": 1.5, "warp": 0.25 * p.radius, "stop": ctx.stop, "fine": noise.UNFADED}
    creases = noise.fractal(
        ctx.window, (0.0, ctx.site.depth), ctx.dx, 0.75 * p.radius, 4, 2.05, 0.4, ctx.seed + 25, **how
    )
    foot = np.float32(max(p.edge, p.relief * p.talus * 2.2))

    def shape(
        x: np.ndarray, y: np.ndarray, outline: np.ndarray, rough: np.ndarray, varied: np.ndarray, creases: np.ndarray
    ) -> np.ndarray:
        along, across = turned(x, y, p.turn)
        swale = smoothstep((creases * np.float32(0.5) + np.float32(0.1)) / np.float32(0.5)) ** 2
        d = np.hypot(along / np.float32(p.stretch_along), across) + np.float32(p.irregularity * p.radius) * (
            outline * np.float32(0.75) + swale * np.float32(0.45)
        )
        inside = np.float32(p.radius) - d
        wide = 1 + np.float32(1.1 * p.irregularity) * varied  # cliffs and their talus are not of one width all around
        talus = np.float32(p.talus) * np.clip(1 + np.float32(0.7 * p.irregularity) * varied, 0, 1.6)
        cliff = smoothstep(inside / (np.float32(p.edge) * np.maximum(wide, np.float32(0.35)))) * (1 - talus)
        slope = np.clip(1 + np.minimum(inside, 0) / (foot * np.maximum(wide, np.float32(0.5))), 0, 1) ** np.float32(1.4)
        top = np.float32(0.5 * p.rough) * rough - np.float32(1.2 * p.rough) * swale
        return (cliff + slope * talus) * np.float32(p.relief) + top * np.clip(inside / np.float32(p.edge), 0, 1)

    return {"height": banded(ctx, shape, x, y, outline, rough, varied, creases)}
