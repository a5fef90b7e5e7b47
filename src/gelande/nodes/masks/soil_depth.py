"""Soil depth: how much loose ground lies where."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import Footprint
from gelande.core.recipe.node import height_in, mask_in, mask_out, node
from gelande.kernels.measure import gaussian, slope_degrees
from gelande.kernels.relief import MEAN, curvature
from gelande.kernels.shapes import smoothstep
from gelande.nodes.shared import banded, filtered

#: Depths at which the making of soil has fallen to a third, that the deepest soil is thick.
FOLDS = 3.0
MAPS = ("fill", "scree", "silt")


@node(
    "soil_depth",
    "Soil depth",
    "Masks",
    "White where loose ground lies deep: hollows, feet of slopes, what erosion laid down; black on bare rock.",
    inputs=(
        height_in(),
        mask_in("fill", "Fill", True, "Where erosion laid ground down."),
        mask_in("scree", "Scree", True, "Where scree lies."),
        mask_in("silt", "Silt", True, "Where silt lies."),
    ),
    outputs=(mask_out(),),
    params=(
        P.metres(
            "size",
            "Size",
            50,
            "Size of the forms that soil follows.",
            (0.5, 20_000),
            (40, 400),
            0,
            log=True,
            scales=True,
        ),
        P.fraction(
            "bare",
            "Bare at bend",
            0.12,
            "Bulge across the size, as a share of it, at which soil creeps away faster than it is made.",
            (0.005, 2),
            (0.02, 0.5),
        ),
        P.degrees("steep", "Bare at slope", 42, "Steeper ground holds no soil.", (5, 90), (20, 70)),
        P.degrees("falloff", "Falloff", 14, "Degrees below that over which soil thins.", (0, 60), (0, 40)),
        P.fraction("laid", "Depth of the maps", 0.9, "How deep the ground lies where a linked map is white."),
    ),
    footprint=lambda p, site: Footprint(asks=lambda level: MAPS, low_passed={"height": p.size / 2}),
    figure="of {size}",
    keywords=("regolith", "dirt", "earth", "ground", "sediment", "colluvium", "rock", "bare", "thickness"),
    starting_points=(
        ("Old, gentle land", {"bare": 0.2, "steep": 48}),
        ("Young, rocky land", {"bare": 0.05, "steep": 32}),
        ("Only what was laid down", {"bare": 0.02, "steep": 20, "laid": 1.0}),
    ),
)
def soil_depth(ctx: Context) -> Arrays:
    """Depth at which as much soil is made as creeps away: making falls with depth by e-folds, creep grows with the
    bulge of the land (Heimsath, Dietrich, Nishiizumi and Finkel 1997), and hollows keep the deepest. It thins on steep
    slopes, and is at least as deep as the linked maps say."""
    p = ctx.p

    def lies(h, radius):
        dx = p.size / 2 / radius
        smooth = gaussian(h, radius, ctx.stop)
        bulge = curvature(smooth, dx, MEAN) * np.float32(p.size) / np.float32(p.bare)
        depth = -np.log(np.maximum(bulge, np.float32(np.exp(-FOLDS)))) / np.float32(FOLDS)
        slope = slope_degrees(smooth, dx, 2 * dx, ctx.stop)
        holds = 1 - smoothstep((slope - np.float32(p.steep - p.falloff)) / np.float32(max(p.falloff, 0.5)))
        return (np.clip(depth, 0, 1) * holds).astype(np.float32)

    found = filtered(ctx, "height", p.size / 2, lies, False)
    laid = [ctx.input(name) for name in MAPS if ctx.has(name)]
    deepest = np.float32(p.laid)

    def joined(depth, *maps):
        for m in maps:
            depth = np.maximum(depth, m * deepest)
        return np.clip(depth, 0, 1)

    return {"mask": banded(ctx, joined, found, *laid)}
