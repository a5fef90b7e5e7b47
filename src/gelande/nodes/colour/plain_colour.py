"""Plain colour: one colour everywhere."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import Footprint
from gelande.core.recipe.node import colour_in, colour_out, node
from gelande.kernels.curves import to_linear

GRASS = (0.60, 0.61, 0.40)


@node(
    "plain_colour",
    "Plain colour",
    "Colour",
    "One colour; with a mask it lies over another one.",
    inputs=(colour_in("under", "Under", True, "Colour that shows where this one is restricted."),),
    outputs=(colour_out(),),
    params=(P.colour("tone", "Colour", GRASS, "The colour, as a screen shows it."),),
    base="under",
    footprint=Footprint(asks=lambda level: ()),
    figure="{tone}",
    keywords=("solid", "flat", "fill", "constant", "single", "paint"),
    starting_points=(
        ("Grass", {"tone": GRASS}),
        ("Snow", {"tone": (0.93, 0.94, 0.96)}),
        ("Bare rock", {"tone": (0.52, 0.49, 0.45)}),
        ("Dust", {"tone": (0.62, 0.55, 0.44)}),
    ),
)
def plain_colour(ctx: Context) -> Arrays:
    """The colour in linear light at every sample."""
    tone = to_linear(np.array(ctx.p.tone, np.float32))
    return {"colour": np.broadcast_to(tone, (*ctx.shape, 3))}
