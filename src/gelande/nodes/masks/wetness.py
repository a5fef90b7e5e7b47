"""Wetness: white where water gathers and stays."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import FINER, Footprint
from gelande.core.recipe.node import height_in, mask_out, node
from gelande.core.recipe.site import GLOBAL_LEVEL
from gelande.kernels.flow import accumulate, drain, neighbours
from gelande.kernels.measure import gaussian, slope_degrees
from gelande.nodes.shared import banded

#: Slopes in metres a metre below which ground counts as level: it holds water no better for being more so.
LEVEL = 0.01
#: Jitter of the ways that water takes, so that it does not run along the grid.
JITTER, SEED = 0.5, 71


def _index(ctx: Context) -> np.ndarray:
    """Natural logarithm of the area that drains through a metre's width, over the slope."""
    h = ctx.input("height")
    _, way, fraction, order = drain(h, SEED, JITTER, stop=ctx.stop)
    area = np.full(h.size, ctx.dx * ctx.dx, np.float32)
    accumulate(order, way, neighbours(h.shape[1]), fraction, area, np.inf)
    ctx.check()
    slope = np.tan(np.radians(slope_degrees(h, ctx.dx, ctx.p.size, ctx.stop, ctx.window)))
    return np.log(area.reshape(h.shape) / np.float32(ctx.dx) / np.maximum(slope, LEVEL)).astype(np.float32)


@node(
    "wetness",
    "Wetness",
    "Masks",
    "White where water gathers and stays: valley floors, hollows, feet of slopes.",
    inputs=(height_in(),),
    outputs=(mask_out(),),
    params=(
        P.metres(
            "size", "Size", 40, "How broadly wet ground spreads.", (0.5, 20_000), (8, 300), 0, log=True, scales=True
        ),
        P.fraction("dry", "Driest share", 0.3, "Share of the ground that is black.", (0, 0.98)),
        P.fraction(
            "wet", "Wettest share", 0.05, "Share of the ground that is fully white.", (0.001, 0.9), (0.005, 0.4)
        ),
    ),
    footprint=Footprint(asks=lambda level: ("height",) if level <= GLOBAL_LEVEL else (), own=FINER),
    figure="{size}",
    keywords=("twi", "moisture", "damp", "bog", "marsh", "soil", "topographic wetness"),
    starting_points=(
        ("Damp ground", {}),
        ("Bogs", {"size": 60, "dry": 0.8, "wet": 0.04}),
        ("All but ridges", {"size": 80, "dry": 0.1, "wet": 0.3}),
    ),
)
def wetness(ctx: Context) -> Arrays:
    """Topographic wetness index (Beven and Kirkby 1979): the area that drains to a place over its slope, on the flooded
    land (Barnes et al. 2014), spread by a Gaussian, between two quantiles. Found on levels up to 513 samples; finer
    ones show the same."""
    p = ctx.p
    if ctx.level > GLOBAL_LEVEL:
        spread = ctx.raised(ctx.own(ctx.level - 1)["_wet"], smooth=False)
        return {"mask": spread, "_wet": spread}
    index = gaussian(_index(ctx), p.size / 2 / ctx.dx, ctx.stop)
    low, high = np.quantile(index, min(p.dry, 0.999 - p.wet)), np.quantile(index, 1 - p.wet)
    span = np.float32(max(high - low, 1e-3))
    mask = banded(ctx, lambda k: np.clip((k - np.float32(low)) / span, 0, 1), index)
    return {"mask": mask, "_wet": mask}
