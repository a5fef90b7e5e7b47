"""Terrace: treads and risers."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import Footprint
from gelande.core.recipe.node import height_in, height_out, mask_out, node
from gelande.core.recipe.site import GLOBAL_LEVEL
from gelande.kernels.measure import gaussian
from gelande.kernels.noise import fractal
from gelande.kernels.shapes import grid
from gelande.kernels.terrace import step_land
from gelande.nodes.shared import BROAD, banded, bays, blurred, broad_slope, merged_steps, off_level_ground

#: Sizes of the noise along edges that the site has.
WANDERS = 14.0
#: Lengths over which the riser mask is softened that the site has.
SOFT = 640
#: Distance over which land is smoothed before it is cut into steps, as a share of the site: small bumps at an edge
#: would stand about as crumbs.
NARROW = 1 / 128


@node(
    "terrace",
    "Terrace",
    "Shape",
    "Cuts the slope into treads and risers, following the land underneath.",
    inputs=(height_in(),),
    outputs=(height_out(), mask_out("riser", "Riser")),
    params=(
        P.choice(
            "steps",
            "Steps by",
            "height",
            ("height", "count"),
            "Sets how high a step is, or how many there are over the whole relief.",
        ),
        P.metres(
            "riser_height",
            "Riser height",
            26,
            "Mean height of a step.",
            (0.1, 3000),
            (2, 120),
            1,
            shown_when=("steps", ("height",)),
            scales=True,
        ),
        P.count(
            "count",
            "Steps",
            14,
            "How many steps there are from the lowest to the highest ground.",
            (1, 2000),
            (2, 40),
            shown_when=("steps", ("count",)),
        ),
        P.fraction("sharpness", "Riser sharpness", 0.6, "How steep the risers stand between level treads."),
        P.fraction("irregularity", "Irregularity", 0.6, "How unevenly high the steps are, and how much they wander."),
        P.fraction("follow", "Follow the slope", 0.3, "How much of the land's own slope the treads keep."),
        P.degrees("dip", "Bed dip", 0, "Tilt of the beds against level.", (0, 60), (0, 15), 1),
        P.degrees("dip_direction", "Dip direction", 120, "Where the beds sink to, clockwise from north.", (0, 360)),
        P.seed(),
    ),
    footprint=lambda p, site: Footprint(
        halo=3.5 * site.long_side / SOFT + site.spacing(GLOBAL_LEVEL),
        low_passed={"height": (BROAD * site.long_side, NARROW * site.long_side / 2)},
        ranged=("height",) if p.steps == "count" else (),
    ),
    base="height",
    version=4,
    figure="{riser_height} risers",
    keywords=("steps", "strata", "cliffs", "layers", "cliff", "mesa"),
    starting_points=(
        ("Limestone cliffs", {"riser_height": 34, "sharpness": 0.75, "irregularity": 0.5}),
        ("Farmed steps", {"riser_height": 4, "sharpness": 0.85, "follow": 0.1, "irregularity": 0.1}),
        ("Soft benches", {"riser_height": 45, "sharpness": 0.3}),
    ),
)
def terrace(ctx: Context) -> Arrays:
    """Each step's profile is of powers of the height within it, continuous, so edges cannot spike: a tread, a concave
    foot, a cliff and a rounded lip.

    Steps differ in height by a smooth function of it; the edge of each wanders by noise of its own, fades out along
    the slope and comes back, and stands back in bays. On steep ground two, four or eight steps are one, so that
    risers run together into few high ones, five to ten samples of 513 apart. Level ground is not cut. What is narrow
    in the land, rills and stones, is levelled on treads and stays as it is on risers: were it cut into steps with the
    rest, every rill at an edge would be a slit."""
    p, whole = ctx.p, ctx.input("height")
    soft = ctx.site.long_side / SOFT
    inner = ctx.asked.grown(int(np.ceil(3.5 * soft / ctx.dx)) + 2)
    h = inner.cut(whole, ctx.window)
    at_large = inner.cut(broad_slope(ctx), ctx.window)
    broad = inner.cut(blurred(ctx, "height", NARROW * ctx.site.long_side), ctx.window)
    tall = p.riser_height
    if p.steps == "count":
        low, high = ctx.range("height")
        tall = max((high - low) / p.count, 1e-2)
    a, tilt = np.radians(p.dip_direction), np.tan(np.radians(p.dip))
    x, y = grid(inner, ctx.site.width, ctx.site.depth)
    wave, stands_back = np.zeros((1, 1), np.float32), np.zeros((1, 1), np.float32)
    if p.irregularity > 0:
        stands_back = bays(ctx, inner, at_large, ctx.seed + 307)
        wave = fractal(
            inner,
            (0.0, ctx.site.depth),
            ctx.dx,
            ctx.site.long_side / 10,
            4,
            gain=0.45,
            seed=ctx.seed,
            stop=ctx.stop,
        )
    beds = banded(
        ctx.within(inner),
        lambda x, y, w, b: (
            (x * np.float32(np.sin(a)) + y * np.float32(np.cos(a))) * np.float32(tilt)
            + w * np.float32(0.8 * p.irregularity * tall)
            + b * np.float32(p.irregularity)
        ),
        x,
        y,
        wave,
        stands_back,
    )
    size = ctx.site.long_side / WANDERS
    place = (inner.top, inner.left, ctx.dx / size, ctx.site.depth / size)
    merged = merged_steps(ctx.within(inner), at_large, tall, p.irregularity)
    how = (place, tall, p.sharpness, p.irregularity, p.follow, ctx.seed, ctx.stop)
    out, riser = step_land(h, broad, beds, merged, *how)
    ctx.check()
    slope = np.degrees(np.arctan(at_large))
    out = off_level_ground(ctx.within(inner), h, out, slope)
    steep = banded(ctx.within(inner), lambda riser, slope: riser * np.clip(slope / np.float32(8), 0, 1), riser, slope)
    # The mask is softened over a fixed length, which keeps it the same where finer levels add roughness.
    return {
        "height": ctx.laid_on_window(out, inner),
        "riser": ctx.laid_on_window(gaussian(steep, soft / ctx.dx, ctx.stop), inner),
    }
