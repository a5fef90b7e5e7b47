"""Place: moves, turns, scales and mirrors."""

from functools import partial

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import Footprint
from gelande.core.recipe.node import any_in, any_out, node
from gelande.kernels.grid_window import GridWindow
from gelande.kernels.shapes import grid
from gelande.kernels.transfer import looked_at


def _from(p, site, dx, window):
    """Rows and columns of the whole grid that a window's samples come from."""
    x, y = grid(window, site.width, site.depth)
    x, y = (x - np.float32(p.east)) / np.float32(p.scale), (y - np.float32(p.north)) / np.float32(p.scale)
    a = np.radians(p.turn)
    u, v = (
        x * np.float32(np.cos(a)) - y * np.float32(np.sin(a)),
        x * np.float32(np.sin(a)) + y * np.float32(np.cos(a)),
    )
    u, v = (-u if p.mirror == "east_to_west" else u), (-v if p.mirror == "north_to_south" else v)
    rows, columns = window.grid
    return (rows - 1) / 2 - v / np.float32(dx), (columns - 1) / 2 + u / np.float32(dx)


def _looks(p, site, level, window):
    """The land that a window is made of: its corners tell, since straight lines stay straight."""
    corners = [
        GridWindow(r, c, 1, 1, *window.grid)
        for r in (window.top, window.top + window.height - 1)
        for c in (window.left, window.left + window.width - 1)
    ]
    found = [_from(p, site, site.spacing(level), corner) for corner in corners]
    return looked_at(*(np.array([f[k].item() for f in found]) for k in (0, 1)), window.grid)


@node(
    "place",
    "Place",
    "Shape",
    "Moves, turns, scales or mirrors land, a mask or a colour; beyond its edge it is mirrored.",
    reshapes="It moves, turns and scales the land.",
    inputs=(any_in(),),
    outputs=(any_out(),),
    params=(
        P.metres(
            "east",
            "Moved east",
            0,
            "How far the land is moved east.",
            (-500_000, 500_000),
            (-2000, 2000),
            0,
            scales=True,
        ),
        P.metres(
            "north",
            "Moved north",
            0,
            "How far the land is moved north.",
            (-500_000, 500_000),
            (-2000, 2000),
            0,
            scales=True,
        ),
        P.degrees(
            "turn", "Turned by", 30, "How far the land is turned clockwise about the middle.", (-360, 360), (-180, 180)
        ),
        P.number(
            "scale", "Scale", 1.0, "Horizontal size as a factor; heights stay.", (0.05, 20), (0.3, 3), 2, log=True
        ),
        P.choice("mirror", "Mirror", "no", ("no", "east_to_west", "north_to_south"), "Which way the land is mirrored."),
    ),
    footprint=lambda p, site: Footprint(looks=partial(_looks, p, site)),
    base="height",
    figure="{turn} · {scale}",
    keywords=("transform", "move", "rotate", "scale", "flip"),
    starting_points=(("Quarter turn", {"turn": 90}), ("Twice as wide", {"scale": 2.0, "turn": 0})),
)
def place(ctx: Context) -> Arrays:
    """Each sample is looked up where it came from (Catmull-Rom between samples)."""
    return {"height": ctx.sampled("height", *_from(ctx.p, ctx.site, ctx.dx, ctx.window))}
