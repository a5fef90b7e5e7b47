"""Drumlins: hills drawn out by ice."""

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.node import height_out, node
from gelande.kernels.scatter import drumlin_field


@node(
    "drumlins",
    "Drumlins",
    "Landforms",
    "A field of egg-shaped hills drawn out in the direction of the ice.",
    outputs=(height_out(),),
    params=(
        P.metres("width", "Width", 190, "Width of a hill.", (1, 20_000), (20, 800), 0, log=True, scales=True),
        P.number("length", "Length", 3.2, "Length of a hill in widths.", (1, 12), (1.5, 7), 1),
        P.metres("relief", "Height", 34, "Height of the larger hills.", (0, 2000), (0, 200), 0, scales=True),
        P.fraction("density", "Density", 0.75, "How closely the hills lie."),
        P.fraction("irregularity", "Irregularity", 0.6, "How much they differ in size, place and direction."),
        P.degrees("direction", "Ice towards", 150, "Where the ice moved to, clockwise from north.", (0, 360)),
        P.seed(),
    ),
    figure="{width} · {relief}",
    keywords=("glacier", "ice", "hills", "basket of eggs", "source"),
    starting_points=(("Sparse", {"density": 0.4}), ("Drawn out", {"length": 6.5, "width": 130})),
)
def drumlins(ctx: Context) -> Arrays:
    """One hill a cell of a stretched lattice: blunt up-ice, tapering down-ice (lemniscate outline of Chorley 1959),
    highest wins."""
    p = ctx.p
    return {
        "height": drumlin_field(
            ctx.window,
            ctx.site.depth,
            ctx.dx,
            p.width,
            p.length,
            p.relief,
            p.density,
            p.irregularity,
            p.direction,
            ctx.seed,
            ctx.stop,
        )
    }
