"""Crests: sharpens or rounds ridges and hollows."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import Footprint
from gelande.core.recipe.node import height_in, height_out, node
from gelande.nodes.shared import blurred


@node(
    "crests",
    "Crests",
    "Shape",
    "Sharpens or rounds what stands out, or deepens or fills what lies in.",
    reshapes="It raises crests or lowers hollows.",
    inputs=(height_in(),),
    outputs=(height_out(),),
    params=(
        P.metres(
            "radius",
            "Radius",
            160,
            "Width of the crests and hollows that are meant.",
            (1, 20_000),
            (10, 800),
            0,
            scales=True,
        ),
        P.number("crests", "Crests", 0.8, "Above 0 sharpens crests, below 0 rounds them.", (-1, 5), (-1, 2), 2),
        P.number("hollows", "Hollows", 0.0, "Above 0 deepens hollows, below 0 fills them.", (-1, 5), (-1, 2), 2),
    ),
    footprint=lambda p, site: Footprint(low_passed={"height": p.radius / 2}),
    base="height",
    figure="{radius}",
    keywords=("ridge", "valley", "curvature", "peaks"),
    starting_points=(
        ("Sharp ridges", {"crests": 1.4}),
        ("Rounded", {"crests": -0.8}),
        ("Filled hollows", {"crests": 0.0, "hollows": -0.8}),
    ),
)
def crests(ctx: Context) -> Arrays:
    """Splits h - blur(h) into what is above and below the blurred surface and scales each; smooth at the change of
    sign."""
    p, h = ctx.p, ctx.input("height")
    d = h - blurred(ctx, "height", p.radius)
    soft = np.sqrt(d * d + np.float32((0.02 * p.radius) ** 2))
    above, below = (d + soft) / 2, (d - soft) / 2
    rest = np.float32(0.01 * p.radius)
    return {"height": h + np.float32(p.crests) * (above - rest) + np.float32(p.hollows) * (below + rest)}
