"""Height as mask: black at one height, white at another."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import Footprint
from gelande.core.recipe.node import height_in, mask_out, node
from gelande.nodes.shared import banded

GIVEN, WHOLE = "given_heights", "whole_range"


@node(
    "height_as_mask",
    "Height as mask",
    "Masks",
    "Any height as a mask: black at one height, white at another.",
    inputs=(height_in(),),
    outputs=(mask_out(),),
    params=(
        P.choice(
            "range", "Runs over", WHOLE, (WHOLE, GIVEN), "From the lowest to the highest point, or between two heights."
        ),
        P.metres(
            "low",
            "Black at",
            0,
            "Height that becomes black.",
            (-100_000, 100_000),
            (-200, 1500),
            0,
            shown_when=("range", (GIVEN,)),
            scales=True,
        ),
        P.metres(
            "high",
            "White at",
            600,
            "Height that becomes white.",
            (-100_000, 100_000),
            (-200, 1500),
            0,
            shown_when=("range", (GIVEN,)),
            scales=True,
        ),
    ),
    footprint=lambda p, site: Footprint(ranged=("height",) if p.range == WHOLE else ()),
    converts=True,
    figure="{range}",
    keywords=("convert", "heightfield", "noise", "greyscale", "gray", "displacement", "normalize", "mask from height"),
    starting_points=(("Over its range", {}), ("Between two heights", {"range": GIVEN})),
)
def height_as_mask(ctx: Context) -> Arrays:
    """A straight line from black to white between the two heights; noise of any kind becomes a mask by it."""
    p = ctx.p
    low, high = ctx.range("height") if p.range == WHOLE else (p.low, p.high)
    span = np.float32(high - low if abs(high - low) > 1e-6 else 1e-6)
    return {"mask": banded(ctx, lambda h: np.clip((h - np.float32(low)) / span, 0, 1), ctx.input("height"))}
