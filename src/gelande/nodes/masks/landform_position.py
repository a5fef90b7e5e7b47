"""Landform position: valley floors, slopes or ridges at a size."""

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import Footprint
from gelande.core.recipe.node import height_in, mask_out, node
from gelande.kernels.measure import band
from gelande.kernels.relief import deviation
from gelande.nodes.shared import filtered

#: Class -> (from, to) in standard deviations of the heights around.
CLASSES = {
    "valley_floor": (-9.0, -1.0),
    "lower_slope": (-1.0, -0.4),
    "mid_slope": (-0.4, 0.4),
    "upper_slope": (0.4, 1.0),
    "ridge": (1.0, 9.0),
}


@node(
    "landform_position",
    "Landform position",
    "Masks",
    "White on valley floors, slopes or ridges, seen at a size.",
    inputs=(height_in(),),
    outputs=(mask_out(),),
    params=(
        P.choice("position", "Position", "ridge", tuple(CLASSES), "What is white."),
        P.metres(
            "size",
            "Size",
            500,
            "How far around the land is looked at: small sizes find gullies and knolls, large ones valleys and ranges.",
            (1, 100_000),
            (120, 3000),
            0,
            log=True,
            scales=True,
        ),
        P.fraction("softness", "Softness", 0.4, "How gradually one position passes into the next."),
    ),
    footprint=lambda p, site: Footprint(asks=lambda level: (), low_passed={"height": p.size / 2}),
    figure="{position} · {size}",
    keywords=("tpi", "topographic position", "ridge", "valley", "floor", "slope", "crest", "toe", "landform"),
    starting_points=(
        ("Valley floors", {"position": "valley_floor", "size": 700}),
        ("Crests", {"position": "ridge", "size": 200}),
        ("Feet of slopes", {"position": "lower_slope", "size": 400}),
    ),
)
def landform_position(ctx: Context) -> Arrays:
    """Height above the mean of the surroundings, in standard deviations of the heights there (topographic position
    index, Weiss 2001; deviation from mean elevation, De Reu et al. 2013). Even ground counts as mid slope."""
    p = ctx.p
    low, high = CLASSES[p.position]

    def stand(h, radius):
        return deviation(h, radius, 0.004 * p.size, ctx.stop)

    # a Gaussian of half the size looks at as much land as a disc of that size
    found = filtered(ctx, "height", p.size / 2, stand, False)
    return {"mask": band(found, low, high, 0.05 + 0.9 * p.softness)}
