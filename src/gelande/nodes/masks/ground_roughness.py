"""Roughness: white where the ground is uneven."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import Footprint
from gelande.core.recipe.node import height_in, mask_out, node
from gelande.kernels.relief import roughness
from gelande.nodes.shared import banded, filtered


@node(
    "ground_roughness",
    "Ground roughness",
    "Masks",
    "White where the ground is uneven at a size, black where it is smooth.",
    inputs=(height_in(),),
    outputs=(mask_out(),),
    params=(
        P.metres(
            "size",
            "Size",
            50,
            "Broad forms larger than this do not count.",
            (0.5, 20_000),
            (48, 400),
            0,
            log=True,
            scales=True,
        ),
        P.metres(
            "full",
            "White at",
            4,
            "Spread of heights that is fully white.",
            (0.001, 2000),
            (0.2, 40),
            1,
            log=True,
            scales=True,
        ),
    ),
    footprint=lambda p, site: Footprint(asks=lambda level: (), low_passed={"height": p.size}),
    figure="{size} · {full}",
    keywords=("ruggedness", "rough", "uneven", "texture", "broken", "tri", "smooth"),
    starting_points=(("Broken rock", {"size": 30, "full": 5}), ("Rugged country", {"size": 250, "full": 30})),
)
def ground_roughness(ctx: Context) -> Arrays:
    """Standard deviation of the heights about the land's broad form (after Riley et al. 1999; Sappington et al.
    2007), so that an even slope is smooth however steep it is."""
    p = ctx.p
    # twice: about the broad form, and how much of it there is around
    found = filtered(ctx, "height", p.size, lambda h, radius: roughness(h, radius / 2, ctx.stop), False)
    return {"mask": banded(ctx, lambda s: np.clip(s / np.float32(p.full), 0, 1), found)}
