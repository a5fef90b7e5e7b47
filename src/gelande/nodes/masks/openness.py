"""Openness: how much of the sky is seen."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import Footprint
from gelande.core.recipe.node import height_in, mask_out, node
from gelande.kernels.light import sky_view
from gelande.nodes.shared import banded, filtered

CLOSED, OPEN = "sheltered", "open"
#: The radius is this many times the one that the level is chosen by, so that horizons are looked for over many samples
#: and none beyond what the filter may look at.
TIMES = 3.0


@node(
    "openness",
    "Openness",
    "Masks",
    "How much of the sky each place sees: sheltered ground in valleys and under cliffs, or open ground.",
    inputs=(height_in(),),
    outputs=(mask_out(),),
    params=(
        P.choice("side", "White is", CLOSED, (CLOSED, OPEN), "Ground that sees little of the sky, or much of it."),
        P.metres(
            "horizon",
            "Radius",
            300,
            "How far hills are looked for.",
            (1, 20_000),
            (120, 1500),
            0,
            log=True,
            scales=True,
        ),
        P.fraction("full", "Sheltered at", 0.15, "Share of the sky that is hidden where it counts as fully sheltered."),
    ),
    footprint=lambda p, site: Footprint(asks=lambda level: (), low_passed={"height": p.horizon / TIMES}),
    version=2,
    figure="{side} · {horizon}",
    keywords=("occlusion", "ambient", "sky view", "cavity", "shelter", "exposed", "horizon", "shade"),
    starting_points=(
        ("Under cliffs", {"horizon": 120, "full": 0.45}),
        ("Wide valleys", {"horizon": 1200, "full": 0.2}),
        ("Exposed ground", {"side": OPEN, "horizon": 500, "full": 0.25}),
    ),
)
def openness(ctx: Context) -> Arrays:
    """Sky view factor from horizons in 12 directions (Zakšek, Oštir and Kokalj 2011), with steps that grow with
    distance, on the level where the radius is a few dozen samples."""
    p = ctx.p

    def sky(h, samples):
        return sky_view(h, p.horizon / TIMES / samples, p.horizon)

    found = filtered(ctx, "height", p.horizon / TIMES, sky, False)
    full = np.float32(max(p.full, 1e-3))
    hidden = banded(ctx, lambda s: np.clip((1 - s) / full, 0, 1), found)
    return {"mask": hidden if p.side == CLOSED else banded(ctx, lambda m: 1 - m, hidden)}
