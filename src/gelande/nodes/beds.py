"""One description of layered rock for every node that reads beds: nodes with the same settings, or linked to the same
Rock in beds, have the same rock."""

from __future__ import annotations

from functools import lru_cache

import numpy as np

from gelande.core.evaluate.context import Context
from gelande.core.recipe import param as P
from gelande.core.recipe.node import Port
from gelande.core.recipe.param import Param
from gelande.core.recipe.raster import HEIGHT
from gelande.kernels.grid_window import GridWindow
from gelande.kernels.layers import Layers, Table, table_of
from gelande.kernels.noise import UNFADED, fractal
from gelande.kernels.shapes import grid, turned

#: Kind of the node that describes beds for others, and the input by which they read it.
DESCRIBES, LINKED = "rock_beds", "beds_from"
#: The setting that says what rock there is, and its values.
EVEN, LAYERED = "even", "in_beds"
#: Folds of the beds: how many the site has, and how high they are in thicknesses at full irregularity.
FOLDS, FOLD = 3, 0.8

_table = lru_cache(32)(table_of)


def rock_choice(help: str) -> Param:
    """The setting that says whether rock is in beds."""
    return P.choice("beds", "Rock", EVEN, (EVEN, LAYERED), help)


def beds_in(chooses: bool) -> Port:
    """The input by which a node reads the beds of a linked node. chooses: whether the node has a rock_choice."""
    says = "Rock in beds, so that all nodes that read it have the same rock; tilted and folded as that land is."
    return Port(LINKED, "Beds", HEIGHT, True, says, reads=DESCRIBES, sets=("beds", LAYERED) if chooses else ())


def bed_settings(
    thickness: float, contrast: float, spread: float, dip: float, towards: float, **more
) -> tuple[Param, ...]:
    """Settings that describe beds. more: handed to each, as shown_when."""
    return (
        P.metres(
            "thickness",
            "Bed thickness",
            thickness,
            "Mean thickness of a bed.",
            (0.1, 3000),
            (5, 200),
            1,
            scales=True,
            **more,
        ),
        P.fraction("contrast", "Contrast", contrast, "How much steeper hard beds stand than soft ones.", **more),
        P.fraction(
            "irregularity", "Irregularity", spread, "How much the beds differ in thickness, and how they wave.", **more
        ),
        P.degrees("dip", "Dip", dip, "Tilt of the beds against level.", (0, 60), (0, 30), 1, **more),
        P.degrees(
            "dip_direction", "Dip direction", towards, "Where the beds sink to, clockwise from north.", (0, 360), **more
        ),
        P.count(
            "succession",
            "Succession",
            1,
            "Which beds follow each other; nodes with the same number and settings have the same rock.",
            (1, 9999),
            (1, 20),
            **more,
        ),
    )


def beds_of(ctx: Context) -> P.Values:
    """The settings that describe the beds: those of the linked node, else the node's own."""
    return ctx.settings_above(LINKED) or ctx.p


def beds_table(p: P.Values, group: int = 1) -> Table:
    """The beds of these settings, or what they are when so many pairs of them are one."""
    return _table(float(p.thickness), float(p.irregularity), float(p.contrast), int(p.succession), group)


def datum_of(ctx: Context, level: int, window: GridWindow) -> np.ndarray:
    """Height of the surface that beds of a node's own settings lie along on a window of a level, metres: tilted and
    gently folded."""
    p, dx = ctx.p, ctx.site.spacing(level)
    x, y = grid(window, ctx.site.width, ctx.site.depth)
    along, _ = turned(x, y, p.dip_direction)
    datum = -along * np.float32(np.tan(np.radians(p.dip)))
    if p.irregularity > 0:
        size, seed = ctx.site.long_side / FOLDS, int(p.succession) + 71
        place = (window, (0.0, ctx.site.depth), dx)
        folds = fractal(*place, size, 2, gain=0.4, seed=seed, stop=ctx.stop, fine=UNFADED)
        datum = datum + np.float32(FOLD * p.irregularity * p.thickness) * folds
    return np.broadcast_to(datum, (window.height, window.width)).astype(np.float32)


def layers_of(ctx: Context, level: int | None = None) -> Layers:
    """The beds under a node's window, at its own level or another one."""
    level = ctx.level if level is None else level
    datum = ctx.input(LINKED, level)
    if datum is None:
        datum = datum_of(ctx, level, ctx.window if level == ctx.level else ctx.window_at(level))
    return Layers(beds_table(beds_of(ctx)), datum)
