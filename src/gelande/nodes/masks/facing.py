"""Facing: white on ground that faces a compass direction."""

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import Footprint
from gelande.core.recipe.node import height_in, mask_out, node
from gelande.kernels.measure import gradient
from gelande.kernels.relief import facing_fraction
from gelande.nodes.shared import blurred


@node(
    "facing",
    "Facing",
    "Masks",
    "White on ground that faces a compass direction: sunny sides, weather sides.",
    inputs=(height_in(),),
    outputs=(mask_out(),),
    params=(
        P.degrees(
            "direction", "Direction", 180, "Where the ground faces, clockwise from north: 180° is south.", (0, 360)
        ),
        P.degrees("width", "Width", 90, "Sector of directions that is fully white.", (0, 360), (10, 180)),
        P.degrees("softness", "Softness", 40, "Degrees on either side over which white fades to black.", (0, 180)),
        P.degrees("least", "Least slope", 4, "Ground that is gentler than this faces nowhere.", (0, 60), (0, 20)),
        P.metres(
            "size",
            "Size",
            40,
            "Forms smaller than this are not looked at.",
            (0, 20_000),
            (24, 400),
            0,
            scales=True,
        ),
    ),
    # the directions are of the samples beside each
    footprint=lambda p, site: Footprint(halo=site.long_side / 4096, low_passed={"height": p.size / 2}),
    figure="{direction} ± {width}",
    keywords=("aspect", "exposure", "sunny", "north", "south", "windward", "lee", "orientation", "direction"),
    starting_points=(
        ("Sunny side", {"direction": 180, "width": 120, "softness": 50}),
        ("Shady side", {"direction": 0, "width": 100, "softness": 50}),
        ("Weather side", {"direction": 250, "width": 60, "softness": 40, "least": 8}),
    ),
)
def facing(ctx: Context) -> Arrays:
    """The direction of steepest fall (Horn 1981) of the land without what is smaller than the size. White fades out
    towards level ground from the least slope to half of it."""
    p = ctx.p
    rise = gradient(blurred(ctx, "height", p.size), ctx.dx, ctx.stop)
    return {"mask": facing_fraction(*rise, p.direction, p.width, p.softness, p.least, ctx.stop)}
