"""Height band: white between two heights."""

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import Footprint
from gelande.core.recipe.node import height_in, mask_out, node
from gelande.kernels.measure import band

METRES, SHARES = "metres", "shares_of_its_range"


@node(
    "height_band",
    "Height band",
    "Masks",
    "White between two heights.",
    inputs=(height_in(),),
    outputs=(mask_out(),),
    params=(
        P.choice(
            "limits_in",
            "Limits in",
            METRES,
            (METRES, SHARES),
            "Metres, or shares of the land's own range: 0 % is its lowest point, 100 % its highest.",
        ),
        P.metres(
            "low",
            "From",
            180,
            "Lowest height that is fully white.",
            (-100_000, 100_000),
            (-200, 1500),
            0,
            shown_when=("limits_in", (METRES,)),
            scales=True,
        ),
        P.metres(
            "high",
            "To",
            430,
            "Greatest height that is fully white.",
            (-100_000, 100_000),
            (-200, 1500),
            0,
            shown_when=("limits_in", (METRES,)),
            scales=True,
        ),
        P.metres(
            "falloff",
            "Falloff",
            40,
            "Height over which white fades to black.",
            (0, 20_000),
            (0, 300),
            0,
            shown_when=("limits_in", (METRES,)),
            scales=True,
        ),
        P.fraction(
            "low_share",
            "From",
            0.5,
            "Lowest height that is fully white, as a share of the land's range.",
            shown_when=("limits_in", (SHARES,)),
        ),
        P.fraction(
            "high_share",
            "To",
            1.0,
            "Greatest height that is fully white, as a share of the land's range.",
            shown_when=("limits_in", (SHARES,)),
        ),
        P.fraction(
            "falloff_share",
            "Falloff",
            0.1,
            "Share of the range over which white fades to black.",
            shown_when=("limits_in", (SHARES,)),
        ),
    ),
    footprint=lambda p, site: Footprint(ranged=("height",) if p.limits_in == SHARES else ()),
    figure="{low}–{high}",
    limits=("low", "high"),
    keywords=("altitude", "elevation", "select", "range", "threshold"),
    starting_points=(
        ("Valley floors", {"low": -500, "high": 120}),
        ("High ground", {"low": 380, "high": 9000}),
        ("The upper half", {"limits_in": SHARES, "low_share": 0.5, "high_share": 1.0}),
    ),
)
def height_band(ctx: Context) -> Arrays:
    """1 between the two heights, a smooth step to 0 over the falloff on either side."""
    p = ctx.p
    if p.limits_in == METRES:
        return {"mask": band(ctx.input("height"), min(p.low, p.high), max(p.low, p.high), p.falloff)}
    least, most = ctx.range("height")
    low, high = (least + fraction * (most - least) for fraction in sorted((p.low_share, p.high_share)))
    return {"mask": band(ctx.input("height"), low, high, p.falloff_share * (most - least))}
