"""Entry: what comes into a group."""

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe.node import ENTRY, Port, node


@node(
    "entry",
    "Entry",
    "Order",
    "A port of the group it stands in: what is linked to the group arrives here.",
    role=ENTRY,
    inputs=(Port("through", "In", "any"),),
    outputs=(Port("through", "Out", "any"),),
    base="through",
    keywords=("group", "input", "port"),
)
def entry(ctx: Context) -> Arrays:
    """The group's input, unchanged. The name of the entry is the name of the port on the group's card; rename it as any
    node. Add an entry inside a group to give the group another port."""
    return {"through": ctx.input("through")}
