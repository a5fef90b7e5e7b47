"""Water colour: shallow to deep, foam and the wet edge of the shore."""

import numpy as np

from gelande.core import param as P
from gelande.core.node import colour_in, colour_out, mask_in, node
from gelande.kernels.curves import coloured, ramp_table

WATER = ((0.0, 0.44, 0.55, 0.50), (0.25, 0.25, 0.42, 0.44), (0.6, 0.12, 0.28, 0.36), (1.0, 0.07, 0.18, 0.27))


@node(
    "water_colour",
    "Water colour",
    "Colour",
    "Lays water over a colour: shallow to deep, with foam and a wet edge at the shore.",
    inputs=(
        colour_in("under", "Ground"),
        mask_in("water", "Water", False, "Where water stands."),
        mask_in("depth", "Depth", True, "How deep it is: black at the shore, white where it is deepest."),
        mask_in("shore", "Shore", True, "White at the water's edge."),
    ),
    outputs=(colour_out(),),
    params=(
        P.ramp("ramp", "Water", WATER, "From shallow at the left to deep at the right."),
        P.share("clear", "Clearness", 0.5, "How much of the bed is seen in shallow water."),
        P.share("wet", "Wet edge", 0.35, "How much darker the ground is at the shore."),
        P.share("foam", "Foam", 0.15, "How white the water's edge is."),
    ),
    base="under",
    figure="{clear} clear",
    keywords=("sea", "lake", "river", "ocean", "shallow", "deep", "foam", "beach", "wet"),
    starting_points=(
        ("Tarn", {"clear": 0.3, "foam": 0.0}),
        ("Clear sea", {"clear": 0.8, "foam": 0.3}),
        ("Silty stream", {"ramp": ((0.0, 0.50, 0.46, 0.36), (1.0, 0.33, 0.31, 0.25)), "clear": 0.2, "foam": 0.05}),
    ),
)
def water_colour(ctx):
    """The bed shows through water by what is left of the light at its depth (Beer and Lambert); the ground is darkened
    where the shore is wet, and the water's edge is lightened."""
    p, ground, water = ctx.p, ctx.input("under"), ctx.input("water")
    depth, shore = ctx.input("depth"), ctx.input("shore")
    deep = np.full(ctx.shape, 0.6, np.float32) if depth is None else depth
    tone = coloured(deep, ramp_table(p.ramp), 0.0, 1.0, ctx.stop)
    seen = np.float32(p.clear) * np.exp(np.float32(-6.0) * deep)
    edge = np.zeros((1, 1), np.float32) if shore is None else shore
    out = np.empty((*ctx.shape, 3), np.float32)
    ctx.check()
    for k in range(3):
        bed = ground[..., k] * (1 - np.float32(p.wet) * edge)
        wet = tone[..., k] + seen * (bed * np.float32(0.7) - tone[..., k])
        wet = wet + np.float32(p.foam) * edge * (np.float32(0.86) - wet)
        out[..., k] = bed + water * (wet - bed)
    return {"colour": np.maximum(out, 0)}
