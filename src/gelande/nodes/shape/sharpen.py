"""Sharpen: strengthens detail of a size."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import Footprint
from gelande.core.recipe.node import height_in, height_out, node
from gelande.nodes.shared import blurred


@node(
    "sharpen",
    "Sharpen",
    "Shape",
    "Makes forms below a size stand out more.",
    inputs=(height_in(),),
    outputs=(height_out(),),
    params=(
        P.metres(
            "radius", "Radius", 120, "Forms up to this size are strengthened.", (0, 20_000), (5, 600), 0, scales=True
        ),
        P.number("strength", "Strength", 0.8, "How much of the detail is added once more.", (0, 10), (0, 3), 2),
    ),
    footprint=lambda p, site: Footprint(low_passed={"height": p.radius / 2}),
    base="height",
    figure="{radius}",
    keywords=("unsharp", "detail", "crisp", "contrast"),
    starting_points=(
        ("Crisp edges", {"radius": 40, "strength": 1.2}),
        ("Strong forms", {"radius": 400, "strength": 0.7}),
    ),
)
def sharpen(ctx: Context) -> Arrays:
    """Unsharp masking: h + strength · (h - blur(h))."""
    h = ctx.input("height")
    return {"height": h + np.float32(ctx.p.strength) * (h - blurred(ctx, "height", ctx.p.radius))}
