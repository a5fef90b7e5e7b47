"""Largest patches: only the large areas of a mask."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import FINER, Footprint
from gelande.core.recipe.node import mask_in, mask_out, node
from gelande.core.recipe.site import GLOBAL_LEVEL

BY_AREA, BY_COUNT = "by_area", "by_number"
#: Areas touch over corners, too.
TOUCH = np.ones((3, 3), int)


def _kept(ctx: Context, mask) -> np.ndarray:
    """1 on the areas that stay and the samples around them, which their soft edges reach into."""
    import scipy.ndimage as ndi  # heavy to import

    p = ctx.p
    labels, count = ndi.label(mask >= np.float32(p.threshold), TOUCH)
    sizes = np.bincount(labels.ravel(), minlength=count + 1).astype(np.float64) * ctx.dx * ctx.dx
    sizes[0] = 0.0
    if p.way == BY_AREA:
        stays = sizes >= p.side**2
    else:
        stays = np.zeros(count + 1, bool)
        stays[np.argsort(-sizes, kind="stable")[: p.count]] = True
    stays[0] = False
    chosen = stays[labels]
    # a soft edge belongs to the area that it is nearest to
    nearest = ndi.distance_transform_edt(labels == 0, return_distances=False, return_indices=True)
    near = chosen[tuple(nearest)] & (mask > 0)
    return (chosen | near).astype(np.float32)


@node(
    "largest_patches",
    "Largest patches",
    "Masks",
    "Keeps only the large connected areas of a mask: the main lake, the great screes.",
    inputs=(mask_in("first", "Mask"),),
    outputs=(mask_out(),),
    params=(
        P.choice("way", "Keeps", BY_AREA, (BY_AREA, BY_COUNT), "Areas over a size, or so many of the largest."),
        P.metres(
            "side",
            "At least a square of",
            150,
            "Side of a square of the least area that stays: 100 m is one hectare.",
            (0.5, 100_000),
            (10, 1500),
            0,
            log=True,
            scales=True,
            shown_when=("way", (BY_AREA,)),
        ),
        P.count("count", "Number", 3, "How many areas stay.", (1, 500), (1, 20), shown_when=("way", (BY_COUNT,))),
        P.fraction("threshold", "Edge at", 0.5, "Grey from which a sample belongs to an area.", (0.01, 0.99)),
    ),
    footprint=Footprint(own=FINER),
    base="first",
    figure="{way}",
    keywords=("connected", "components", "islands", "area", "despeckle", "small spots", "remove", "label"),
    starting_points=(("No small spots", {"side": 60}), ("The largest one", {"way": BY_COUNT, "count": 1})),
)
def largest_patches(ctx: Context) -> Arrays:
    """Connected areas (over sides and corners) of the ground that is at least as bright as the edge's grey, by their
    area on levels up to 513 samples; finer levels keep the same ones. Soft edges stay with the area that is nearest."""
    mask = ctx.input("first")
    if ctx.level > GLOBAL_LEVEL:
        kept = ctx.raised(ctx.own(ctx.level - 1)["_kept"], smooth=False)
    else:
        kept = _kept(ctx, mask)
        ctx.check()
    return {"mask": mask * np.clip(kept * 2, 0, 1), "_kept": kept}
