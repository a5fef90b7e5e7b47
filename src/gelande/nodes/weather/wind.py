"""Wind: sand blown into ripples and dunes on ground that is there already."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import Footprint
from gelande.core.recipe.node import height_in, height_out, mask_in, mask_out, node
from gelande.kernels.measure import slope_degrees
from gelande.kernels.shapes import grid, smoothstep, turned, uneven
from gelande.nodes.shared import banded, wander


@node(
    "wind",
    "Wind",
    "Weather",
    "Blows loose sand into dunes and ripples across the wind, where the ground is gentle.",
    inputs=(height_in(), mask_in("sand", "Sand", True, "Where loose sand lies: white in full, black none.")),
    outputs=(height_out(), mask_out("drift", "Drift")),
    params=(
        P.degrees("wind", "Wind towards", 80, "Where the wind blows to, clockwise from north.", (0, 360)),
        P.metres(
            "spacing",
            "Dune spacing",
            190,
            "Distance from crest to crest.",
            (0.2, 50_000),
            (10, 800),
            0,
            log=True,
            scales=True,
        ),
        P.metres("relief", "Dune height", 9, "Height of the dunes.", (0, 1000), (0, 60), 1, scales=True),
        P.metres(
            "ripple_spacing",
            "Ripple spacing",
            38,
            "Distance between ripples on the dunes.",
            (0.05, 5000),
            (2, 120),
            1,
            log=True,
            scales=True,
        ),
        P.metres("ripple_relief", "Ripple height", 0.8, "Height of the ripples.", (0, 200), (0, 6), 1, scales=True),
        P.degrees("steepest", "On slopes up to", 18, "Steeper ground keeps no dunes."),
        P.fraction("irregularity", "Irregularity", 0.5, "How the crests bend, join and end."),
        P.seed(),
    ),
    footprint=lambda p, site: Footprint(halo=site.slope_baseline),
    base="height",
    figure="{spacing} · {relief}",
    keywords=("sand", "dune", "ripple", "desert", "aeolian", "drift"),
    starting_points=(
        ("Rippled sand", {"relief": 2, "ripple_relief": 1.4}),
        ("High dunes", {"relief": 30, "spacing": 380}),
        ("Snow ripples", {"relief": 0.6, "spacing": 40, "ripple_relief": 0.2, "steepest": 30}),
    ),
)
def wind(ctx: Context) -> Arrays:
    """Asymmetric crests across the wind, steep on the lee near the angle of repose (Bagnold 1941), in two sizes, on
    gentle ground only."""
    p, h = ctx.p, ctx.input("height")
    x, y = grid(ctx.window, ctx.site.width, ctx.site.depth)
    sand = ctx.input("sand")
    sand = np.ones((1, 1), np.float32) if sand is None else sand
    slope = slope_degrees(h, ctx.dx, 2 * ctx.site.slope_baseline, ctx.stop, ctx.window)  # wind does not see every bump
    ctx.check()
    bend, ends = (
        wander(ctx, p.spacing * 2.4, 4, ctx.seed, 0.42, moves=True),
        wander(ctx, p.spacing * 1.8, 4, ctx.seed + 3),
    )
    turn = wander(ctx, p.ripple_spacing * 4, 3, ctx.seed + 5, 0.4, moves=True)
    fade = float(min(1.0, max(0.0, (p.ripple_spacing / ctx.dx - 2) / 2)))  # ripples below two samples are left out

    def crest(t, seed):
        t = uneven(t, 0.8 * p.irregularity, seed)
        f = t - np.floor(t)
        windward = np.clip(f / np.float32(0.72), 0, 1)
        return np.where(f < 0.72, windward * windward * (3 - 2 * windward), np.clip((1 - f) / np.float32(0.28), 0, 1))

    def blow(x, y, slope, sand, bend, ends, turn):
        along, _ = turned(x, y, p.wind)
        flat = (
            1 - smoothstep((slope - np.float32(0.35 * p.steepest)) / np.float32(max(0.85 * p.steepest, 1e-3)))
        ) * sand
        dune = crest((along + bend * np.float32(1.3 * p.irregularity * p.spacing)) / np.float32(p.spacing), ctx.seed)
        dune = dune * np.clip(np.float32(0.8) + ends * np.float32(1.3 * p.irregularity), 0, 1)
        ripple = crest(
            (along + turn * np.float32(p.irregularity * p.ripple_spacing)) / np.float32(p.ripple_spacing), ctx.seed + 7
        )
        return (np.float32(p.relief) * dune + np.float32(p.ripple_relief * fade) * ripple) * flat

    sand_depth = banded(ctx, blow, x, y, slope, sand, bend, ends, turn)
    full = np.float32(max(0.7 * (p.relief + p.ripple_relief), 1e-3))
    return {"height": h + sand_depth, "drift": banded(ctx, lambda d: np.clip(d / full, 0, 1), sand_depth)}
