"""Rock in beds: hard and soft beds by turns, described once for all nodes that read them."""

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe.node import height_out, node
from gelande.nodes.beds import bed_settings, datum_of


@node(
    "rock_beds",
    "Rock in beds",
    "Landforms",
    "Describes hard and soft beds once: link it to Beds of Rain erosion, Scree and Strata, and all have the same rock.",
    outputs=(height_out("height", "Lie of the beds"),),
    params=bed_settings(40, 0.7, 0.7, 1.5, 120),
    figure="{thickness} · dip {dip}",
    keywords=("layers", "geology", "sediment", "sandstone", "bedding", "cuesta", "mesa", "canyon"),
    starting_points=(
        ("Level beds", {"dip": 0}),
        ("Thin and many", {"thickness": 12}),
        ("Cuestas", {"dip": 9, "thickness": 60}),
        ("Few hard caps", {"thickness": 110, "contrast": 0.9}),
    ),
)
def rock_beds(ctx: Context) -> Arrays:
    """What goes out is a surface that beds lie along, tilted and gently folded. Nodes that shape it in between fold or
    break the beds: Bed folds, Warp, Tilt. Nodes that read it count all beds from there, up and down."""
    return {"height": datum_of(ctx, ctx.level, ctx.window)}
