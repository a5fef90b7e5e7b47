"""Mask edge: blurs, grows, shrinks, sharpens or breaks a mask."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import Footprint
from gelande.core.recipe.node import mask_in, mask_out, node
from gelande.kernels.grid_window import place
from gelande.kernels.measure import gaussian
from gelande.kernels.morphology import grow
from gelande.nodes.shared import banded, filtered, wander

BREAK = "break"


@node(
    "mask_edge",
    "Mask edge",
    "Masks",
    "Blurs, grows, shrinks, sharpens or breaks the edges of a mask.",
    inputs=(mask_in("first", "Mask to change"),),
    outputs=(mask_out(),),
    params=(
        P.choice("way", "Way", "blur", ("blur", "grow", "shrink", "sharpen", BREAK), "What is done to the edges."),
        P.metres(
            "distance",
            "Distance",
            24,
            "How far the edge is blurred or moved.",
            (0, 20_000),
            (0, 300),
            0,
            shown_when=("way", ("blur", "grow", "shrink", BREAK)),
            scales=True,
        ),
        P.fraction("strength", "Strength", 0.6, "How hard the edge becomes.", shown_when=("way", ("sharpen",))),
        P.metres(
            "size",
            "Bays",
            90,
            "Size of the bays of a broken edge.",
            (0.5, 20_000),
            (10, 600),
            0,
            log=True,
            shown_when=("way", (BREAK,)),
            scales=True,
        ),
        P.seed(),
    ),
    footprint=lambda p, site: Footprint(
        looks=lambda level, window: (
            window.grown(int(1.6 * p.distance / site.spacing(level)) + 3) if p.way == BREAK else window
        ),
        asks=lambda level: ("first",) if p.way in ("sharpen", BREAK) or p.distance <= 0 else (),
        low_passed={} if p.way in ("sharpen", BREAK) else {"first": p.distance / 2 if p.way == "blur" else p.distance},
    ),
    base="first",
    figure="{way}",
    keywords=("blur", "dilate", "erode", "expand", "contract", "contrast", "feather", "threshold", "invert", "soften"),
    starting_points=(
        ("Soft edge", {"way": "blur", "distance": 40}),
        ("A margin around", {"way": "grow", "distance": 30}),
        ("Hard edge", {"way": "sharpen", "strength": 0.9}),
        ("Broken edge", {"way": BREAK, "distance": 60, "size": 120}),
    ),
)
def mask_edge(ctx: Context) -> Arrays:
    """Gaussian blur; grey dilation and erosion by a disc (Serra 1982); contrast about one half; or each sample looked
    up at a place moved by octave noise, which breaks the edge."""
    p = ctx.p
    if p.way == "sharpen":
        gain = np.float32(1 / max(1e-3, 1 - p.strength))
        return {"mask": np.clip((ctx.input("first") - np.float32(0.5)) * gain + np.float32(0.5), 0, 1)}
    if p.distance <= 0:
        return {"mask": ctx.input("first")}
    if p.way == BREAK:
        moved = [
            axis + wander(ctx, p.size, 4, ctx.seed + k, moves=True) * np.float32(p.distance / ctx.dx)
            for k, axis in enumerate(place(ctx.window))
        ]
        return {"mask": ctx.sampled("first", *moved)}
    if p.way == "blur":
        run, size = (lambda a, s: gaussian(a, s, ctx.stop)), p.distance / 2
    elif p.way == "grow":
        run, size = (lambda a, s: grow(a, s, ctx.stop)), p.distance
    else:
        run, size = (lambda a, s: 1 - grow(1 - a, s, ctx.stop)), p.distance
    made = filtered(ctx, "first", size, run, False)
    return {"mask": banded(ctx, lambda a: np.clip(a, 0, 1), made)}
