"""Frame: a titled box around cards that belong together."""

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe.node import FRAME, node


@node(
    "frame",
    "Frame",
    "Order",
    "A titled box around cards that belong together.",
    role=FRAME,
    keywords=("box", "border", "title", "region"),
)
def frame(ctx: Context) -> Arrays:
    """Choose cards and press B to frame them. The frame follows its cards; drag its title to move them all,
    double-click the title to rename it, delete it to take the frame away and leave the cards."""
    return {}
