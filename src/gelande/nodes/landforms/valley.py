"""Valley: a trough valley."""

from __future__ import annotations

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.node import height_in, height_out, node
from gelande.core.recipe.site import GLOBAL_LEVEL
from gelande.kernels import noise
from gelande.kernels.shapes import curve_through, grid, smoothstep, to_line, turned, winding_line
from gelande.nodes.shared import banded, wander

#: Share of the depth from which a side leans back to the shoulder, and by which the floor rises to its sides.
ROUND, FLOOR = 0.78, 0.03


@node(
    "valley",
    "Valley",
    "Landforms",
    "A trough valley that winds across the site, cut into high ground.",
    inputs=(
        height_in("height", "Ground", True, "Ground to cut into; flat at the shoulder height when nothing is linked."),
    ),
    outputs=(height_out(),),
    params=(
        P.metres(
            "floor_width", "Floor width", 420, "Width of the valley floor.", (0, 100_000), (0, 2500), 0, scales=True
        ),
        P.metres(
            "side_width",
            "Side width",
            620,
            "From the floor's edge to the shoulder.",
            (1, 100_000),
            (50, 2500),
            0,
            scales=True,
        ),
        P.metres(
            "depth", "Depth", 320, "Depth of the floor below the shoulder.", (0, 60_000), (0, 1200), 0, scales=True
        ),
        P.fraction("trough", "Trough", 0.6, "From a V cut by water to a U cut by ice."),
        P.line(
            "line",
            "Line",
            "The valley floor's middle, drawn downstream; when none is drawn, it runs by the settings that follow.",
        ),
        P.degrees(
            "direction",
            "Runs towards",
            20,
            "Direction downstream, clockwise from north.",
            (0, 360),
            shown_when=("line", ((),)),
        ),
        P.fraction("winding", "Winding", 0.35, "How far the valley swings aside.", shown_when=("line", ((),))),
        P.fraction(
            "offset",
            "Aside",
            0.0,
            "Moves the valley off the middle.",
            (-2.0, 2.0),
            (-1.0, 1.0),
            shown_when=("line", ((),)),
        ),
        P.number("fall", "Fall", 25, "Metres that the floor falls in a kilometre.", (0, 500), (0, 100), 0),
        P.fraction("irregularity", "Irregularity", 0.35, "How uneven the sides are."),
        P.seed(),
    ),
    base="height",
    version=2,
    figure="{floor_width} · {depth}",
    keywords=("valley", "trough", "glacier", "canyon", "gorge", "source", "fjord"),
    starting_points=(
        ("Gorge", {"floor_width": 40, "side_width": 160, "trough": 0.2}),
        ("Ice trough", {"trough": 0.95, "floor_width": 700}),
    ),
)
def valley(ctx: Context) -> Arrays:
    """A cross profile (d/w)^q with q from 1 (V) to 3 (U; Svensson 1959 measured about 2 for ice troughs), along a
    drawn or winding line."""
    p = ctx.p
    line = (
        curve_through(p.line)
        if p.line
        else winding_line(ctx.site.width, ctx.site.depth, p.direction, p.winding, p.offset, ctx.seed)
    )
    d, place = to_line(line, ctx.window, ctx.site.depth, ctx.dx, ctx.stop)
    ctx.check()
    size = max(p.side_width, 4 * ctx.site.long_side / 512)
    d = d * (1 + wander(ctx, size, 6, ctx.seed + 3, moves=True) * np.float32(0.6 * p.irregularity))
    # Side valleys run down to the floor along the creases of a ridged noise.
    how = {"form": noise.RIDGED, "sharp": 1.6, "warp": 0.35 * size, "stop": ctx.stop, "fine": noise.UNFADED}
    creases = noise.fractal(ctx.window, (0.0, ctx.site.depth), ctx.dx, 1.5 * size, 4, 2.05, 0.42, ctx.seed + 5, **how)
    bumps = wander(ctx, max(0.5 * p.floor_width, 6 * ctx.site.spacing(GLOBAL_LEVEL)), 5, ctx.seed + 8)
    if p.line:
        along = place * np.float32(np.hypot(*np.diff(line, axis=0).T).sum())
    else:
        along, _ = turned(*grid(ctx.window, ctx.site.width, ctx.site.depth), p.direction)

    def cut(d: np.ndarray, along: np.ndarray, creases: np.ndarray, bumps: np.ndarray) -> np.ndarray:
        t = np.clip((d - np.float32(p.floor_width / 2)) / np.float32(p.side_width), 0, None)
        crease = np.minimum((creases * np.float32(0.5) + np.float32(0.5)) ** 3 * np.float32(1.6 * p.irregularity), 0.75)
        t = t * (1 - crease * np.clip(t * np.float32(3), 0, 1) * np.clip(np.float32(1.9) - t, 0, 1))
        side = smoothstep(t * np.float32(0.5)) * 2 if p.trough < 0.05 else t ** np.float32(1 + 2 * p.trough)
        # The shoulder is round: from about four fifths of the depth the side leans back to the ground around.
        lean = np.clip((side - ROUND) / (2 - 2 * ROUND), 0, 1)
        side = np.where(side < ROUND, side, ROUND + (1 - ROUND) * lean * (2 - lean)).astype(np.float32)
        # The floor rises a little from the stream to the foot of the sides, and is uneven.
        across = np.minimum(d / np.float32(max(p.floor_width / 2, 1e-3)), 1)
        rises = smoothstep(across)
        lies = np.float32(FLOOR * p.depth) * rises * (1 + np.float32(1.2 * p.irregularity) * bumps)
        return (lies - np.float32(p.depth) - along * np.float32(p.fall / 1000)) * (1 - side)

    made, ground = banded(ctx, cut, d, along, creases, bumps), ctx.input("height")
    return {"height": made + np.float32(p.depth) if ground is None else ground + made}
