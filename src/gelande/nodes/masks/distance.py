"""Distance: how far it is to a mask's edge."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import Footprint
from gelande.core.recipe.node import mask_in, mask_out, node
from gelande.kernels.curves import remapped, table
from gelande.kernels.distances import to_edge
from gelande.nodes.shared import banded

OUTSIDE, INSIDE, BOTH = "outside", "inside", "both"


@node(
    "distance",
    "Distance",
    "Masks",
    "Fades over metres from a mask's edge: outwards, inwards, or both ways.",
    inputs=(mask_in("first", "Mask"),),
    outputs=(mask_out(),),
    params=(
        P.choice(
            "side", "Side", OUTSIDE, (OUTSIDE, INSIDE, BOTH), "Where it fades: around the white, within it, or both."
        ),
        P.metres(
            "reach", "Reach", 150, "Metres over which it fades.", (0.1, 20_000), (10, 1000), 0, log=True, scales=True
        ),
        P.fraction("threshold", "Edge at", 0.5, "Grey at which the mask's edge lies.", (0.01, 0.99)),
        P.curve("profile", "Profile", ((0.0, 1.0), (1.0, 0.0)), "From the edge at the left to the reach at the right."),
    ),
    footprint=lambda p, site: Footprint(halo=p.reach),
    figure="{side} · {reach}",
    keywords=("buffer", "proximity", "falloff", "margin", "shore", "field", "offset", "feather"),
    starting_points=(
        ("A band along the edge", {"side": BOTH, "reach": 40}),
        ("Deep inside", {"side": INSIDE, "reach": 200, "profile": ((0.0, 0.0), (1.0, 1.0))}),
        ("Near it", {"reach": 300, "profile": ((0.0, 1.0), (0.5, 0.3), (1.0, 0.0))}),
    ),
)
def distance(ctx: Context) -> Arrays:
    """Exact Euclidean distance (Felzenszwalb and Huttenlocher 2012) to where the mask crosses the edge's grey, set
    between samples by the grey on either side, and mapped by the profile. On the other side of the edge it is as at
    the edge."""
    p = ctx.p
    signed = to_edge(ctx.input("first"), p.threshold, ctx.dx, p.reach, ctx.stop)
    ctx.check()
    away = {OUTSIDE: lambda d: d, INSIDE: lambda d: -d, BOTH: np.abs}[p.side]
    fraction = banded(ctx, lambda d: np.clip(away(d) / np.float32(p.reach), 0, 1), signed)
    return {"mask": banded(ctx, lambda m: np.clip(m, 0, 1), remapped(fraction, table(p.profile), 0.0, 1.0, ctx.stop))}
