"""Mask edge: blurs, grows, shrinks or sharpens a mask."""

import numpy as np

from gelande.core import param as P
from gelande.core.node import mask_in, mask_out, node
from gelande.kernels.measure import gaussian
from gelande.kernels.morphology import grow
from gelande.nodes.shared import banded, filtered


@node(
    "mask_edge",
    "Mask edge",
    "Masks",
    "Blurs, grows, shrinks or sharpens the edges of a mask.",
    inputs=(mask_in("first", "Mask to change"),),
    outputs=(mask_out(),),
    params=(
        P.choice("way", "Way", "Blur", ("Blur", "Grow", "Shrink", "Sharpen"), "What is done to the edges."),
        P.metres(
            "distance",
            "Distance",
            24,
            "How far the edge is blurred or moved.",
            (0, 20_000),
            (0, 300),
            0,
            shown_when=("way", ("Blur", "Grow", "Shrink")),
            scales=True,
        ),
        P.share("strength", "Strength", 0.6, "How hard the edge becomes.", shown_when=("way", ("Sharpen",))),
    ),
    asks=lambda p, site, level: ("first",) if p.way == "Sharpen" or p.distance <= 0 else (),
    wide=lambda p, site: {} if p.way == "Sharpen" else {"first": p.distance / 2 if p.way == "Blur" else p.distance},
    base="first",
    figure="{way}",
    keywords=("blur", "dilate", "erode", "expand", "contract", "contrast", "feather", "threshold", "invert", "soften"),
    starting_points=(
        ("Soft edge", {"way": "Blur", "distance": 40}),
        ("A margin around", {"way": "Grow", "distance": 30}),
        ("Hard edge", {"way": "Sharpen", "strength": 0.9}),
    ),
)
def mask_edge(ctx):
    """Gaussian blur; grey dilation and erosion by a disc (Serra 1982); or contrast about one half."""
    p = ctx.p
    if p.way == "Sharpen":
        gain = np.float32(1 / max(1e-3, 1 - p.strength))
        return {"mask": np.clip((ctx.input("first") - np.float32(0.5)) * gain + np.float32(0.5), 0, 1)}
    if p.distance <= 0:
        return {"mask": ctx.input("first")}
    if p.way == "Blur":
        run, size = (lambda a, s: gaussian(a, s, ctx.stop)), p.distance / 2
    elif p.way == "Grow":
        run, size = (lambda a, s: grow(a, s, ctx.stop)), p.distance
    else:
        run, size = (lambda a, s: 1 - grow(1 - a, s, ctx.stop)), p.distance
    made = filtered(ctx, "first", size, run, False)
    return {"mask": banded(ctx, lambda a: np.clip(a, 0, 1), made)}
