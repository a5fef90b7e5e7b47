"""Scree: stones that break from steep rock and come to rest below."""

from __future__ import annotations

import math
from functools import partial

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import EACH, Footprint
from gelande.core.recipe.node import height_in, height_out, mask_in, mask_out, node
from gelande.core.recipe.site import COARSEST, GLOBAL_LEVEL
from gelande.kernels.boulders import stones
from gelande.kernels.grid_window import GridWindow
from gelande.kernels.loose import keep_calm, reach, settle_loose, stands
from gelande.kernels.measure import gaussian, slope_degrees
from gelande.kernels.rain import under
from gelande.kernels.shapes import smoothstep
from gelande.kernels.transfer import halved, up, up_kept
from gelande.nodes.beds import LAYERED, LINKED, bed_settings, beds_in, layers_of, rock_choice
from gelande.nodes.shared import banded

#: Passes on each level from the coarsest; finer ones take the last number.
PASSES = (64, 48, 24, 8)
#: Slope of ground that never breaks, but beside an edge, as a share of the angle of repose.
HOLDS = 0.65
#: Slope in degrees of ground that does not break even between two faces, unless it is within two samples of an edge:
#: ground steeper than the angle of repose. It is at most that share of the slope that never breaks.
CALM, AT_MOST = 17.0, 0.8
#: Slope by which stones come to where they lie at least, as a share of the angle of repose: none lie behind the edge
#: that they broke from.
FLATTEST = 0.85
#: Samples of the coarser level over which those too fine to be looked at whole keep the volume of stones.
SPREAD = 3.0
#: How much breaks on calm ground at most up to how many samples from an edge.
BESIDE = ((1.0, 1), (0.5, 2))
#: Samples over which steep ground is smoothed, and what breaks of it on the mapped level; then scars and stones after
#: they were carried up, so that the coarser grid does not show.
SMOOTH, BLUNT, SCARS, EVEN = 0.8, 0.7, 1.0, 1.0
#: Samples of the mapped level, at most EVEN of a finer one, over which ground is smoothed down to which stones bury
#: detail: else the coarser level's samples show in it.
BURIED = 0.25
#: Metres of stones, blurred, below which there are none.
THIN = 1e-4


def _around(p, site, level, asked):
    """Even rows and columns begin it, where the coarser level has samples too."""
    calm = (BESIDE[-1][1] + 1) * _wide(level) + 2
    return asked.grown(PASSES[-1] + math.ceil(12 * SPREAD + 3 * SCARS) + 3 + calm).blocks(2, 2)


def _wide(level: int) -> int:
    """Samples of a level that are as wide as one of the mapped level, or one of a coarser level."""
    return 2 ** max(0, level - GLOBAL_LEVEL)


def _broken(ctx: Context, ground: np.ndarray, most: np.ndarray, limit: float) -> np.ndarray | None:
    """Metres of rock that break: what stands above the highest surface that is nowhere steeper than the limit, at most
    the amount; where ground is steep, with narrow crests and benches between steep ground: flat ground behind an edge
    stays, a crest between two faces does not.

    Levels finer than the mapped one break what that did, so that scars and stones are where the preview has them."""
    from scipy import ndimage  # heavy to import

    wide, repose = _wide(ctx.level), np.float32(np.degrees(np.arctan(limit)))
    slope = slope_degrees(ground, ctx.dx, 2 * wide * ctx.dx, ctx.stop)
    if ctx.level > GLOBAL_LEVEL:
        worn = ctx.raised(ctx.own(ctx.level - 1)["_worn"], stop=ctx.stop)
        worn = gaussian(worn, SCARS, ctx.stop)
        keep_calm(worn, slope, most, _calm(repose), HOLDS * repose, repose, BESIDE[-1][1] * wide, ctx.stop)
        return worn
    held = stands(ground, limit, ctx.dx, ctx.stop)
    steep = smoothstep((slope - np.float32(HOLDS) * repose) / (np.float32(1 - HOLDS) * repose))
    steep = ndimage.minimum_filter(ndimage.maximum_filter(steep, 3, mode="mirror"), 3, mode="mirror")
    may = _may_break(slope, repose)
    faces = np.minimum(gaussian(steep, SMOOTH, ctx.stop), may)

    def breaks(h: np.ndarray, held: np.ndarray, faces: np.ndarray, most: np.ndarray) -> np.ndarray:
        over = np.maximum(h - held, 0)
        return faces * most * (1 - np.exp(-over / np.maximum(most, np.float32(1e-6))))

    worn = banded(ctx, breaks, ground, held, faces, most)
    if ctx.level < GLOBAL_LEVEL:
        return worn
    # Finer levels carry these scars up: what only one sample has would show there as its grid.
    return np.minimum(np.maximum(gaussian(worn, BLUNT, ctx.stop), 0), may * most)


def _calm(repose: float) -> float:
    """Slope in degrees of ground that does not break but beside an edge."""
    return np.float32(min(CALM, AT_MOST * HOLDS * float(repose)))


def _may_break(slope: np.ndarray, repose: float) -> np.ndarray:
    """The most that may break, 0-1: all of steep ground, nothing of calm ground but beside an edge."""
    from scipy import ndimage  # heavy to import

    calm = _calm(repose)
    fraction = smoothstep((slope - calm) / (np.float32(HOLDS) * repose - calm))
    edge = (slope > repose).astype(np.uint8)
    for near, reached in BESIDE:
        fraction = np.maximum(fraction, np.float32(near) * ndimage.maximum_filter(edge, 2 * reached + 1, mode="mirror"))
    return fraction


def _carried(ctx: Context, ground: np.ndarray, worn: np.ndarray, limit: float) -> np.ndarray:
    """Stones where the coarser level left them, metres: as much as breaks here, less the detail that they bury."""
    before, coarse = ctx.own(ctx.level - 1), ctx.input("height", ctx.level - 1)
    lies = np.maximum(gaussian(ctx.raised(before["_loose"], up_kept, stop=ctx.stop), EVEN, ctx.stop), 0)
    flat = ctx.raised(coarse, stop=ctx.stop)
    if ctx.level > GLOBAL_LEVEL:
        flat = gaussian(flat, min(BURIED * _wide(ctx.level), EVEN), ctx.stop)
    loose = banded(ctx, lambda h, flat, lies: np.maximum(lies - under(h - flat, lies), 0), ground, flat, lies)
    if ctx.level <= GLOBAL_LEVEL:
        loose = np.minimum(loose, reach(ground, worn, FLATTEST * limit, ctx.dx, ctx.stop))
        loose = np.maximum(loose + worn - ctx.raised(before["_worn"], up_kept, stop=ctx.stop), 0)
        total = float(loose.sum(dtype=np.float64))
        return loose * np.float32(float(worn.sum(dtype=np.float64)) / total) if total > 0 else loose
    return _keeping(ctx, loose, before, worn)


def _keeping(ctx: Context, loose, before, worn):
    """Stones with as much around every place as the coarser level has there, and what breaks more or less here.

    To halve and to double a grid by straight lines are each other's mirror image, as a blur is its own: so the sum
    over the whole is that of what breaks."""
    on = ctx.window_at(ctx.level - 1)
    held = GridWindow(*(k // 2 for k in ctx.window[:2]), *(k // 2 + 1 for k in ctx.shape), *on.grid)
    wanted = held.cut(before["_loose"], on) + halved(worn) - held.cut(before["_worn"], on)
    there, wanted = gaussian(halved(loose), SPREAD, ctx.stop), gaussian(wanted, SPREAD, ctx.stop)
    ratio = np.maximum(wanted, 0) / np.maximum(there, np.float32(THIN))
    return loose * up(gaussian(ratio, SPREAD, ctx.stop), False, ctx.stop)[: ctx.shape[0], : ctx.shape[1]]


@node(
    "scree",
    "Scree",
    "Weather",
    "Breaks stones from rock that stands too steep and lays them below at their angle of repose.",
    inputs=(
        height_in(),
        mask_in("rock", "Rock strength", True, "White rock does not break, black breaks in full."),
        beds_in(True),
    ),
    outputs=(height_out(), mask_out("scree", "Scree"), mask_out("cut", "Cut")),
    params=(
        P.degrees(
            "repose", "Angle of repose", 36, "The steepest slope on which the stones lie.", (10, 60), (25, 42), 1
        ),
        P.metres(
            "amount_broken",
            "Rock broken",
            2,
            "How deeply rock that is too steep is worn back at most.",
            (0, 2000),
            (0, 40),
            1,
            scales=True,
        ),
        P.metres(
            "stone",
            "Stone size",
            3,
            "Size of the largest stones; smaller ones lie between.",
            (0, 200),
            (0, 20),
            1,
            scales=True,
        ),
        P.fraction("rough", "Stones showing", 0.5, "How rough the stones make the scree."),
        rock_choice("Even rock, or hard and soft beds by turns: stones break from soft ones, hard ones stand."),
        *bed_settings(40, 0.7, 0.7, 1.5, 120, shown_when=("beds", (LAYERED,)), unlinked=LINKED),
        P.seed(),
    ),
    footprint=lambda p, site: Footprint(working=partial(_around, p, site), own=EACH, below=("height",)),
    base="height",
    version=8,
    figure="{repose} · {amount_broken}",
    keywords=("talus", "debris", "thermal", "stones", "rockfall", "repose", "erode"),
    starting_points=(
        ("Fans under cliffs", {"amount_broken": 14, "repose": 35}),
        ("Fine gravel", {"repose": 30, "stone": 0.6, "rough": 0.2}),
        ("Seam filler", {"repose": 32, "amount_broken": 4}),
    ),
)
def scree(ctx: Context) -> Arrays:
    """Rock that stands steeper than the angle breaks, up to the amount, and slides as a loose layer that is never
    lost (slope failure after Musgrave, Kolb and Mace 1989). Levels up to 513 samples break their own ground; stones are
    worked from 129 samples up, each level beginning with where the coarser one left them. Rock deeper than the
    amount stays, so cliffs keep their faces and stones gather at their feet."""
    p, ground = ctx.p, ctx.input("height")
    limit = float(np.tan(np.radians(p.repose)))
    rock_map = ctx.input("rock")
    most = np.full((1, 1), p.amount_broken, np.float32)
    if rock_map is not None:
        most = most * (1 - rock_map)
    if p.beds == LAYERED:
        most = most * (1 - layers_of(ctx).hardness(ground, ctx.stop))
    worn = _broken(ctx, ground, most, limit)
    ctx.check()
    loose = worn if ctx.level <= COARSEST else _carried(ctx, ground, worn, limit)
    passes = PASSES[min(max(0, ctx.level - COARSEST), len(PASSES) - 1)]
    loose = settle_loose(ground - worn, loose, limit, ctx.dx, passes, ctx.stop)
    ctx.check()
    rock = ground - worn
    # Large stones show between each other where little of them lies.
    thick = np.float32(0.05 + 0.15 * p.amount_broken + 0.65 * p.stone)
    cover = banded(ctx, lambda s: 1 - np.exp(-s / thick), loose)
    bumps = (
        stones(ctx.window, ctx.site.depth, ctx.dx, p.stone, 0.75, ctx.seed, ctx.stop, cover)
        if p.stone > 0 and p.rough > 0
        else np.zeros((1, 1), np.float32)
    )
    height = banded(
        ctx, lambda rock, s, cover, b: rock + s + b * cover * np.float32(0.5 * p.rough), rock, loose, cover, bumps
    )
    cut = banded(ctx, lambda w: np.clip(w / np.float32(max(p.amount_broken, 1e-3)), 0, 1), worn)
    return {
        "height": height,
        "scree": cover,
        "cut": cut,
        "_worn": worn,
        "_loose": loose,
    }
