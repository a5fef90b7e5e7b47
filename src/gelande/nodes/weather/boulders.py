"""Boulders: large stones scattered on the ground."""

import math

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import Footprint
from gelande.core.recipe.node import height_in, height_out, mask_in, mask_out, node
from gelande.kernels.boulders import boulders as scattered
from gelande.nodes.shared import banded


@node(
    "boulders",
    "Boulders",
    "Weather",
    "Scatters boulders on the ground, many small and few large.",
    inputs=(
        height_in(),
        mask_in("where_from", "Where they lie", True, "White holds boulders at the full count, black none."),
    ),
    outputs=(height_out(), mask_out("boulders", "Boulders")),
    params=(
        P.metres(
            "large", "Largest", 44, "Width of the largest boulders.", (0.05, 2000), (2, 120), 1, log=True, scales=True
        ),
        P.metres(
            "small",
            "Smallest",
            18,
            "Width of the smallest boulders.",
            (0.05, 2000),
            (0.5, 60),
            1,
            log=True,
            scales=True,
        ),
        P.number(
            "per_hectare",
            "Count in a hectare",
            4,
            "How many boulders lie in a hectare where the mask is white.",
            (0, 1e6),
            (0, 60),
            1,
            scales=-2,
        ),
        P.fraction("tall", "Height", 0.5, "Height as a share of half the width.", (0.05, 3.0), (0.2, 1.2)),
        P.fraction("rough", "Roughness", 0.6, "How uneven the outlines are."),
        P.fraction("faces", "Broken faces", 0.8, "Rounded like stones of a river, or broken along flat faces."),
        P.seed(),
    ),
    footprint=lambda p, site: Footprint(halo=p.large),
    base="height",
    figure="{large}",
    keywords=("stones", "rocks", "erratics", "scatter", "debris"),
    starting_points=(
        ("Erratics", {"per_hectare": 0.5, "large": 60, "small": 20}),
        ("Boulder field", {"per_hectare": 14, "tall": 0.7}),
        ("River stones", {"faces": 0, "tall": 0.4, "rough": 0.3}),
    ),
)
def boulders(ctx: Context) -> Arrays:
    """One place at most in a square; the square's side follows from the count. Each boulder is half an ellipsoid
    with a wavy outline, from which flat faces are broken; sizes fall off towards the largest (Rosin and Rammler
    1933). Boulders narrower than two samples are left out, as fine noise is."""
    p, h = ctx.p, ctx.input("height")
    odds = ctx.input("where_from")
    # Squares hold a boulder at eight in ten, so that they do not stand in rows.
    cell = math.sqrt(10_000 * 0.8 / max(p.per_hectare, 1e-6))
    large = min(p.large, 1.6 * cell)
    fraction = 0.8 if p.per_hectare > 0 else 0.0
    bumps = scattered(
        ctx.window,
        ctx.site.depth,
        ctx.dx,
        cell,
        min(p.small, large),
        large,
        p.tall,
        p.rough,
        fraction,
        None if odds is None else odds * np.float32(fraction),
        ctx.seed,
        ctx.stop,
        p.faces,
    )
    ctx.check()
    full = np.float32(max(0.06 * large * p.tall, 1e-3))
    return {"height": h + bumps, "boulders": banded(ctx, lambda b: np.clip(b / full, 0, 1), bumps)}
