"""Mask levels: contrast, threshold and curve of a mask."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.node import mask_in, mask_out, node
from gelande.kernels.curves import remapped, table
from gelande.nodes.shared import banded

LEVELS, THRESHOLD, CURVE = "levels", "threshold", "curve"


@node(
    "mask_levels",
    "Mask levels",
    "Masks",
    "Sets how bright a mask is: black and white points, middle, a threshold, or a drawn curve.",
    inputs=(mask_in("first", "Mask to change"),),
    outputs=(mask_out(),),
    params=(
        P.choice("way", "Way", LEVELS, (LEVELS, THRESHOLD, CURVE), "How greys become other greys."),
        P.fraction("low", "Black point", 0.1, "Grey that becomes black.", shown_when=("way", (LEVELS,))),
        P.fraction("high", "White point", 0.9, "Grey that becomes white.", shown_when=("way", (LEVELS,))),
        P.number(
            "gamma",
            "Middle",
            1.0,
            "Above 1 middle greys become brighter, below 1 darker.",
            (0.05, 20),
            (0.2, 5),
            log=True,
            shown_when=("way", (LEVELS,)),
        ),
        P.fraction(
            "threshold",
            "Threshold",
            0.5,
            "Greys above become white, those below black.",
            shown_when=("way", (THRESHOLD,)),
        ),
        P.fraction(
            "softness", "Softness", 0.1, "Greys around the threshold that stay grey.", shown_when=("way", (THRESHOLD,))
        ),
        P.curve(
            "curve",
            "Curve",
            ((0.0, 0.0), (0.35, 0.15), (0.65, 0.85), (1.0, 1.0)),
            "From grey at the foot to grey at the side.",
            shown_when=("way", (CURVE,)),
        ),
        P.fraction("black", "Darkest", 0.0, "What black becomes."),
        P.fraction("white", "Brightest", 1.0, "What white becomes."),
    ),
    base="first",
    figure="{way}",
    keywords=("contrast", "brightness", "gamma", "threshold", "clamp", "remap", "curve", "gain", "bias", "posterise"),
    starting_points=(
        ("More contrast", {"low": 0.25, "high": 0.75}),
        ("Cut to black and white", {"way": THRESHOLD, "softness": 0.02}),
        ("Never quite black", {"low": 0, "high": 1, "black": 0.2}),
    ),
)
def mask_levels(ctx: Context) -> Arrays:
    """Levels with a power in the middle, a smooth step, or a monotone curve through points (Fritsch and Carlson)."""
    p, mask = ctx.p, ctx.input("first")
    if p.way == CURVE:
        found = remapped(mask, table(p.curve), 0.0, 1.0, ctx.stop)
    elif p.way == THRESHOLD:
        half = np.float32(max(p.softness / 2, 1e-3))

        def step(m):
            t = np.clip((m - np.float32(p.threshold)) / (2 * half) + np.float32(0.5), 0, 1)
            return t * t * (3 - 2 * t)

        found = banded(ctx, step, mask)
    else:
        low, span = np.float32(min(p.low, p.high)), np.float32(max(abs(p.high - p.low), 1e-3))
        power = np.float32(1 / p.gamma)
        found = banded(ctx, lambda m: np.clip((m - low) / span, 0, 1) ** power, mask)
    black, span = np.float32(p.black), np.float32(p.white - p.black)
    return {"mask": banded(ctx, lambda m: np.clip(black + span * m, 0, 1), found)}
