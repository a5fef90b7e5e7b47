"""Lakes: standing water in hollows."""

import math

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.evaluate.plan import BESIDE
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import FINER, Footprint
from gelande.core.recipe.node import height_in, height_out, mask_in, mask_out, node
from gelande.core.recipe.site import GLOBAL_LEVEL
from gelande.kernels.morphology import grow
from gelande.kernels.water import DAM, DRY, dammed, spread, surfaces, up_surface
from gelande.nodes.shared import banded, filtered

#: Depth over which a water mask comes up to white, metres at 4 km.
FILM = 0.12


@node(
    "lakes",
    "Lakes",
    "Weather",
    "Fills hollows with standing water, each flat at its own level.",
    inputs=(
        height_in(),
        mask_in("holds", "Holds water", True, "Hollows that are white on the whole hold water, black ones stay dry."),
    ),
    outputs=(height_out(), mask_out("water", "Water"), mask_out("depth", "Water depth"), mask_out("shore", "Shore")),
    params=(
        P.choice(
            "fill",
            "Fill",
            "to_the_spill",
            ("to_the_spill", "to_a_level"),
            "Fills each hollow until it would run over, or up to one height for all.",
        ),
        P.fraction(
            "filled",
            "How full",
            1.0,
            "Share of the depth at which a hollow would run over.",
            (0.01, 1.0),
            (0.2, 1.0),
            shown_when=("fill", ("to_the_spill",)),
        ),
        P.metres(
            "top",
            "Level",
            120,
            "Height of the water in every hollow that lies lower.",
            (-100_000, 100_000),
            (-200, 1500),
            1,
            shown_when=("fill", ("to_a_level",)),
            scales=True,
        ),
        P.metres(
            "least_depth",
            "Shallowest",
            1,
            "Hollows that would be shallower stay dry.",
            (0, 1000),
            (0, 20),
            1,
            scales=True,
        ),
        P.metres(
            "least_width",
            "Smallest",
            60,
            "Side of a square as large as the smallest lake.",
            (0, 20_000),
            (0, 500),
            0,
            scales=True,
        ),
        P.metres(
            "shore_width",
            "Shore width",
            16,
            "Width of the shore mask around the water.",
            (0, 2000),
            (0, 100),
            0,
            scales=True,
        ),
        P.metres(
            "white_depth",
            "White at depth",
            12,
            "Depth at which the depth mask is white.",
            (0.05, 5000),
            (1, 60),
            1,
            scales=True,
        ),
    ),
    footprint=lambda p, site: Footprint(
        working=lambda level, asked: asked.grown(
            max(DAM + 1, math.ceil(1.3 * p.shore_width / site.spacing(level)) + BESIDE)
        ),
        asks=lambda level: ("height", "holds") if level <= GLOBAL_LEVEL else ("height",),
        own=FINER,
    ),
    base="height",
    water=True,
    version=2,
    figure="{fill}",
    keywords=("lake", "pond", "water", "fill", "depression", "pool", "mere"),
    starting_points=(
        ("Every pool", {"least_depth": 0.2, "least_width": 15}),
        ("Half empty", {"filled": 0.5}),
        ("Great lakes only", {"least_width": 300, "least_depth": 4}),
    ),
)
def lakes(ctx: Context) -> Arrays:
    """Depression filling by priority flood (Barnes et al. 2014): each hollow up to its spill, to a share of its
    depth, or to one level. The height is the land and the lake's bed; the water lies on it, as the depth says, and
    is flat over each lake. Hollows are found at 513 samples at most; finer levels draw their own waterline at the
    same surface, and close what gaps they have in the shore."""
    p, h = ctx.p, ctx.input("height")
    if ctx.level <= GLOBAL_LEVEL:
        top = p.top if p.fill == "to_a_level" else None
        surface = surfaces(
            h, ctx.dx, p.filled, top, p.least_depth, p.least_width**2, ctx.stop, holds=ctx.input("holds")
        )
        near = spread(surface, h)
    else:
        near = ctx.raised(ctx.own(ctx.level - 1)["_near"], up_surface)
        surface, h = near, dammed(h, near, ctx.dx, ctx.stop)
    ctx.check()
    meters = banded(ctx, lambda s, h: np.maximum(s - h, 0), surface, h)
    film = np.float32(FILM * ctx.site.long_side / 4096)
    water = banded(ctx, lambda d: np.clip(d / film, 0, 1), meters)
    masks = {"water": water, "depth": banded(ctx, lambda d: np.clip(d / np.float32(p.white_depth), 0, 1), meters)}
    wide = water
    if p.shore_width > 0:
        wide = filtered(
            ctx,
            "height",
            p.shore_width,
            lambda a, s: grow(a, s, ctx.stop),
            False,
            lambda k: water if k == ctx.level else ctx.own(k)["water"],
        )
    shore = banded(ctx, lambda wide, water: np.clip(wide - water, 0, 1), wide, water)
    return {
        "height": h,
        **masks,
        "shore": shore,
        "_near": near,
        "_surface": np.where(meters > 0, surface, np.float32(DRY)),
    }
