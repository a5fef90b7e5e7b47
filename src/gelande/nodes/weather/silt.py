"""Silt: fine sediment that levels hollows."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import FINER, Footprint
from gelande.core.recipe.node import height_in, height_out, mask_out, node
from gelande.core.recipe.site import GLOBAL_LEVEL
from gelande.kernels.water import spread, surfaces, up_surface
from gelande.nodes.shared import banded


@node(
    "silt",
    "Silt",
    "Weather",
    "Lays fine sediment into hollows until they are level up to a share of their depth.",
    inputs=(height_in(),),
    outputs=(height_out(), mask_out("silt", "Silt")),
    params=(
        P.fraction("filled", "How full", 0.6, "Share of a hollow's depth that is filled.", (0.0, 1.0)),
        P.metres(
            "least_depth",
            "Shallowest",
            0,
            "Hollows that are shallower are left alone.",
            (0, 1000),
            (0, 20),
            1,
            scales=True,
        ),
        P.fraction(
            "dished",
            "Dished",
            0.15,
            "How far the floor rises towards the edge, as sediment does where it is washed in.",
        ),
        P.metres(
            "thick_at", "White at", 3, "Thickness at which the mask is white.", (0.01, 1000), (0.2, 20), 1, scales=True
        ),
    ),
    base="height",
    version=2,
    footprint=Footprint(own=FINER),
    figure="{filled}",
    keywords=("sediment", "fill", "mud", "floor", "level", "depression", "alluvium"),
    starting_points=(("Level floors", {"filled": 1.0, "dished": 0.05}), ("A film of mud", {"filled": 0.2})),
)
def silt(ctx: Context) -> Arrays:
    """Hollows found by priority flood (Barnes et al. 2014) are filled up to a flat floor at a share of their depth;
    the floor is dished by letting a share of the ground's own shape show through."""
    p, h = ctx.p, ctx.input("height")
    if ctx.level <= GLOBAL_LEVEL:
        near = spread(surfaces(h, ctx.dx, max(p.filled, 1e-3), None, p.least_depth, 0.0, ctx.stop), h)
    else:
        near = ctx.raised(ctx.own(ctx.level - 1)["_near"], up_surface)
    ctx.check()
    laid = banded(ctx, lambda s, h: np.maximum(s - h, 0) * np.float32(1 - p.dished) * np.float32(p.filled > 0), near, h)
    return {
        "height": h + laid,
        "silt": banded(ctx, lambda d: np.clip(d / np.float32(p.thick_at), 0, 1), laid),
        "_near": near,
    }
