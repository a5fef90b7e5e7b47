"""Mask mix: several masks into one."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.node import mask_in, mask_out, node

WAYS = {
    "multiply": lambda a, b: a * b,
    "add": lambda a, b: a + b,
    "subtract": lambda a, b: a - b,
    "higher": np.maximum,
    "lower": np.minimum,
    "difference": lambda a, b: np.abs(a - b),
    "divide": lambda a, b: a / np.maximum(b, np.float32(1e-3)),
    "screen": lambda a, b: 1 - (1 - a) * (1 - b),
}
PERCENTAGE = "percentage"
NAMES = ("first", "second", "third", "fourth", "fifth", "sixth", "seventh", "eighth", "ninth", "tenth")


def _inputs(params: dict) -> tuple:
    """As many ports as masks are joined; two of them have to be linked."""
    return tuple(mask_in(name, name.capitalize(), k > 1) for k, name in enumerate(NAMES[: params.get("masks", 2)]))


@node(
    "mask_mix",
    "Mask mix",
    "Masks",
    "Joins masks: all of them, any of them, one without the others.",
    inputs=_inputs({"masks": 2}),
    ports=lambda params, face: (_inputs(params), (mask_out(),)),
    outputs=(mask_out(),),
    params=(
        P.count("masks", "Masks", 2, "How many are joined, one after the other.", (2, len(NAMES)), (2, 6)),
        P.choice(
            "way",
            "Way",
            "multiply",
            (*WAYS, PERCENTAGE),
            "Multiply keeps what is white in both, Screen what is white in either.",
        ),
        P.fraction(
            "share",
            "Share of the next",
            0.5,
            "How much of each further mask is taken.",
            shown_when=("way", (PERCENTAGE,)),
        ),
    ),
    base="first",
    figure="{way}",
    keywords=("combine", "and", "or", "not", "intersect", "union", "lighten", "darken", "blend"),
    starting_points=(
        ("Both", {"way": "multiply"}),
        ("Either", {"way": "screen"}),
        ("First without second", {"way": "subtract"}),
    ),
)
def mask_mix(ctx: Context) -> Arrays:
    """Sample by sample, one mask after the other; the result is held between 0 and 1. A port that is not linked is left
    out."""
    fraction = np.float32(ctx.p.share)
    join = (lambda a, b: a + (b - a) * fraction) if ctx.p.way == PERCENTAGE else WAYS[ctx.p.way]
    out = ctx.input("first")
    for name in NAMES[1 : ctx.p.masks]:
        other = ctx.input(name)
        out = out if other is None else join(out, other)
    return {"mask": np.clip(out, 0, 1)}
