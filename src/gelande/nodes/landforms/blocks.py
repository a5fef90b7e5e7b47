"""Blocks: layers of stone blocks cut by a surface."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.node import height_in, height_out, mask_in, mask_out, node
from gelande.kernels.scatter import block_field


@node(
    "blocks",
    "Blocks",
    "Landforms",
    "Layers of blocks with gaps between them: pavement, rubble, cracked ground, columns.",
    inputs=(
        height_in("height", "Ground", True, "Height that the blocks follow."),
        mask_in("gaps", "Gap by mask", True, "White widens the gaps, black closes them."),
    ),
    outputs=(height_out(), mask_out("block", "Block")),
    params=(
        P.metres("size", "Size", 120, "Width of a block.", (0.2, 20_000), (5, 600), 1, log=True, scales=True),
        P.fraction(
            "stretch_east", "Stretch east", 1.0, "Width from east to west as a share of the size.", (0.1, 10), (0.3, 4)
        ),
        P.fraction(
            "stretch_north",
            "Stretch north",
            1.0,
            "Width from north to south as a share of the size.",
            (0.1, 10),
            (0.3, 4),
        ),
        P.metres("tall", "Thickness", 24, "Height of a layer of blocks.", (0.05, 5000), (1, 150), 1, scales=True),
        P.fraction("gap", "Gap", 0.12, "Width of the gaps as a share of the size.", (0.0, 0.9), (0.0, 0.5)),
        P.fraction("jitter", "Jitter", 0.6, "How irregular the outlines are: none gives a brick pattern."),
        P.fraction("jitter_up", "Jitter upwards", 0.5, "How much the tops differ in height."),
        P.degrees("tilt", "Tilted tops", 6, "How far the tops tilt at most.", (0, 45), (0, 25)),
        P.count("layers", "Layers", 2, "How many layers are seen down the gaps.", (1, 4)),
        P.degrees("turn", "Turned to", 20, "Direction of the pattern, clockwise from north.", (0, 360)),
        P.seed(),
    ),
    base="height",
    figure="{size} · {tall}",
    keywords=("pavement", "rubble", "voronoi", "stones", "columns", "cracked", "clint", "source"),
    starting_points=(
        ("Clint and grike", {"size": 40, "tall": 6, "gap": 0.1, "tilt": 2, "jitter": 0.4}),
        ("Rubble", {"jitter": 1, "jitter_up": 1, "tilt": 22, "gap": 0.05}),
        ("Columns", {"size": 26, "tall": 90, "jitter_up": 1, "tilt": 1, "gap": 0.04}),
    ),
)
def blocks(ctx: Context) -> Arrays:
    """A solid pattern of cells cut from above: in each layer a jittered cell pattern (Worley 1996); a gap shows the
    layer below.

    The gap is where the nearest and second feature point are almost equally far."""
    p = ctx.p
    ground, gaps = ctx.input("height"), ctx.input("gaps")
    nothing = np.zeros((1, 1), np.float32)
    out, block = block_field(
        ctx.window,
        ctx.site.depth,
        ctx.dx,
        nothing if gaps is None else np.ascontiguousarray(gaps),
        p.size,
        p.stretch_east,
        p.stretch_north,
        p.tall,
        p.gap,
        p.jitter,
        p.jitter_up,
        np.tan(np.radians(p.tilt)),
        p.layers,
        p.turn,
        ctx.seed,
        ctx.stop,
    )
    return {"height": out if ground is None else ground + out, "block": block}
