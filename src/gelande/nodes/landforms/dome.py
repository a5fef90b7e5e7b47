"""Dome: one round hill."""

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.node import height_out, node
from gelande.kernels.shapes import grid, smoothstep, turned

PROFILES = ("round", "bell", "pointed", "flat_topped")


@node(
    "dome",
    "Dome",
    "Landforms",
    "One round hill, bell, cone or table.",
    outputs=(height_out(),),
    params=(
        P.metres(
            "radius",
            "Radius",
            1500,
            "From the middle to the foot, east to west.",
            (1, 500_000),
            (50, 4000),
            0,
            scales=True,
        ),
        P.metres(
            "relief", "Height", 350, "Height of the top over the foot.", (-60_000, 60_000), (0, 1500), 0, scales=True
        ),
        P.fraction("east", "East", 0.5, "Where the middle lies from west to east.", (-1.0, 2.0), (0.0, 1.0)),
        P.fraction("north", "North", 0.5, "Where the middle lies from south to north.", (-1.0, 2.0), (0.0, 1.0)),
        P.fraction("stretch_along", "Length", 1.0, "Length as a share of the width.", (0.1, 10.0), (0.3, 3.0)),
        P.degrees("turn", "Turned to", 0, "Direction of the long axis, clockwise from north.", (0, 360)),
        P.choice("profile", "Profile", "bell", (*PROFILES[:3], ("flat_topped", "Flat-topped")), "How the flank falls."),
    ),
    figure="{radius} · {relief}",
    keywords=("hill", "hemisphere", "mound", "source", "radial", "island"),
    starting_points=(
        ("Low swell", {"relief": 120, "radius": 2200}),
        ("Long hill", {"stretch_along": 2.6, "turn": 40}),
        ("Basin", {"relief": -200}),
    ),
)
def dome(ctx: Context) -> Arrays:
    """Height over a round or oval foot: sqrt(1 - r²), (1 - r²)², 1 - r, or a smooth step that keeps half the radius
    level."""
    p = ctx.p
    along, across = turned(*grid(ctx.window, ctx.site.width, ctx.site.depth, p.east, p.north), p.turn)
    r = np.minimum(np.hypot(across, along / np.float32(p.stretch_along)) / np.float32(p.radius), 1)
    shape = {
        "round": lambda: np.sqrt(1 - r * r),
        "bell": lambda: (1 - r * r) ** 2,
        "pointed": lambda: 1 - r,
        "flat_topped": lambda: smoothstep((1 - r) * 2),
    }[p.profile]
    return {"height": shape() * np.float32(p.relief)}
