"""Dunes: ridges of sand."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.node import height_out, node
from gelande.kernels.sand import crescents, forks
from gelande.kernels.shapes import grid, turned
from gelande.nodes.shared import banded, wander

#: (bend along the wind, how much crests break, symmetric share)
KINDS = {"transverse": (0.55, 0.45, 0.0), "crescents": (0.0, 0.0, 0.0), "lengthwise": (0.35, 0.35, 1.0)}


@node(
    "dunes",
    "Dunes",
    "Landforms",
    "Sand ridges across or along the wind, with gentle windward and steep lee sides.",
    outputs=(height_out(),),
    params=(
        P.choice(
            "kind", "Kind", "transverse", tuple(KINDS), "Ridges across the wind, broken crescents, or ridges along it."
        ),
        P.metres(
            "spacing",
            "Spacing",
            240,
            "Distance from crest to crest.",
            (1, 50_000),
            (20, 1200),
            0,
            log=True,
            scales=True,
        ),
        P.metres("relief", "Height", 26, "Height of the crests.", (0, 1000), (0, 120), 1, scales=True),
        P.degrees("wind", "Wind towards", 100, "Where the wind blows to, clockwise from north.", (0, 360)),
        P.fraction(
            "lee", "Lee width", 0.28, "Width of the steep lee side as a share of the spacing.", (0.05, 0.6), (0.15, 0.5)
        ),
        P.fraction("irregularity", "Irregularity", 0.5, "How the crests bend, join and end."),
        P.metres(
            "swell", "Swell", 18, "Height of the broad sand swells underneath.", (0, 2000), (0, 150), 0, scales=True
        ),
        P.seed(),
    ),
    version=2,
    figure="{spacing} · {relief}",
    keywords=("sand", "desert", "ripples", "erg", "source"),
    starting_points=(
        ("Crescent field", {"kind": "crescents", "irregularity": 0.7}),
        ("Long ridges", {"kind": "lengthwise", "spacing": 420}),
    ),
)
def dunes(ctx: Context) -> Arrays:
    """Asymmetric crests with a lee near the angle of repose (Bagnold 1941), bent by noise; ridges fork where the field
    has dislocations (Werner 1995). Crescents stand apart, each with two horns down the wind (Hersen 2004)."""
    p = ctx.p
    swell = wander(ctx, p.spacing * 7, 3, ctx.seed + 6)
    made = _crescents(ctx) if p.kind == "crescents" else _ridges(ctx)
    half = np.float32(0.5 * p.swell)
    return {"height": banded(ctx, lambda made, swell: made + half * swell + half, made, swell)}


def _crescents(ctx: Context):
    p = ctx.p
    shift = wander(ctx, p.spacing * 1.1, 3, ctx.seed, 0.4, moves=True) * np.float32(0.22 * p.irregularity * p.spacing)
    fraction = 1 - 0.45 * p.irregularity
    place = (-0.5 * ctx.site.width, 0.5 * ctx.site.depth)
    how = (p.spacing, p.relief, fraction, p.irregularity, p.wind)
    return crescents(ctx.window, place, ctx.dx, *how, shift, ctx.seed + 11, ctx.stop)


def _ridges(ctx: Context):
    p = ctx.p
    bend, broken, even = KINDS[p.kind]
    x, y = grid(ctx.window, ctx.site.width, ctx.site.depth)
    shift = wander(ctx, p.spacing * 3.2, 4, ctx.seed, 0.42, moves=True)
    ends, apart = wander(ctx, p.spacing * 1.9, 4, ctx.seed + 3), wander(ctx, p.spacing * 5, 2, ctx.seed + 9, moves=True)
    lee = np.float32(0.5 if even else p.lee)
    place = (-0.5 * ctx.site.width, 0.5 * ctx.site.depth)
    forked = forks(
        ctx.window, place, ctx.dx, p.spacing, 0.95 * p.irregularity, p.wind + 90 * even, ctx.seed + 21, ctx.stop
    )

    def shape(x, y, shift, apart, ends, forked):
        along, _ = turned(x, y, p.wind + 90 * even)
        swing = shift * np.float32(bend * p.irregularity * 1.3) + apart * np.float32(0.8 * p.irregularity)
        t = along / np.float32(p.spacing) + swing + forked
        f = t - np.floor(t)
        windward = np.clip(f / (1 - lee), 0, 1)
        rise = np.where(
            f < 1 - lee, windward * windward * (3 - 2 * windward), np.clip((1 - f) / lee, 0, 1) ** np.float32(1.15)
        )
        cut = np.clip(np.float32(0.75) + ends * np.float32(1.6 * broken), 0, 1)
        crest = 1 - np.float32(p.irregularity) * np.float32(broken) * (1 - cut)
        return np.float32(p.relief) * rise * crest

    return banded(ctx, shape, x, y, shift, apart, ends, forked)
