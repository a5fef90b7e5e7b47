"""Sea: water up to a level, with beaches and cliffs where it meets the land."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import FINER, Footprint
from gelande.core.recipe.node import height_in, height_out, mask_out, node
from gelande.core.recipe.site import GLOBAL_LEVEL
from gelande.kernels.water import coast, open_water
from gelande.nodes.shared import wander


@node(
    "sea",
    "Sea",
    "Weather",
    "Stands at a level, cuts cliffs into the land and lays beaches before them.",
    inputs=(height_in(),),
    outputs=(height_out(), mask_out("water", "Water"), mask_out("depth", "Water depth"), mask_out("shore", "Shore")),
    params=(
        P.metres(
            "level",
            "Sea level",
            150,
            "Height of the sea above the sea level of the site, which is 0 m where the site has none.",
            (-100_000, 100_000),
            (-200, 600),
            1,
            scales=True,
        ),
        P.metres(
            "beach",
            "Beach",
            4,
            "Height over the sea up to which land is worn to a gentle beach.",
            (0, 500),
            (0, 30),
            1,
            scales=True,
        ),
        P.metres(
            "cliff",
            "Cliff",
            18,
            "Height of the cliffs that the sea cuts behind the beach; 0 for none.",
            (0, 1000),
            (0, 120),
            0,
            scales=True,
        ),
        P.fraction("broken", "Broken coast", 0.5, "How much cliffs and beaches change along the coast."),
        P.toggle(
            "from_edge", "From the edge only", True, "Hollows that the sea cannot reach from the site's edge stay dry."
        ),
        P.metres(
            "white_depth",
            "White at depth",
            40,
            "Depth at which the depth mask is white.",
            (0.1, 12_000),
            (5, 300),
            0,
            scales=True,
        ),
        P.seed(),
    ),
    base="height",
    footprint=Footprint(own=FINER, site=("sea_level",)),
    water=True,
    figure="{level}",
    keywords=("ocean", "water", "coast", "beach", "cliff", "shore", "island"),
    starting_points=(
        ("Sandy shore", {"beach": 8, "cliff": 0}),
        ("Cliff coast", {"beach": 2, "cliff": 60}),
        ("Drowned land", {"level": 60, "beach": 3, "cliff": 8}),
    ),
)
def sea(ctx: Context) -> Arrays:
    """Land within reach of the waves is lowered to a beach, then rises in a cliff to where it stood; both change
    along the coast by noise. The height is the land and the sea's bed; the water lies on it."""
    p, h = ctx.p, ctx.input("height")
    level = p.level + ctx.site.sea_level
    if not p.from_edge:
        reach = np.ones((1, 1), np.float32)
    elif ctx.level <= GLOBAL_LEVEL:
        reach = open_water(h, level + p.beach + p.cliff + 1e-3).astype(np.float32)
    else:
        reach = ctx.raised(ctx.own(ctx.level - 1)["_reach"], smooth=False)
    ctx.check()
    along = wander(ctx, ctx.site.long_side / 7, 4, ctx.seed) if p.broken > 0 else np.zeros((1, 1), np.float32)

    film = 0.12 * ctx.site.long_side / 4096
    height, water, depth, shore, surface = coast(
        h, along, reach, level, p.beach, p.cliff, p.broken, film, p.white_depth, ctx.stop
    )
    return {"height": height, "water": water, "depth": depth, "shore": shore, "_reach": reach, "_surface": surface}
