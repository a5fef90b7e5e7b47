"""Smooth: takes detail away."""

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import Footprint
from gelande.core.recipe.node import any_in, any_out, node
from gelande.nodes.shared import blurred


@node(
    "smooth",
    "Smooth",
    "Shape",
    "Takes away everything smaller than a radius, of land, a mask or a colour.",
    inputs=(any_in(),),
    outputs=(any_out(),),
    params=(
        P.metres(
            "radius", "Radius", 40, "Size of what is smoothed away.", (0, 20_000), (0, 300), 0, log=False, scales=True
        ),
    ),
    footprint=lambda p, site: Footprint(
        asks=lambda level: () if p.radius > 0 else ("height",), low_passed={"height": p.radius / 2}
    ),
    base="height",
    figure="{radius}",
    keywords=("blur", "soften", "gaussian", "low-pass"),
    starting_points=(("Slight", {"radius": 15}), ("Broad forms only", {"radius": 250})),
)
def smooth(ctx: Context) -> Arrays:
    """Gaussian filter with a standard deviation of half the radius, done on the level where it is a few samples
    wide."""
    return {"height": blurred(ctx, "height", ctx.p.radius)}
