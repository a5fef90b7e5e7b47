"""Brushed height: land raised and lowered by hand."""

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.node import height_in, height_out, node
from gelande.kernels.strokes import brushed

BRUSH = (
    P.metres(
        "brush_radius",
        "Brush radius",
        220,
        "Radius of the next stroke.",
        (0.1, 100_000),
        (5, 1500),
        0,
        log=True,
        scales=True,
        tool=True,
    ),
    P.metres(
        "brush_height",
        "Brush height",
        60,
        "How far the next stroke raises the land; below zero it lowers it.",
        (-10_000, 10_000),
        (-300, 300),
        0,
        scales=True,
        tool=True,
    ),
    P.fraction(
        "brush_hardness",
        "Hardness",
        0.2,
        "Share of the radius at which the next stroke works in full.",
        (0.0, 1.0),
        tool=True,
    ),
)


@node(
    "brushed_height",
    "Brushed height",
    "Landforms",
    "Raises and lowers land by brush strokes in Relief and Plan.",
    inputs=(height_in("height", "Ground", True, "Ground to work on; flat when nothing is linked."),),
    outputs=(height_out(),),
    params=(
        P.strokes(
            "strokes",
            "Strokes",
            BRUSH,
            "What was brushed; kept as strokes, so it is the same at every detail and can be moved later.",
        ),
        *BRUSH,
        P.fraction("height_share", "Height of all", 1.0, "Scales all strokes together.", (-10.0, 10.0), (0.0, 2.0)),
    ),
    base="height",
    figure="{strokes}",
    keywords=("paint", "sculpt", "draw", "hand", "brush", "source"),
    starting_points=(("Full height", {"height_share": 1.0}), ("Half height", {"height_share": 0.5})),
)
def brushed_height(ctx: Context) -> Arrays:
    """The sum of all strokes. A stroke counts once, however often it crosses itself; strokes lie on one another."""
    strokes = tuple((r, a * ctx.p.height_share, h, points) for r, a, h, points in ctx.p.strokes)
    made = brushed(strokes, ctx.window, ctx.site.depth, ctx.dx, ctx.stop)
    ground = ctx.input("height")
    return {"height": made if ground is None else ground + made}
