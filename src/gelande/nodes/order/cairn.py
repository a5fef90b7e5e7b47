"""Cairn: a named output that any input can be linked to without a wire."""

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe.node import CAIRN, Port, node


@node(
    "cairn",
    "Cairn",
    "Order",
    "Gives an output a name; any input can be linked to it by that name, with no wire across the sheet.",
    role=CAIRN,
    inputs=(Port("through", "In", "any"),),
    outputs=(Port("through", "Out", "any"),),
    base="through",
    keywords=("named", "link", "mark", "reference", "wireless"),
)
def cairn(ctx: Context) -> Arrays:
    """The input, unchanged. Links to a cairn are kept when it is renamed; pointing at the cairn or at an input that is
    linked to it shows both ends. Drag an input into the empty graph, or right-click it, to choose a cairn."""
    return {"through": ctx.input("through")}
