"""Brush mask: a mask painted by hand."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.node import mask_in, mask_out, node
from gelande.kernels.strokes import covered

BRUSH = (
    P.metres(
        "brush_radius",
        "Brush radius",
        220,
        "Radius of the next stroke, or of the chosen one; [ and ] change it.",
        (0.1, 100_000),
        (5, 1500),
        0,
        log=True,
        scales=True,
        tool=True,
    ),
    P.fraction(
        "brush_strength",
        "Strength",
        0.7,
        "How far the next stroke, or the chosen one, leads to white; below zero it erases.",
        (-1.0, 1.0),
        tool=True,
    ),
    P.fraction(
        "brush_hardness",
        "Hardness",
        0.2,
        "Share of the radius at which the next stroke, or the chosen one, works in full.",
        tool=True,
    ),
)


@node(
    "brush_mask",
    "Brush mask",
    "Masks",
    "Painted by strokes in Relief and Plan, while any node is shown.",
    inputs=(mask_in("first", "Mask", True, "Mask to paint on; black when nothing is linked."),),
    outputs=(mask_out(),),
    params=(
        P.strokes(
            "strokes",
            "Strokes",
            BRUSH,
            "What was painted; kept as strokes, each of which can be chosen, moved, changed and removed.",
        ),
        *BRUSH,
    ),
    base="first",
    figure="{strokes}",
    keywords=("paint", "draw", "hand", "brush", "erase", "stroke", "source"),
    starting_points=(
        ("Broad and soft", {"brush_radius": 400, "brush_hardness": 0.0, "brush_strength": 0.4}),
        ("Fine and hard", {"brush_radius": 60, "brush_hardness": 0.8, "brush_strength": 1.0}),
        ("Eraser", {"brush_radius": 250, "brush_strength": -0.7}),
    ),
)
def brush_mask(ctx: Context) -> Arrays:
    """Strokes on one another: each leads towards white or black by its strength, in full within its hardness and less
    towards its edge, and counts once however often it crosses itself. A pen's pressure lessens it on the way."""
    kept, laid = covered(ctx.p.strokes, ctx.window, ctx.site.depth, ctx.dx, ctx.stop)
    below = ctx.input("first")
    return {"mask": laid if below is None else np.clip(below * kept + laid, 0, 1)}
