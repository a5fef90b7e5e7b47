"""Strata: tilted beds of different hardness."""

import numpy as np

from gelande.core import param as P
from gelande.core.node import height_in, height_out, mask_out, node
from gelande.core.restrict import slope_baseline
from gelande.kernels.measure import slope_degrees
from gelande.kernels.shapes import grid, turned
from gelande.kernels.strata import cut_beds
from gelande.nodes.shared import off_level_ground, wander


@node(
    "strata",
    "Strata",
    "Shape",
    "Lays tilted beds of random thickness and hardness bare: hard ones stand as ledges, soft ones recede.",
    inputs=(height_in(),),
    outputs=(height_out(), mask_out("bed", "Bed hardness")),
    params=(
        P.metres("thickness", "Bed thickness", 34, "Mean thickness of a bed.", (0.1, 3000), (2, 200), 1, scales=True),
        P.share("contrast", "Contrast", 0.7, "How much harder some beds are than others."),
        P.share("irregularity", "Irregularity", 0.6, "How much the beds differ in thickness, and how they wave."),
        P.degrees("dip", "Dip", 7, "Tilt of the beds against level.", (0, 60), (0, 30), 1),
        P.degrees("dip_direction", "Dip direction", 135, "Where the beds sink to, clockwise from north.", (0, 360)),
        P.seed(),
    ),
    base="height",
    version=2,
    reach=lambda p, site: slope_baseline(site) / 2,
    figure="{thickness} · dip {dip}",
    keywords=("layers", "beds", "ledges", "sediment", "rock", "bedding"),
    starting_points=(
        ("Level beds", {"dip": 0}),
        ("Thin and many", {"thickness": 9}),
        ("Steep beds", {"dip": 28, "thickness": 60}),
    ),
)
def strata(ctx):
    """Within each bed the slope is redistributed: a hard bed becomes a short steep face above a long gentle tread,
    a soft one the reverse.

    The profile is continuous in height; hardness is a random number a bed, and the bed mask carries it. Level ground
    is not cut."""
    p, h = ctx.p, ctx.input("height")
    x, y = grid(ctx.frame, ctx.site.width, ctx.site.depth)
    along, _ = turned(x, y, p.dip_direction)
    beds = along * np.float32(np.tan(np.radians(p.dip))) + wander(
        ctx, ctx.site.long_side / 6, 4, ctx.seed, 0.4, moves=True
    ) * np.float32(1.2 * p.irregularity * p.thickness)
    out, bed = cut_beds(h, beds, p.thickness, p.contrast, p.irregularity, ctx.seed, ctx.stop)
    slope = slope_degrees(h, ctx.dx, slope_baseline(ctx.site), ctx.stop, ctx.frame)
    return {"height": off_level_ground(ctx, h, out, slope), "bed": bed}
