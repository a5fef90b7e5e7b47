"""Outline mask: areas drawn by their edges."""

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.node import mask_in, mask_out, node
from gelande.kernels.shapes import closed_curve
from gelande.nodes.drawn import EDGE, laid_on, own_profile

LINES = (
    P.toggle(
        "curved", "Curved", True, "A smooth line through the points; off: straight from point to point.", tool=True
    ),
)
PIECE = (*LINES, *EDGE)


@node(
    "outline_mask",
    "Outline mask",
    "Masks",
    "White within closed outlines that are drawn in Relief and Plan.",
    inputs=(mask_in("first", "Mask", True, "Mask to draw on; black when nothing is linked."),),
    outputs=(mask_out(),),
    params=(
        P.outlines(
            "outlines",
            "Outlines",
            PIECE,
            "What was drawn; points are moved, added and taken away at any time. Each outline keeps its own settings.",
        ),
        *PIECE,
        own_profile("outlines"),
        P.seed(),
    ),
    base="first",
    figure="{outlines}",
    keywords=("polygon", "area", "lasso", "region", "draw", "hand", "feather", "freehand", "source"),
    starting_points=(
        ("Soft inwards", {"feather": 250, "profile": "s"}),
        ("Broken edge", {"feather": 40, "rough": 90, "rough_size": 180}),
        ("Hard and straight", {"feather": 0, "curved": False}),
    ),
)
def outline_mask(ctx: Context) -> Arrays:
    """Signed distance to the edge (even-odd rule where it crosses itself), broken by octave noise, and mapped by the
    feather's profile; each outline is added to what lies below it, or cut out of it."""
    found = []
    for *settings, points in ctx.p.outlines:
        if len(points) > 2:
            found.append((settings[1:], closed_curve(points) if settings[0] else points))
    return {"mask": laid_on(ctx, found)}
