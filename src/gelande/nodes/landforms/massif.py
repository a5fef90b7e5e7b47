"""Massif: peaks and ridges in one body."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.node import height_out, node
from gelande.kernels import noise
from gelande.kernels.bands import by_rows
from gelande.kernels.grid_window import GridWindow
from gelande.kernels.shapes import grid, turned
from gelande.kernels.spurs import spurs
from gelande.nodes.shared import raised_by, wander


class Character(NamedTuple):
    """Parameters of a massif's character. sharp: of its crests; ridged: the share of the body that is; fall: how fast
    it comes down to the foot; apart, bend: distance of ridges and how they bend, in ridge spacings; spurs: how far
    apart those on its flanks are, the same; depth, gain: their height, and that of smaller ones, see
    kernels/spurs.py."""

    sharp: float
    ridged: float
    fall: float
    apart: float
    bend: float
    spurs: float
    depth: float
    gain: float


CHARACTERS = {
    "alpine": Character(1.7, 0.74, 1.6, 1.2, 0.25, 0.3, 0.14, 0.78),
    "worn": Character(1.0, 0.5, 1.5, 1.25, 0.25, 0.42, 0.15, 0.7),
    "jagged": Character(1.7, 0.72, 1.0, 0.95, 0.15, 0.33, 0.17, 0.8),
    "domed": Character(1.1, 0.3, 0.8, 1.0, 0.2, 0.33, 0.13, 0.75),
}
#: Octaves of ridges and height of the second of them as a share of the first; octaves of spurs.
RIDGES, SECOND, SPURS = 2, 0.45, 6
#: Height of the fans before the foot and of the plain's unevenness, as shares of the relief; how far fans reach, in
#: radii.
APRON, PLAIN, SPREADS = 0.07, 0.022, 0.22
#: Distance around a place that the slope which spurs run down is found over, in ridge spacings, and the largest spacing
#: of samples that it is found on, as a share of that.
ABOUT, FINE = 0.08, 0.25


@node(
    "massif",
    "Massif",
    "Landforms",
    "A mountain body with peaks, ridges and spurs that fall to a plain.",
    outputs=(height_out(),),
    params=(
        P.choice(
            "character",
            "Character",
            "alpine",
            tuple(CHARACTERS),
            "Young and sharp, worn down, jagged, or a dome with ribs.",
        ),
        P.metres("radius", "Radius", 1700, "From the middle to the foot.", (1, 500_000), (100, 5000), 0, scales=True),
        P.metres(
            "relief",
            "Height",
            850,
            "Height of the highest peaks over the foot.",
            (0, 60_000),
            (0, 3000),
            0,
            scales=True,
        ),
        P.metres(
            "ridge_spacing",
            "Ridge spacing",
            1100,
            "Distance between the main ridges.",
            (1, 200_000),
            (100, 4000),
            0,
            log=True,
            scales=True,
        ),
        P.fraction("stretch_along", "Length", 1.3, "Length as a share of the width.", (0.1, 10.0), (0.3, 3.0)),
        P.degrees("turn", "Turned to", 60, "Direction of the long axis, clockwise from north.", (0, 360)),
        P.fraction("east", "East", 0.5, "Where the middle lies from west to east.", (-1.0, 2.0), (0.0, 1.0)),
        P.fraction("north", "North", 0.5, "Where the middle lies from south to north.", (-1.0, 2.0), (0.0, 1.0)),
        P.seed(),
    ),
    version=4,
    figure="{character} · {relief}",
    keywords=("mountain", "peak", "range", "alps", "source", "island"),
    starting_points=(("Lone range", {"stretch_along": 2.4}), ("Old highland", {"character": "worn", "relief": 500})),
)
def massif(ctx: Context) -> Arrays:
    """Large ridges (ridged multifractal of two octaves, Musgrave 1994) under an envelope whose outline they push out,
    and on their flanks spurs and ravines that run down the slope and branch (Grenier et al. 2024)."""
    p = ctx.p
    how = CHARACTERS[p.character]
    plain = wander(ctx, 0.8 * p.ridge_spacing, 6, ctx.seed + 31, 0.46)
    body = _body(ctx, how, ctx.window, ctx.dx, (0.0, 0.0), plain)
    east, north = _slope(ctx, how)
    origin, size = (0.0, ctx.site.depth), how.spurs * p.ridge_spacing
    flanks = spurs(
        ctx.window, origin, ctx.dx, east, north, size, SPURS, how.depth, how.gain, ctx.seed + 77, stop=ctx.stop
    )
    return {"height": body + flanks}


def _body(
    ctx: Context,
    how: Character,
    window: GridWindow,
    dx: float,
    aside: tuple[float, float],
    plain: np.ndarray | None = None,
) -> np.ndarray:
    """Heights in metres without spurs, of places that lie aside (east, north; metres) of a window's. plain: unevenness
    of the plain, none when left out."""
    p = ctx.p
    spacing, origin = p.ridge_spacing * how.apart, (aside[0], ctx.site.depth + aside[1])
    n = noise.fractal(
        window,
        origin,
        dx,
        spacing,
        RIDGES,
        gain=SECOND,
        seed=ctx.seed,
        form=noise.RIDGED,
        sharp=how.sharp,
        warp=how.bend * p.ridge_spacing,
        stop=ctx.stop,
    )
    x, y = (a + np.float32(b) for a, b in zip(grid(window, ctx.site.width, ctx.site.depth, p.east, p.north), aside))

    def shape(x: np.ndarray, y: np.ndarray, n: np.ndarray, plain: np.ndarray) -> np.ndarray:
        n = n * np.float32(0.5) + np.float32(0.5)
        along, across = turned(x, y, p.turn)
        r = np.hypot(along / np.float32(p.stretch_along), across) / np.float32(p.radius)
        r = r * (np.float32(1.16) - np.float32(0.3) * n)  # spurs reach out along the ridges
        body = np.clip(1 - r, 0, 1)
        body = body * body * (np.float32(3) - 2 * body)
        body = body ** np.float32(0.55 + 0.45 * how.fall)
        ridges = np.float32(how.ridged) * n * (np.float32(0.35) + np.float32(0.65) * body)
        # Beyond the foot the ground falls on, in fans that lie before the valleys, to an uneven plain.
        apron = np.exp(-np.maximum(r - np.float32(0.75), 0) / np.float32(SPREADS)) * (
            np.float32(1.25) - np.float32(0.5) * n
        )
        foot = np.float32(APRON) * apron + np.float32(PLAIN) * (plain + np.float32(0.5)) * (1 - body)
        body = body * (np.float32(1 - how.ridged) + ridges) / np.float32(0.9) + foot * (1 - body)
        return np.float32(p.relief) * body

    level = np.zeros((1, 1), np.float32) if plain is None else plain
    return by_rows(shape, window.shape, ctx.stop, x, y, n, level)


def _slope(ctx: Context, how: Character) -> tuple[np.ndarray, np.ndarray]:
    """Rise over run to the east and to the north of what spurs run down: from three places about each, on the coarsest
    level that is fine enough, so that it is the same at every detail."""
    about, level = ABOUT * ctx.p.ridge_spacing, ctx.level
    while level > 0 and ctx.site.spacing(level - 1) <= FINE * about:
        level -= 1
    steps = ctx.level - level
    window, dx = ctx.window.coarser(steps), ctx.site.spacing(level)
    east = north = np.float32(0)
    for k in range(3):
        turn = 2 * math.pi * k / 3
        a, b = math.sin(turn), math.cos(turn)
        there = _body(ctx, how, window, dx, (about * a, about * b))
        east, north = east + there * np.float32(a / (1.5 * about)), north + there * np.float32(b / (1.5 * about))
    return tuple(raised_by(ctx, v, steps) for v in (east, north))
