"""Mask mix: two masks into one."""

import numpy as np

from gelande.core import param as P
from gelande.core.node import mask_in, mask_out, node

WAYS = {
    "Multiply": lambda a, b: a * b,
    "Add": lambda a, b: a + b,
    "Subtract": lambda a, b: a - b,
    "Higher": np.maximum,
    "Lower": np.minimum,
    "Difference": lambda a, b: np.abs(a - b),
    "Divide": lambda a, b: a / np.maximum(b, np.float32(1e-3)),
    "Screen": lambda a, b: 1 - (1 - a) * (1 - b),
}


@node(
    "mask_mix",
    "Mask mix",
    "Masks",
    "Joins two masks: both, either, one without the other.",
    inputs=(mask_in("first", "First"), mask_in("second", "Second")),
    outputs=(mask_out(),),
    params=(
        P.choice(
            "way",
            "Way",
            "Multiply",
            (*WAYS, "Percentage"),
            "Multiply keeps what is white in both, Screen what is white in either.",
        ),
        P.share(
            "share",
            "Share of the second",
            0.5,
            "How much of the second mask is taken.",
            shown_when=("way", ("Percentage",)),
        ),
    ),
    base="first",
    figure="{way}",
    keywords=("combine", "and", "or", "not", "intersect", "union", "lighten", "darken", "blend"),
    starting_points=(
        ("Both", {"way": "Multiply"}),
        ("Either", {"way": "Screen"}),
        ("First without second", {"way": "Subtract"}),
    ),
)
def mask_mix(ctx):
    """Sample by sample; the result is held between 0 and 1."""
    a, b = ctx.input("first"), ctx.input("second")
    out = a + (b - a) * np.float32(ctx.p.share) if ctx.p.way == "Percentage" else WAYS[ctx.p.way](a, b)
    return {"mask": np.clip(out, 0, 1)}
