"""Rain erosion of fine levels: local steps, which forget drainage area beyond 64 cells, in tiles with a halo.

Tiles lie fixed on the grid and depend on their halo alone, so any part of a level is the same bytes as in the whole.
"""

from __future__ import annotations

import numpy as np

from .bands import kernel, over_items
from .erosion import (
    AREA,
    CHANNEL,
    MOST,
    RATES,
    Moved,
    Pass,
    borne,
    fill_pits,
    finish,
    gather,
    incise,
    line_up,
    load,
    open_corners,
    ready,
    settle,
)
from .flow import around, downstream, route
from .frame import Frame

AREA_CAP = 64.0
CARRY = 0.93
HALO = 96
#: Rows and columns of a tile. Larger tiles waste less on halos; two at least keep two cores busy at 1025 samples.
TILE = {1025: (1024, 512)}
LARGE_TILE = (1024, 1024)


@kernel
def local_steps(
    h,
    soft,
    supply,
    bears,
    steps,
    strength,
    critical,
    ease,
    steep,
    fails,
    dx,
    seed,
    row0,
    column0,
    inner,
    cut,
    fill,
    worked,
    area,
    lost,
    held,
    stop,
):
    """Erodes one tile in place without flooding. row0, column0: where the tile begins in the
    level, so that jitter is the same in any tile; inner: its rows and columns without the halo, for what is lost; held:
    of buffers()."""
    n, beside = h.size, around(h.shape[1])
    (order, place, first, second), (share, own), cells, pulls, way, plot = held
    rates = (strength, critical, ease, 0.0, steep)
    nothing, nowhere, never, square = np.empty(0), np.empty(0, np.int32), np.empty(0, np.uint8), np.empty(0, np.float32)
    for step in range(steps):
        lost[0] -= fill_pits(h, fill, inner)
        if not route(h, nowhere, way, share, seed + 31 * step, row0, column0, 0.5, stop):
            return
        downstream(way, beside, order)
        line_up(order, way, beside, place, first, second)
        load(order, h, h, supply, soft, share, plot, cells, own, 0, n)
        gather(first, second, cells, AREA_CAP * dx * dx)
        ready(order, way, beside, square, square, cells, own, rates, dx, pulls, 0, n)
        if not incise(first, second, own, cells, pulls, fails, False, stop):
            return
        if not settle(first, second, own, cells, pulls, nowhere, never, nothing, nothing, 0.0, MOST * dx, CARRY, stop):
            return
        finish(h, cells, place, bears, plot, cut, fill, worked, dx, inner, lost)
    lost[0] += open_corners(h, way, place, cells, beside, CHANNEL * dx * dx, cut, fill, inner)
    lost[0] -= fill_pits(h, fill, inner)
    out = area.ravel()
    for i in range(n):
        out[i] = cells[place[i], AREA]


def buffers(shape: tuple[int, int]) -> tuple:
    """What local_steps works in. NumPy asks for large arrays in large pages, kernels do not: to look at cells that are
    far apart costs less there.

    Parameters
    ----------
    shape :
        (rows, columns) of a tile with its halo.

    Returns
    -------
    (order, places, first and second receivers), (shares, plots), records, rates, ways, a square cell's plots.
    """
    n = shape[0] * shape[1]
    lines, shares = np.empty((4, n), np.int32), np.empty((2, n), np.float32)
    records, rates = np.empty((n, 8), np.float32), np.empty((n, RATES), np.float32)
    return tuple(lines), tuple(shares), records, rates, np.empty(n, np.uint16), np.ones(shape, np.float32)


def tile_of(grid: tuple[int, int]) -> tuple[int, int]:
    """Rows and columns of a tile.

    Parameters
    ----------
    grid :
        rows and columns of the level.

    Returns
    -------
    (rows, columns).
    """
    return TILE.get(max(grid), LARGE_TILE)


def erode_local(
    h: np.ndarray, soft: np.ndarray, rain: np.ndarray, how: Pass, dx: float, stop, frame: Frame, wanted: Frame
) -> tuple[np.ndarray, Moved]:
    """Erodes a frame of a fine level in tiles, whose place and size depend on the level alone: the bytes depend
    neither on threads nor on the frame. Water whose area is forgotten has no bound to what it carries.

    Parameters
    ----------
    h, soft, rain :
        (rows, columns) float32 of the frame: heights in metres, erodibility 0 to 1, rain 0 to 1.
    how :
        kernels.erosion.Pass.
    dx :
        metres between samples.
    stop :
        uint8[1] or None; set when a stop is asked for.
    frame :
        what h holds; it must reach HALO samples beyond the tiles that ``wanted`` touches.
    wanted :
        what has to be right afterwards.

    Returns
    -------
    (heights in metres, as before outside those tiles; what was moved).

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    As kernels.erosion.
    """
    result, maps = h.copy(), [np.zeros_like(h) for _ in range(4)]
    supply, tiles = rain * np.float32(dx * dx), wanted.tiles(*tile_of(frame.grid))
    lost = {core: np.zeros(1) for core in tiles}
    rates = [float(v) for v in (how.strength, how.critical, how.ease, how.steep, how.fails, dx)]
    settings = (int(how.steps), *rates, int(how.seed))

    def tile(core: Frame) -> None:
        held = core.grown(HALO)
        ground, give, fall = (held.cut(x, frame) for x in (h, soft, supply))
        out, found = ground.copy(), [np.zeros_like(ground) for _ in maps]
        top, left = core.top - held.top, core.left - held.left
        inner = (top, top + core.height, left, left + core.width)
        local_steps(
            out,
            give,
            fall,
            borne(give, how.steep, dx),
            *settings,
            held.top,
            held.left,
            inner,
            *found,
            lost[core],
            buffers(out.shape),
            stop,
        )
        place = (
            slice(core.top - frame.top, core.top - frame.top + core.height),
            slice(core.left - frame.left, core.left - frame.left + core.width),
        )
        for target, source in zip((result, *maps), (out, *found)):
            target[place] = core.cut(source, held)

    over_items(tile, tiles, stop)
    worn, laid, worked, area = maps
    return result, Moved(worn, laid, worked, area, sum(float(lost[core][0]) for core in tiles))
