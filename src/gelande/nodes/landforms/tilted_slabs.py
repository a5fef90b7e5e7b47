"""Tilted slabs: dip slopes and scarps."""

from __future__ import annotations

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.node import height_out, node
from gelande.kernels.shapes import grid, smoothstep, turned, uneven
from gelande.nodes.shared import banded, wander

#: Shares of a long and of ever shorter waves along a crest whose highest parts are gaps.
GAPS = (0.5, 0.3, 0.2)


@node(
    "tilted_slabs",
    "Tilted slabs",
    "Landforms",
    "Beds tilted like fallen books: long dip slopes and short steep scarps.",
    outputs=(height_out(),),
    params=(
        P.metres(
            "spacing",
            "Spacing",
            820,
            "Distance from scarp to scarp.",
            (2, 100_000),
            (50, 3000),
            0,
            log=True,
            scales=True,
        ),
        P.metres("relief", "Scarp height", 150, "Height of the scarps.", (0, 6000), (0, 700), 0, scales=True),
        P.degrees("direction", "Dips towards", 110, "Direction of the dip slopes, clockwise from north.", (0, 360)),
        P.fraction(
            "scarp", "Scarp width", 0.14, "Width of the scarp as a share of the spacing.", (0.01, 0.9), (0.03, 0.5)
        ),
        P.fraction("irregularity", "Irregularity", 0.5, "How unevenly the scarps run and follow one another."),
        P.fraction("breaks", "Breaks", 0.5, "How strongly gaps break the crests."),
        P.seed(),
    ),
    version=2,
    figure="{spacing} · {relief}",
    keywords=("cuesta", "hogback", "dip slope", "scarp", "source", "bedding", "fault"),
    starting_points=(
        ("Hogbacks", {"scarp": 0.42, "spacing": 420}),
        ("Broad cuestas", {"spacing": 1700, "scarp": 0.08}),
    ),
)
def tilted_slabs(ctx: Context) -> Arrays:
    """An asymmetric triangle wave over bent, unevenly spaced lines; crests are lowered by noise where water gaps
    break them."""
    p = ctx.p
    x, y = grid(ctx.window, ctx.site.width, ctx.site.depth)
    bend = wander(ctx, p.spacing * 2.2, 6, ctx.seed, 0.5, moves=True)
    table = np.random.default_rng(ctx.seed + 9).random(4096).astype(np.float32)
    rough = wander(ctx, p.spacing * 0.8, 7, ctx.seed + 4)
    w = np.float32(p.scarp)

    def shape(x: np.ndarray, y: np.ndarray, bend: np.ndarray, rough: np.ndarray) -> np.ndarray:
        along, across = turned(x, y, p.direction)
        t = uneven(
            (along + bend * np.float32(p.irregularity * 0.55 * p.spacing)) / np.float32(p.spacing),
            p.irregularity,
            ctx.seed,
        )
        f = t - np.floor(t)
        rise = np.where(f < w, f / w, (1 - f) / (1 - w))
        rise = rise * rise * (np.float32(1.6) - np.float32(0.6) * rise)
        # Water gaps cross each slab down its dip, at places and with widths of its own; between them the crest rises
        # and sinks.
        slab = np.floor(t).astype(np.int64)
        strike = (across + rough * np.float32(0.2 * p.spacing)) / np.float32(p.spacing)
        gap = np.zeros_like(strike)
        for octave, fraction in enumerate(GAPS):
            at = strike * np.float32(1.1 * 2.1**octave)
            k = np.floor(at).astype(np.int64)
            here, after = (table[(k + o + 131 * slab + 977 * octave) % table.size] for o in (0, 1))
            gap += np.float32(fraction) * (here + (after - here) * smoothstep(at - k))
        gaps = smoothstep((gap - np.float32(0.92 - 0.62 * p.breaks)) / np.float32(0.16)) * np.float32(
            min(1.0, 3 * p.breaks)
        )
        crest = (1 - np.float32(0.9) * gaps) * (1 - np.float32(0.5 * p.irregularity) * (rough + np.float32(0.5)))
        return np.float32(p.relief) * (rise * np.clip(crest, 0, 1) + rough * np.float32(0.07))

    return {"height": banded(ctx, shape, x, y, bend, rough)}
