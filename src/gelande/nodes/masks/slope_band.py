"""Slope band: white between two slopes."""

from gelande.core import param as P
from gelande.core.node import height_in, mask_out, node
from gelande.kernels.measure import band, slope_degrees


@node(
    "slope_band",
    "Slope band",
    "Masks",
    "White between two slopes.",
    inputs=(height_in(),),
    outputs=(mask_out(),),
    params=(
        P.degrees("low", "From", 30, "Gentlest slope that is fully white."),
        P.degrees("high", "To", 90, "Steepest slope that is fully white."),
        P.degrees("falloff", "Falloff", 8, "Degrees over which white fades to black."),
        P.metres(
            "baseline",
            "Measured over",
            32,
            "Distance over which slope is measured.",
            (0.1, 5000),
            (4, 120),
            0,
            log=True,
            scales=True,
        ),
    ),
    reach=lambda p, site: p.baseline / 2,
    figure="{low}–{high}",
    keywords=("steepness", "cliff", "select", "angle"),
    starting_points=(
        ("Cliffs", {"low": 40}),
        ("Level ground", {"low": 0, "high": 8, "falloff": 6}),
        ("Walkable", {"low": 0, "high": 30, "falloff": 4}),
    ),
)
def slope_band(ctx):
    """Slope by central differences over a fixed distance (Horn 1981 discusses the choice), then a smooth band."""
    p = ctx.p
    slope = slope_degrees(ctx.input("height"), ctx.dx, p.baseline, ctx.stop, ctx.frame)
    return {"mask": band(slope, min(p.low, p.high), max(p.low, p.high), p.falloff)}
