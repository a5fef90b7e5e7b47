"""Slope band: white between two slopes."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import GLOBAL_ONLY, Footprint
from gelande.core.recipe.node import height_in, mask_out, node
from gelande.core.recipe.site import GLOBAL_LEVEL
from gelande.kernels.measure import band, slope_degrees
from gelande.nodes.shared import banded, quantiles

DEGREES, SHARES = "degrees", "shares_of_the_ground"


@node(
    "slope_band",
    "Slope band",
    "Masks",
    "White between two slopes.",
    inputs=(height_in(),),
    outputs=(mask_out(),),
    params=(
        P.choice(
            "limits_in",
            "Limits in",
            DEGREES,
            (DEGREES, SHARES),
            "Degrees, or shares of the ground: 80 to 100 % is the steepest fifth of it.",
        ),
        P.degrees("low", "From", 30, "Gentlest slope that is fully white.", shown_when=("limits_in", (DEGREES,))),
        P.degrees("high", "To", 90, "Steepest slope that is fully white.", shown_when=("limits_in", (DEGREES,))),
        P.degrees(
            "falloff", "Falloff", 8, "Degrees over which white fades to black.", shown_when=("limits_in", (DEGREES,))
        ),
        P.fraction(
            "low_share", "From", 0.8, "Share of the ground that is gentler.", shown_when=("limits_in", (SHARES,))
        ),
        P.fraction(
            "high_share", "To", 1.0, "Share of the ground up to which it is white.", shown_when=("limits_in", (SHARES,))
        ),
        P.fraction(
            "falloff_share",
            "Falloff",
            0.05,
            "Share of the ground over which white fades to black.",
            shown_when=("limits_in", (SHARES,)),
        ),
        P.metres(
            "baseline",
            "Measured over",
            24,
            "Distance over which slope is measured: the shorter, the smaller the cliffs that count. Less than two "
            "samples cannot be measured, so what is finer differs from one detail to the next.",
            (0.1, 5000),
            (24, 160),
            0,
            log=True,
            scales=True,
        ),
    ),
    footprint=lambda p, site: Footprint(
        halo=max(p.baseline / 2, site.spacing(GLOBAL_LEVEL)), own=GLOBAL_ONLY if p.limits_in == SHARES else ""
    ),
    figure="{low}–{high}",
    keywords=("steepness", "cliff", "select", "angle"),
    starting_points=(
        ("Cliffs", {"low": 40}),
        ("Level ground", {"low": 0, "high": 8, "falloff": 6}),
        ("Walkable", {"low": 0, "high": 30, "falloff": 4}),
        ("The steepest tenth", {"limits_in": SHARES, "low_share": 0.9, "high_share": 1.0}),
    ),
)
def slope_band(ctx: Context) -> Arrays:
    """Slope by central differences over a fixed distance (Horn 1981 discusses the choice), then a smooth band. Shares
    of the ground are counted on levels up to 513 samples, so that they mean the same slopes at every detail."""
    p = ctx.p
    # the ranks hold for slopes over what the mapped level can measure
    over = p.baseline if p.limits_in == DEGREES else max(p.baseline, 2 * ctx.site.spacing(GLOBAL_LEVEL))
    slope = slope_degrees(ctx.input("height"), ctx.dx, over, ctx.stop, ctx.window)
    if p.limits_in == DEGREES:
        return {"mask": band(slope, min(p.low, p.high), max(p.low, p.high), p.falloff)}
    ranks = ctx.own(GLOBAL_LEVEL)["_ranks"] if ctx.level > GLOBAL_LEVEL else quantiles(slope)
    fraction = banded(ctx, lambda s: np.interp(s, ranks, np.linspace(0, 1, len(ranks))), slope)
    low, high = sorted((p.low_share, p.high_share))
    return {"mask": band(fraction, low, high, p.falloff_share), "_ranks": ranks}
