"""Height band: white between two heights."""

from gelande.core import param as P
from gelande.core.node import height_in, mask_out, node
from gelande.kernels.measure import band


@node(
    "height_band",
    "Height band",
    "Masks",
    "White between two heights.",
    inputs=(height_in(),),
    outputs=(mask_out(),),
    params=(
        P.metres(
            "low", "From", 180, "Lowest height that is fully white.", (-100_000, 100_000), (-200, 1500), 0, scales=True
        ),
        P.metres(
            "high", "To", 430, "Greatest height that is fully white.", (-100_000, 100_000), (-200, 1500), 0, scales=True
        ),
        P.metres(
            "falloff", "Falloff", 40, "Height over which white fades to black.", (0, 20_000), (0, 300), 0, scales=True
        ),
    ),
    figure="{low}–{high}",
    limits=("low", "high"),
    keywords=("altitude", "elevation", "select", "range", "threshold"),
    starting_points=(("Valley floors", {"low": -500, "high": 120}), ("High ground", {"low": 380, "high": 9000})),
)
def height_band(ctx):
    """1 between the two heights, a smooth step to 0 over the falloff on either side."""
    p = ctx.p
    return {"mask": band(ctx.input("height"), min(p.low, p.high), max(p.low, p.high), p.falloff)}
