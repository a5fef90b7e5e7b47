"""Creep: soil that moves down from what stands out into what lies in."""

import numpy as np

from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import Footprint
from gelande.core.recipe.node import height_in, height_out, mask_out, node
from gelande.nodes.shared import blurred

from .kernels import whitened


@node(
    "screes.creep",
    "Creep",
    "Soil",
    "Rounds what stands out and fills what lies in, as soil does that creeps downhill.",
    inputs=(height_in(),),
    outputs=(height_out(), mask_out("filled", "Filled")),
    params=(
        P.metres("reach", "Reach", 60, "How far the soil comes.", (0, 20_000), (5, 400), 0, scales=True),
        P.fraction("strength", "Strength", 0.5, "How much of it has moved."),
        P.metres(
            "thick_at", "White at", 6, "Thickness at which the mask is white.", (0.01, 500), (0.1, 20), 1, scales=True
        ),
    ),
    base="height",
    footprint=lambda p, site: Footprint(low_passed={"height": p.reach / 2}),
    figure="{reach}",
    keywords=("soil", "diffusion", "round", "hillslope"),
    starting_points=(("Old hills", {"reach": 200, "strength": 0.8}),),
)
def creep(ctx):
    """Hillslope diffusion (Culling 1960) over a time: the land moves towards its mean over the reach."""
    p, h = ctx.p, ctx.input("height")
    moved = np.float32(p.strength) * (blurred(ctx, "height", p.reach) - h)
    return {"height": h + moved, "filled": whitened(np.ascontiguousarray(moved), np.float32(p.thick_at), ctx.stop)}
