"""Group: several nodes behind one card."""

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe.node import GROUP, node


@node(
    "group",
    "Group",
    "Order",
    "Several nodes behind one card, with ports and settings of its own.",
    role=GROUP,
    keywords=("pack", "compound", "tool"),
)
def group(ctx: Context) -> Arrays:
    """Choose nodes and press Ctrl+G to pack them. Double-click the card to go in; the path above the graph leads
    out again. Entries inside are its input ports, the plate at the right its outputs. Settings of the nodes inside
    are shown on the group with a right click on the setting. A group can be kept in your library or saved as a file
    for somebody else."""
    return {port.id: ctx.input(port.id) for port in ctx.outputs}
