"""Colour mix: one colour laid over another."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.node import colour_in, colour_out, node

WAYS = ("lay_over", "multiply", "screen", "overlay", "darken", "lighten", "add", "soft_light")


@node(
    "colour_mix",
    "Colour mix",
    "Colour",
    "Lays one colour over another where a mask is white.",
    inputs=(colour_in("under", "Under"), colour_in("over", "Over")),
    outputs=(colour_out(),),
    params=(P.choice("way", "Way", "lay_over", WAYS, "How the upper colour changes the lower one."),),
    base="under",
    figure="{way}",
    keywords=("blend", "layer", "composite", "combine", "multiply", "screen"),
    starting_points=(("Lay over", {}), ("Shade", {"way": "multiply"}), ("Glaze", {"way": "soft_light"})),
)
def colour_mix(ctx: Context) -> Arrays:
    """The separable blend functions of the W3C's Compositing and Blending Level 1, on linear light; Add is the plain
    sum."""
    a, b = ctx.input("under"), ctx.input("over")
    one, two = np.float32(1), np.float32(2)
    if ctx.p.way == "lay_over":
        out = b
    elif ctx.p.way == "multiply":
        out = a * b
    elif ctx.p.way == "screen":
        out = a + b - a * b
    elif ctx.p.way == "overlay":
        out = np.where(a < 0.5, two * a * b, one - two * (one - a) * (one - b))
    elif ctx.p.way == "darken":
        out = np.minimum(a, b)
    elif ctx.p.way == "lighten":
        out = np.maximum(a, b)
    elif ctx.p.way == "add":
        out = a + b
    else:
        light = np.clip(a, 0, 1)
        bright = np.where(light <= 0.25, ((16 * light - 12) * light + 4) * light, np.sqrt(light))
        out = np.where(
            b <= 0.5, light - (one - two * b) * light * (one - light), light + (two * b - one) * (bright - light)
        )
    return {"colour": np.clip(out, 0, 1) if ctx.p.way not in ("add", "lay_over") else out}
