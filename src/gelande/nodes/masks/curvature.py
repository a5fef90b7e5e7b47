"""Curvature: white where the land bulges out, or lies in."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import Footprint
from gelande.core.recipe.node import height_in, mask_out, node
from gelande.kernels.measure import gaussian
from gelande.kernels.relief import MEAN, PLAN, PROFILE, curvature
from gelande.nodes.shared import banded, filtered

CONVEX, CONCAVE, BOTH = "bulges", "hollows", "both"


@node(
    "curvature",
    "Curvature",
    "Masks",
    "White where the land bulges out or lies in, at a size: crests and spurs, or channels and feet of slopes.",
    inputs=(height_in(),),
    outputs=(mask_out(),),
    params=(
        P.choice(
            "form",
            "Form",
            CONVEX,
            (CONVEX, CONCAVE, BOTH),
            "What is white; with Both, bulges are white, hollows black.",
        ),
        P.choice("way", "Measured", MEAN, (MEAN, PROFILE, PLAN), "In all directions, down the slope, or across it."),
        P.metres(
            "size",
            "Size",
            60,
            "Size of the forms that are looked at.",
            (0.5, 20_000),
            (40, 500),
            0,
            log=True,
            scales=True,
        ),
        P.fraction(
            "full",
            "White at",
            0.12,
            "Bend across the size that is fully white, as a share of the size.",
            (0.005, 2),
            (0.02, 0.5),
        ),
    ),
    footprint=lambda p, site: Footprint(asks=lambda level: (), low_passed={"height": p.size / 2}),
    figure="{form} of {size}",
    keywords=("convexity", "concavity", "convex", "concave", "ridge", "crest", "cavity"),
    starting_points=(
        ("Worn edges", {"form": CONVEX, "size": 25}),
        ("Damp hollows", {"form": CONCAVE, "size": 120}),
        ("Spurs and gullies", {"form": BOTH, "way": PLAN, "size": 90}),
    ),
)
def curvature_mask(ctx: Context) -> Arrays:
    """Bend of a quadratic through the land at the size (Zevenbergen and Thorne 1987; Wood 1996): down the slope, across
    it, or the mean of all directions."""
    p = ctx.p

    def bend(h, radius):
        dx = p.size / 2 / radius
        return curvature(gaussian(h, radius, ctx.stop), dx, p.way, ctx.stop) * np.float32(p.size)

    found, full = filtered(ctx, "height", p.size / 2, bend, False), np.float32(p.full)
    if p.form == BOTH:
        return {"mask": banded(ctx, lambda k: np.clip(np.float32(0.5) + np.float32(0.5) * k / full, 0, 1), found)}
    sign = np.float32(1 if p.form == CONVEX else -1)
    return {"mask": banded(ctx, lambda k: np.clip(sign * k / full, 0, 1), found)}
