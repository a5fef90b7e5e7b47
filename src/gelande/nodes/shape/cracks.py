"""Cracks: clefts between plates."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.node import height_in, height_out, mask_out, node
from gelande.kernels.scatter import block_field
from gelande.nodes.shared import wander


@node(
    "cracks",
    "Cracks",
    "Shape",
    "Cuts a net of clefts into the ground.",
    inputs=(height_in(),),
    outputs=(height_out(), mask_out("crack", "Crack")),
    params=(
        P.metres(
            "size", "Plate size", 260, "Distance between clefts.", (1, 100_000), (20, 1500), 0, log=True, scales=True
        ),
        P.metres("width", "Width", 22, "Width of the clefts.", (0.05, 5000), (1, 120), 1, log=True, scales=True),
        P.metres("depth", "Depth", 18, "Depth of the clefts.", (0, 3000), (0, 150), 1, scales=True),
        P.fraction("jitter", "Jitter", 0.9, "How irregular the plates are."),
        P.fraction("bend", "Bend", 0.4, "How crooked the clefts run."),
        P.seed(),
    ),
    base="height",
    figure="{size} · {depth}",
    keywords=("fissure", "cleft", "grike", "mud", "joint"),
    starting_points=(("Hairlines", {"width": 6, "depth": 8}), ("Chasms", {"width": 60, "depth": 80, "size": 600})),
)
def cracks(ctx: Context) -> Arrays:
    """Distance to the cell borders of a jittered point lattice (Worley 1996; true border distance), bent by noise;
    a rounded V."""
    p, h = ctx.p, ctx.input("height")
    nothing = np.zeros((1, 1), np.float32)
    gap = min(0.9, p.width / p.size)
    reach = np.float32(0.28 * p.bend * p.size)
    moves = (
        tuple(wander(ctx, p.size * 0.8, 4, ctx.seed + k, moves=True) * reach for k in (21, 22)) if p.bend > 0 else None
    )
    ctx.check()
    _, plate = block_field(
        ctx.window,
        ctx.site.depth,
        ctx.dx,
        nothing,
        p.size,
        1.0,
        1.0,
        1.0,
        gap,
        p.jitter,
        0.0,
        0.0,
        1,
        0.0,
        ctx.seed,
        ctx.stop,
        moves,
    )
    ctx.check()
    crack = 1 - plate
    fade = np.float32(min(1.0, max(0.0, p.width / ctx.dx - 0.5)))
    return {"height": h - np.float32(p.depth) * crack * fade, "crack": crack * fade}
