"""Note: words on the graph."""

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.node import NOTE, node


@node(
    "note",
    "Note",
    "Order",
    "Words for whoever opens the recipe next.",
    role=NOTE,
    params=(P.text("text", "Text", "A note", "What there is to know."),),
    keywords=("comment", "text", "remark"),
)
def note(ctx: Context) -> Arrays:
    """Computes nothing."""
    return {}
