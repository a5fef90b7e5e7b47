"""Bed folds: waves through the land."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.node import height_in, height_out, node
from gelande.kernels.shapes import grid, turned
from gelande.nodes.shared import banded, wander


@node(
    "bed_folds",
    "Bed folds",
    "Shape",
    "Folds the land into long waves, as folded beds do.",
    reshapes="It folds the land.",
    inputs=(height_in(),),
    outputs=(height_out(),),
    params=(
        P.metres(
            "spacing",
            "Spacing",
            900,
            "Distance from crest to crest.",
            (1, 200_000),
            (50, 4000),
            0,
            log=True,
            scales=True,
        ),
        P.metres("relief", "Height", 110, "Height of the folds.", (0, 6000), (0, 600), 0, scales=True),
        P.degrees("direction", "Folds run towards", 60, "Direction of the crests, clockwise from north.", (0, 360)),
        P.number(
            "sharpness",
            "Crest sharpness",
            1.0,
            "Above 1 sharpens crests, below 1 broadens them.",
            (0.2, 5),
            (0.4, 3),
            1,
        ),
        P.fraction("irregularity", "Irregularity", 0.5, "How the folds bend and fade."),
        P.seed(),
    ),
    base="height",
    figure="{spacing} · {relief}",
    keywords=("fold", "wave", "anticline", "ripple", "bedding"),
    starting_points=(("Open folds", {"spacing": 1800}), ("Tight folds", {"spacing": 350, "sharpness": 1.8})),
)
def bed_folds(ctx: Context) -> Arrays:
    """(0.5 + 0.5 cos)^sharpness over bent lines, fading along the crest by noise."""
    p, h = ctx.p, ctx.input("height")
    x, y = grid(ctx.window, ctx.site.width, ctx.site.depth)
    bend, fade = wander(ctx, p.spacing * 2.5, 4, ctx.seed, 0.4, moves=True), wander(ctx, p.spacing * 3, 3, ctx.seed + 5)

    def shape(h, x, y, bend, fade):
        _, across = turned(x, y, p.direction)
        moved = across + bend * np.float32(p.irregularity * 0.9 * p.spacing)
        wave = (0.5 + 0.5 * np.cos(moved * np.float32(2 * np.pi / p.spacing))) ** np.float32(p.sharpness)
        return h + np.float32(p.relief) * (wave - np.float32(0.5)) * np.clip(
            1 + fade * np.float32(1.6 * p.irregularity), 0, 1.4
        )

    return {"height": banded(ctx, shape, h, x, y, bend, fade)}
