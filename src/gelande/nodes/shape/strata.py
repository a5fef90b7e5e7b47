"""Strata: tilted beds of different hardness."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import Footprint
from gelande.core.recipe.node import height_in, height_out, mask_out, node
from gelande.core.recipe.site import GLOBAL_LEVEL
from gelande.kernels.layers import Layers
from gelande.kernels.shapes import smoothstep
from gelande.nodes.beds import LINKED, bed_settings, beds_in, beds_of, beds_table, layers_of
from gelande.nodes.shared import BROAD, banded, bays, blurred, broad_slope, merged_steps, wander

#: How often beds are doubled on steep ground, at most.
DOUBLED = 3
#: How sharply one way to take beds together follows another; 1 would be everywhere a little of both.
SHARPLY = 3.0
#: Land without what is smaller than this share of the site is cut; the rest stays as it is.
NARROW = 1 / 128
#: Slopes at large, rise over run, from which beds come out, and from which in full: on plains they would be pimples.
GENTLE = (0.05, 0.2)
#: Patches in which ledges fade out that the site has.
FADES = 9.0


@node(
    "strata",
    "Strata",
    "Shape",
    "Lays tilted beds of random thickness and hardness bare: hard ones stand as ledges, soft ones recede.",
    inputs=(height_in(), beds_in(False)),
    outputs=(height_out(), mask_out("bed", "Bed hardness")),
    params=(*bed_settings(34, 0.7, 0.6, 7, 135, unlinked=LINKED), P.seed()),
    base="height",
    version=4,
    footprint=lambda p, site: Footprint(
        halo=site.spacing(GLOBAL_LEVEL), low_passed={"height": (BROAD * site.long_side, NARROW * site.long_side / 2)}
    ),
    figure="{thickness} · dip {dip}",
    keywords=("layers", "beds", "ledges", "sediment", "rock", "bedding"),
    starting_points=(
        ("Level beds", {"dip": 0}),
        ("Thin and many", {"thickness": 9}),
        ("Steep beds", {"dip": 28, "thickness": 60}),
    ),
)
def strata(ctx: Context) -> Arrays:
    """Land is read as even height (kernels/layers.py): a slope of rock that is all alike. What it is in beds has
    cliffs in hard ones and benches in soft ones, where rain erosion in the same beds would make them.

    On steep ground pairs of beds are taken together, so that few high cliffs stand where many ledges would be closer
    than a grid can show. Ledges fade out along the slope and stand back in bays. What is narrow stays as it is, and
    level ground is not cut."""
    p, h = beds_of(ctx), ctx.input("height")
    broad, slope = blurred(ctx, "height", NARROW * ctx.site.long_side), broad_slope(ctx)
    read = broad
    if p.irregularity > 0:
        read = banded(
            ctx, lambda a, b: a + np.float32(p.irregularity) * b, broad, bays(ctx, ctx.window, slope, ctx.seed + 401)
        )
    merged = np.minimum(merged_steps(ctx, slope, 2 * p.thickness, 1.0), DOUBLED)  # a cliff and a bench
    beds, top = layers_of(ctx), np.zeros_like(h)
    hardness = np.zeros_like(h)
    for k in range(DOUBLED + 1):
        fraction = smoothstep(0.5 + SHARPLY * (0.5 - np.abs(merged - k))).astype(np.float32)
        if not fraction.any():
            continue
        layers = Layers(beds_table(p, 2**k), beds.datum)
        made = layers.height(read, ctx.stop)
        top += fraction * (made - read)
        hardness += fraction * layers.hardness(made, ctx.stop)
        ctx.check()
    fades = wander(ctx, ctx.site.long_side / FADES, 2, ctx.seed + 19)
    shown = 1 - np.float32(0.75 * p.irregularity) * smoothstep(0.2 - 1.6 * fades)
    shown *= smoothstep((slope - GENTLE[0]) / (GENTLE[1] - GENTLE[0]))
    out = banded(ctx, lambda h, top, shown: h + shown * top, h, top, shown.astype(np.float32))
    return {"height": out, "bed": np.clip(hardness, 0, 1)}
