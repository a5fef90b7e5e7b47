"""Scree: stones that break from steep rock and come to rest below."""

import numpy as np

from gelande.core import param as P
from gelande.core.node import EACH, height_in, height_out, mask_in, mask_out, node
from gelande.core.site import COARSEST, MAPPED
from gelande.kernels.loose import settle
from gelande.kernels.scatter import stones
from gelande.nodes.shared import banded

#: Passes on each level from the coarsest; finer ones take the last number, and break no more rock.
PASSES = (32, 24, 16, 8)


@node(
    "scree",
    "Scree",
    "Weather",
    "Breaks stones from rock that stands too steep and lays them below at their angle of repose.",
    inputs=(height_in(), mask_in("rock", "Rock strength", True, "White rock does not break, black breaks in full.")),
    outputs=(height_out(), mask_out("scree", "Scree"), mask_out("cut", "Cut")),
    params=(
        P.degrees(
            "repose", "Angle of repose", 34, "The steepest slope on which the stones lie.", (10, 60), (25, 42), 1
        ),
        P.metres(
            "amount_broken",
            "Rock broken",
            9,
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
        P.share("rough", "Stones showing", 0.5, "How rough the stones make the scree."),
        P.seed(),
    ),
    around=lambda p, site, level, asked: asked.grown(4 * PASSES[-1]),
    base="height",
    pyramid=EACH,
    version=2,
    figure="{repose} · {amount_broken}",
    keywords=("talus", "debris", "thermal", "stones", "rockfall", "repose", "erode"),
    starting_points=(
        ("Fans under cliffs", {"amount_broken": 14, "repose": 35}),
        ("Fine gravel", {"repose": 30, "stone": 0.6, "rough": 0.2}),
        ("Seam filler", {"repose": 32, "amount_broken": 4}),
    ),
)
def scree(ctx):
    """Rock that stands steeper than the angle breaks, up to the amount, and slides as a loose layer that is never
    lost (slope failure after Musgrave, Kolb and Mace 1989). Worked from 129 samples up: each level begins with what
    the coarser one broke and moved. Rock deeper than the amount stays, so cliffs keep their faces and stones gather
    at their feet."""
    p, ground = ctx.p, ctx.input("height")
    limit = float(np.tan(np.radians(p.repose)))
    if ctx.level <= COARSEST:
        worn, loose = np.zeros_like(ground), np.zeros_like(ground)
    else:
        before = ctx.own(ctx.level - 1)
        worn, loose = (ctx.raised(before[k], smooth=False) for k in ("_worn", "_loose"))
        total = float(loose.sum(dtype=np.float64)) if ctx.level <= MAPPED else 0.0
        if total > 0:  # carrying both up rounds each its own way: what was worn is what lies loose
            loose *= np.float32(float(worn.sum(dtype=np.float64)) / total)
    rock_map = ctx.input("rock")
    most = np.full_like(ground, p.amount_broken) if rock_map is None else np.float32(p.amount_broken) * (1 - rock_map)
    depth = max(0, ctx.level - COARSEST)
    left = np.maximum(most - worn, 0) if depth < len(PASSES) - 1 else None
    rock, loose = settle(
        ground - worn, np.ascontiguousarray(loose), left, limit, ctx.dx, PASSES[min(depth, len(PASSES) - 1)], ctx.stop
    )
    ctx.check()
    worn = ground - rock
    thick = np.float32(0.22 * p.amount_broken + 0.05)
    cover = banded(ctx, lambda s: 1 - np.exp(-s / thick), loose)
    bumps = (
        stones(ctx.frame, ctx.site.depth, ctx.dx, p.stone, 0.75, ctx.seed, ctx.stop)
        if p.stone > 0 and p.rough > 0
        else np.zeros((1, 1), np.float32)
    )
    height = banded(
        ctx, lambda rock, s, cover, b: rock + s + b * cover * np.float32(0.5 * p.rough), rock, loose, cover, bumps
    )
    cut = banded(ctx, lambda w: np.clip(w / np.float32(max(p.amount_broken, 1e-3)), 0, 1), worn)
    return {"height": height, "scree": cover, "cut": cut, "_worn": worn, "_loose": loose}
