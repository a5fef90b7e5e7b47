"""Junction: passes on what comes in."""

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe.node import JUNCTION, Port, node


@node(
    "junction",
    "Junction",
    "Order",
    "Passes on what comes in, so that long links stay tidy.",
    role=JUNCTION,
    inputs=(Port("through", "In", "any"),),
    outputs=(Port("through", "Out", "any"),),
    base="through",
    keywords=("pass", "reroute", "dot", "wire"),
)
def junction(ctx: Context) -> Arrays:
    """The input, unchanged."""
    return {"through": ctx.input("through")}
