"""Flow: where water gathers."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import GLOBAL_ONLY, Footprint
from gelande.core.recipe.node import height_in, mask_in, mask_out, node
from gelande.core.recipe.site import GLOBAL_LEVEL
from gelande.kernels.lattice import WATER, bent
from gelande.kernels.measure import gaussian
from gelande.kernels.streams import drainage_on_lattice, draw, pieces


def _streams(ctx: Context) -> np.ndarray:
    """Lines of the level's streams, as kernels/streams.py has them."""
    lattice = bent(ctx.shape, WATER, ctx.stop)
    _, area, first, _ = drainage_on_lattice(ctx.input("height"), lattice, ctx.dx, ctx.input("rain"), ctx.stop)
    return pieces(lattice.x, lattice.y, area, first, ctx.p.first**2, ctx.dx)


@node(
    "flow",
    "Flow",
    "Masks",
    "White where water gathers: rills, gullies and streams.",
    inputs=(height_in(), mask_in("rain", "Rain", True, "Where it rains.")),
    outputs=(mask_out(),),
    params=(
        P.metres(
            "first",
            "Streams begin at",
            60,
            "Side of a square whose rain makes the first trace of a stream.",
            (1, 50_000),
            (10, 500),
            0,
            log=True,
            scales=True,
        ),
        P.metres(
            "full",
            "Full white at",
            900,
            "Side of a square whose rain makes a fully white stream.",
            (2, 200_000),
            (100, 4000),
            0,
            log=True,
            scales=True,
        ),
        P.metres(
            "softness", "Softness", 6, "Width over which a stream's edge fades.", (0, 1000), (0, 60), 0, scales=True
        ),
    ),
    footprint=lambda p, site: Footprint(
        halo=1.6 * p.softness, asks=lambda level: ("height", "rain") if level <= GLOBAL_LEVEL else (), own=GLOBAL_ONLY
    ),
    figure="from {first}",
    keywords=("river", "stream", "drainage", "water", "wet", "catchment"),
    starting_points=(
        ("Every rill", {"first": 30, "full": 500}),
        ("Rivers only", {"first": 400, "full": 2000, "softness": 20}),
    ),
)
def flow(ctx: Context) -> Arrays:
    """Drainage area on the flooded surface (Barnes et al. 2014), logarithmic between two areas, along the lines
    that water takes. Found on a bent lattice, so that streams on level ground do not run along the grid.

    Streams are found on levels up to 513 samples; finer levels draw the same lines, so every detail shows the same
    streams."""
    p, shown = ctx.p, min(ctx.level, GLOBAL_LEVEL)
    lines = _streams(ctx) if ctx.level == shown else ctx.own(shown)["_streams"]
    first, full = p.first**2, max(p.full, p.first * 1.01) ** 2
    width = ctx.site.spacing(shown)  # a trace is as broad as the samples on which it was found
    # The edge fades along the line as far as a coarse grid needs it to; what is softer than that is a blur, which costs
    # the same however broad.
    fade = min(max(p.softness, 0.5 * width), 2 * width)
    mask = draw(ctx.window, ctx.dx, lines, first, full, 0.5 * width, fade, ctx.stop)
    rest = max(0.0, p.softness**2 - fade**2) ** 0.5
    return {"mask": gaussian(mask, 0.5 * rest / ctx.dx, ctx.stop) if rest > 0 else mask, "_streams": lines}
