"""Stream channels: channels of running water."""

from __future__ import annotations

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import GLOBAL_ONLY, Footprint
from gelande.core.recipe.node import height_in, height_out, mask_in, mask_out, node
from gelande.core.recipe.site import GLOBAL_LEVEL
from gelande.kernels.channels import FINE_FLOOR, FLOOR, ROUNDS, courses, cut_channels, drawn_course, without_steps
from gelande.kernels.shapes import curve_through
from gelande.kernels.water import DAM, DRY, dammed, spread, up_surface
from gelande.nodes.shared import raised_by, wander

#: Widest channel and bank, as shares of the site: wider ones would be all of it, looked at anew for each piece.
WIDEST_CHANNEL, WIDEST_BANK = 0.25, 0.1


def _widths(ctx: Context) -> tuple[float, float]:
    """Width of channels and of their banks, metres."""
    side = ctx.site.long_side
    return min(ctx.p.width, WIDEST_CHANNEL * side), min(ctx.p.bank, WIDEST_BANK * side)


@node(
    "stream_channels",
    "Stream channels",
    "Weather",
    "Cuts the channels of streams and rivers that run down to the site's edge or to standing water.",
    inputs=(height_in(), mask_in("rain", "Rain", True, "Where it rains: white in full, black not at all.")),
    outputs=(height_out(), mask_out("channel", "Channel"), mask_out("depth", "Water depth")),
    params=(
        P.line(
            "line",
            "Line",
            "One channel drawn from its head down; it runs on from its end to the site's edge or standing water. "
            "When none is drawn, channels run where water gathers.",
        ),
        P.metres(
            "first",
            "Channels begin at",
            260,
            "Side of a square whose rain makes a channel.",
            (1, 100_000),
            (60, 1200),
            0,
            log=True,
            scales=True,
            shown_when=("line", ((),)),
        ),
        P.metres(
            "full",
            "Full size at",
            2200,
            "Side of a square whose rain makes a channel of full width and depth.",
            (2, 400_000),
            (300, 6000),
            0,
            log=True,
            scales=True,
            shown_when=("line", ((),)),
        ),
        P.metres("width", "Width", 26, "Full width from bank to bank.", (0.1, 20_000), (1, 120), 1, scales=True),
        P.metres("deep", "Depth", 5, "Full depth of the bed below the brim.", (0.05, 2000), (0.5, 30), 1, scales=True),
        P.metres(
            "bank",
            "Bank",
            30,
            "Width over which the land beside is graded down to the brim.",
            (0, 20_000),
            (0, 200),
            0,
            scales=True,
        ),
        P.fraction("filled", "Water", 0.5, "How full of water the channel is."),
        P.metres(
            "sills",
            "Sills cut through",
            6,
            "Hollows up to this deep are drained; in deeper ones water stands, and channels end in it.",
            (0, 5000),
            (0, 60),
            1,
            scales=True,
        ),
        P.toggle(
            "stands", "Water stands in the rest", True, "Off: a Lakes node that follows says which hollows hold water."
        ),
    ),
    base="height",
    footprint=Footprint(
        working=lambda level, asked: asked.grown(DAM + 1 + ROUNDS),
        asks=lambda level: ("height", "rain") if level <= GLOBAL_LEVEL else ("height",),
        own=GLOBAL_ONLY,
    ),
    water=True,
    version=10,
    figure="{width}",
    keywords=("river", "stream", "channel", "brook", "creek", "water", "carve"),
    starting_points=(
        ("Mountain streams", {"width": 10, "deep": 3, "first": 160, "full": 1400}),
        ("Broad river", {"width": 90, "deep": 8, "first": 900, "full": 3500, "bank": 120}),
        ("Dry washes", {"filled": 0, "deep": 4, "width": 30}),
    ),
)
def stream_channels(ctx: Context) -> Arrays:
    """Drainage on the flooded surface (Barnes et al. 2014) gives the courses, smoothed between the cells of the
    grid; width and depth grow with the 0.5 and 0.4 power of drainage area (Leopold and Maddock 1953). Beds are
    lowered until they fall all the way, through the sills of shallow hollows, and to one height where courses run
    close beside each other; they end at the site's edge or in standing water. Found at 513 samples at most; finer
    levels cut the same courses with their true width."""
    p, h = ctx.p, ctx.input("height")
    if ctx.level <= GLOBAL_LEVEL:
        pieces, still = _found(ctx, h)
        near = spread(still, h)
        ctx.check()
    else:
        mapped = ctx.own(GLOBAL_LEVEL)
        pieces, near = mapped["_pieces"], raised_by(ctx, mapped["_near"], ctx.level - GLOBAL_LEVEL, up_surface)
        h = dammed(h, near, ctx.dx, ctx.stop)
    floor = FLOOR if ctx.level <= GLOBAL_LEVEL else FINE_FLOOR
    out, inside, surface = cut_channels(h, pieces, ctx.dx, _widths(ctx)[1], p.filled, ctx.stop, ctx.window, floor)
    ctx.check()
    # A stream narrower than a sample shows in a coarse preview too, as a film that is the thinner the less of the
    # sample it fills.
    film = np.float32(0.3 * min(p.filled * p.deep, 1.0)) * inside
    # Where a steep bed has been lowered to the one below it, its own surface would stand over it as a block.
    surface = np.minimum(surface, out + np.float32(p.filled * p.deep))
    water = np.where((inside > 0.05) & (p.filled > 0), np.maximum(surface, out + film), np.float32(DRY))
    water = without_steps(water, out, ctx.dx)
    surface = np.minimum(surface, np.where(water > DRY, water, surface))
    runs = np.where((inside > 0.5) & (surface > out), surface, np.float32(DRY))
    if p.stands:
        lake = np.where(near > out, near, np.float32(DRY))
        water, runs = np.maximum(water, lake), np.maximum(runs, lake)
    depth = np.clip((runs - out) / np.float32(p.deep), 0, 1)
    return {"height": out, "channel": inside, "depth": depth, "_pieces": pieces, "_surface": water, "_near": near}


def _found(ctx: Context, h: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Pieces of channels and the surface of what stands on their way."""
    p, (width, bank) = ctx.p, _widths(ctx)
    if p.line:
        points = curve_through(p.line)
        return drawn_course(points, h, ctx.dx, ctx.site.depth, width, p.deep, p.sills, ctx.stop)
    # Streams wind over level ground in bends of about eleven widths (Leopold and Wolman 1960).
    uneven = wander(ctx, max(11 * width, 8 * ctx.site.spacing(GLOBAL_LEVEL)), 3, 7) * np.float32(0.15 * p.deep)
    areas = p.first**2, max(p.full, p.first) ** 2
    sizes = (*areas, width, p.deep, p.sills)
    return courses(h, ctx.dx, *sizes, ctx.input("rain"), uneven, ctx.stop, bank)
