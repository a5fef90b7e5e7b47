"""Keep area: where in a recipe ground that stays is set into the land."""

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe.node import KEEP, Port, node


@node(
    "keep_area",
    "Keep area",
    "Order",
    "Where areas that are kept in Variants come into the land: what stands before it is kept, what stands after it "
    "works on the whole.",
    role=KEEP,
    inputs=(Port("through", "In", "any", False, "Land, as a rule after the last landform and before the weather."),),
    outputs=(Port("through", "Out", "any"),),
    base="through",
    keywords=("freeze", "protect", "hold", "preserve", "region", "stay", "lock", "area"),
)
def keep_area(ctx: Context) -> Arrays:
    """The input, in which the areas that are kept stand as they were: see Inset. Links that lead past this step are
    blended in the same way, so that masks and colours fit the land."""
    return {"through": ctx.input("through")}
