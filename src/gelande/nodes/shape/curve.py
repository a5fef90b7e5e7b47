"""Curve: maps heights through a drawn curve."""

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import Footprint
from gelande.core.recipe.node import height_in, height_out, node
from gelande.kernels.curves import remapped, table


@node(
    "curve",
    "Curve",
    "Shape",
    "Maps each height to another through a drawn curve.",
    reshapes="A curve sets heights anew.",
    inputs=(height_in(),),
    outputs=(height_out(),),
    params=(
        P.curve(
            "curve",
            "Curve",
            ((0.0, 0.0), (0.35, 0.2), (0.7, 0.82), (1.0, 1.0)),
            "Left to right the heights that come in, bottom to top those that go out.",
        ),
    ),
    footprint=Footprint(ranged=("height",)),
    base="height",
    keywords=("remap", "profile", "tone", "hypsometric", "invert", "bias", "equalise", "gamma", "histogram"),
    starting_points=(
        ("Flat-topped hills", {"curve": ((0.0, 0.0), (0.3, 0.12), (0.6, 0.8), (1.0, 1.0))}),
        ("Broad floors", {"curve": ((0.0, 0.0), (0.5, 0.16), (1.0, 1.0))}),
    ),
)
def curve(ctx: Context) -> Arrays:
    """Monotone cubic curve (Fritsch and Carlson 1980) over the input's range at the figures level; beyond it
    heights go on unchanged."""
    h = ctx.input("height")
    return {"height": remapped(h, table(ctx.p.curve), *ctx.range("height"), ctx.stop)}
