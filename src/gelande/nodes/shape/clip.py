"""Clip: a floor and a ceiling."""

from __future__ import annotations

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.node import height_in, height_out, node
from gelande.nodes.shared import banded

from .mix import smooth_higher


@node(
    "clip",
    "Clip",
    "Shape",
    "Cuts the land off below a floor and above a ceiling.",
    reshapes="It cuts off what is too high and too low.",
    inputs=(height_in(),),
    outputs=(height_out(),),
    params=(
        P.metres("floor", "Floor", 0, "Nothing lies lower.", (-100_000, 100_000), (-500, 1000), 0, scales=True),
        P.metres("ceiling", "Ceiling", 500, "Nothing lies higher.", (-100_000, 100_000), (-500, 2000), 0, scales=True),
        P.choice(
            "edge",
            "Edge",
            "rounded",
            ("hard", "rounded", "fold_back"),
            "Hard cuts, rounded edges, or heights mirrored at the limits.",
        ),
        P.metres(
            "rounding",
            "Rounding",
            30,
            "Height over which the edge is rounded.",
            (0, 5000),
            (0, 200),
            0,
            shown_when=("edge", ("rounded",)),
            scales=True,
        ),
    ),
    base="height",
    limits=("floor", "ceiling"),
    figure="{floor} to {ceiling}",
    keywords=("clamp", "limit", "plateau", "cut"),
    starting_points=(
        ("Level tops", {"floor": -500, "ceiling": 320}),
        ("Drowned valleys", {"floor": 180, "ceiling": 3000}),
    ),
)
def clip(ctx: Context) -> Arrays:
    """min(max(h, floor), ceiling), with a quadratic smooth maximum for rounded edges; fold back is a triangle wave."""
    p, h = ctx.p, ctx.input("height")
    low, high = min(p.floor, p.ceiling), max(p.floor, p.ceiling)
    span = np.float32(max(high - low, 1e-3))
    seam = min(p.rounding if p.edge == "rounded" else 0.0, (high - low) / 2)

    def cut(h: np.ndarray) -> np.ndarray:
        if p.edge == "fold_back":
            return np.float32(low) + span - np.abs(np.mod(h - np.float32(low), 2 * span) - span)
        return -smooth_higher(-smooth_higher(h, np.full_like(h, low), seam), np.full_like(h, -high), seam)

    return {"height": banded(ctx, cut, h)}
