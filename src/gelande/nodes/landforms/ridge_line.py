"""Ridge line: a ridge along a line."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.node import height_out, node
from gelande.kernels import noise
from gelande.kernels.shapes import curve_through, to_line, winding_line
from gelande.nodes.shared import wander


@node(
    "ridge_line",
    "Ridge line",
    "Landforms",
    "A long ridge with summits, saddles and spurs to both sides.",
    outputs=(height_out(),),
    params=(
        P.metres("relief", "Height", 620, "Height of the highest summits.", (0, 60_000), (0, 2500), 0, scales=True),
        P.metres("width", "Half width", 950, "From the crest to the foot.", (1, 200_000), (50, 3000), 0, scales=True),
        P.fraction("saddles", "Saddles", 0.4, "How deep the saddles lie between summits."),
        P.fraction("spurs", "Spurs", 0.6, "How strongly spurs leave the ridge."),
        P.number(
            "sharpness", "Crest sharpness", 1.4, "1 gives straight flanks, more a sharper crest.", (0.4, 5), (0.7, 3), 1
        ),
        P.line(
            "line", "Line", "The crest, drawn on the land; when none is drawn, it runs by the settings that follow."
        ),
        P.degrees(
            "direction",
            "Runs towards",
            70,
            "Direction of the ridge, clockwise from north.",
            (0, 360),
            shown_when=("line", ((),)),
        ),
        P.fraction("winding", "Winding", 0.4, "How far the ridge swings aside.", shown_when=("line", ((),))),
        P.fraction(
            "offset",
            "Aside",
            0.0,
            "Moves the ridge off the middle.",
            (-2.0, 2.0),
            (-1.0, 1.0),
            shown_when=("line", ((),)),
        ),
        P.seed(),
    ),
    figure="{relief} · {width}",
    keywords=("mountain", "crest", "range", "esker", "source"),
    starting_points=(
        ("Hogback", {"spurs": 0.2, "saddles": 0.15, "winding": 0.1}),
        ("Mountain chain", {"saddles": 0.6, "spurs": 0.9}),
    ),
)
def ridge_line(ctx: Context) -> Arrays:
    """(1 - d/w)^sharpness over the distance to a drawn or winding line; spurs are ridged noise that widens and
    lifts the flanks."""
    p = ctx.p
    line = (
        curve_through(p.line)
        if p.line
        else winding_line(ctx.site.width, ctx.site.depth, p.direction, p.winding, p.offset, ctx.seed)
    )
    d, along = to_line(line, ctx.window, ctx.site.depth, ctx.dx, ctx.stop)
    ctx.check()
    ribs = noise.fractal(
        ctx.window,
        (0.0, ctx.site.depth),
        ctx.dx,
        p.width * 0.55,
        7,
        gain=0.48,
        seed=ctx.seed + 5,
        form=noise.RIDGED,
        sharp=1.4,
        warp=0.15 * p.width,
        stop=ctx.stop,
    ) * np.float32(0.5) + np.float32(0.5)
    ctx.check()
    near = np.clip(d / np.float32(p.width), 0, 1)
    # Ribs push the foot in and out, but never lift ground beyond it: spurs stay joined to the crest.
    t = near * (1 + np.float32(0.95 * p.spurs) * (np.float32(0.72) - ribs)) + np.float32(0.18 * p.spurs) * near * near
    flank = np.clip(1 - t, 0, 1) ** np.float32(p.sharpness) * np.clip((1 - near) * 6, 0, 1)
    tops = np.cos(along * np.float32(2 * np.pi * 3.2) + np.float32(ctx.seed % 7)) * np.float32(0.5) + np.cos(
        along * np.float32(2 * np.pi * 7.7)
    ) * np.float32(0.3)
    crest = 1 - np.float32(p.saddles) * (np.float32(0.4) - np.float32(0.5) * tops)
    rough = wander(ctx, p.width * 0.3, 6, ctx.seed + 8) * np.float32(0.05) * flank
    return {
        "height": np.float32(p.relief)
        * (flank * crest * (1 - np.float32(1.1 * p.spurs) * (1 - ribs) * np.sqrt(near) * (1 - near)) + rough)
    }
