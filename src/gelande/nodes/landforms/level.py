"""Level: flat ground."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.node import height_out, node


@node(
    "level",
    "Level",
    "Landforms",
    "Flat ground at one height, to mix with or to build on.",
    outputs=(height_out(),),
    params=(P.metres("at", "Height", 100, "Height of the ground.", (-100_000, 100_000), (-500, 1500), 0, scales=True),),
    figure="{at}",
    keywords=("flat", "constant", "plane", "source"),
    starting_points=(("Sea bed", {"at": -60}), ("Upland", {"at": 400})),
)
def level(ctx: Context) -> Arrays:
    """The same height everywhere."""
    return {"height": np.full(ctx.shape, np.float32(ctx.p.at))}
