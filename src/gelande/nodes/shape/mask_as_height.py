"""Mask as height: metres at black and at white."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.node import height_out, mask_in, node
from gelande.nodes.shared import banded


@node(
    "mask_as_height",
    "Mask as height",
    "Shape",
    "A mask as land: so many metres where it is black, so many where it is white.",
    reshapes="It makes land of a mask.",
    inputs=(mask_in("first", "Mask"),),
    outputs=(height_out(),),
    params=(
        P.metres(
            "low", "At black", 0, "Height where the mask is black.", (-100_000, 100_000), (-200, 1500), 0, scales=True
        ),
        P.metres(
            "high",
            "At white",
            100,
            "Height where the mask is white.",
            (-100_000, 100_000),
            (-200, 1500),
            0,
            scales=True,
        ),
    ),
    converts=True,
    figure="{low} to {high}",
    keywords=("convert", "displace", "extrude", "height from mask", "raise"),
    starting_points=(("A step up", {"high": 40}), ("A hollow", {"high": -40})),
)
def mask_as_height(ctx: Context) -> Arrays:
    """A straight line between the two heights."""
    p, span = ctx.p, np.float32(ctx.p.high - ctx.p.low)
    return {"height": banded(ctx, lambda m: np.float32(p.low) + m * span, ctx.input("first"))}
