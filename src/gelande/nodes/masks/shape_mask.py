"""Shape mask: ellipses and boxes that are moved, stretched and turned."""

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.node import mask_in, mask_out, node
from gelande.kernels.shapes import corners
from gelande.nodes.drawn import EDGE, laid_on, own_profile

ELLIPSE, BOX = "ellipse", "box"
FORM = (P.choice("form", "Form", ELLIPSE, (ELLIPSE, BOX), "Of the next shape, or of the chosen one.", tool=True),)
PIECE = (*FORM, *EDGE)


@node(
    "shape_mask",
    "Shape mask",
    "Masks",
    "White within ellipses and boxes, moved by handles in Relief and Plan.",
    inputs=(mask_in("first", "Mask", True, "Mask to draw on; black when nothing is linked."),),
    outputs=(mask_out(),),
    params=(
        P.shapes(
            "shapes",
            "Shapes",
            PIECE,
            "What was drawn; each is moved, turned and stretched by its handles and keeps its own settings.",
        ),
        *PIECE,
        own_profile("shapes"),
        P.seed(),
    ),
    base="first",
    figure="{shapes}",
    keywords=("ellipse", "circle", "box", "rectangle", "place", "spot", "radial", "draw", "source"),
    starting_points=(
        ("Soft spot", {"feather": 400, "profile": "s"}),
        ("Broken disc", {"feather": 30, "rough": 80, "rough_size": 160}),
        ("Box", {"form": "box", "feather": 0}),
    ),
)
def shape_mask(ctx: Context) -> Arrays:
    """Signed distance to the shape's edge, broken by octave noise, and mapped by the feather's profile; each shape is
    added to what lies below it, or cut out of it."""
    found = [(settings[1:], corners(settings[0] == ELLIPSE, *place)) for *settings, place in ctx.p.shapes]
    return {"mask": laid_on(ctx, found)}
