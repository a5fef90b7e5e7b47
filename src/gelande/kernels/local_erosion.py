"""Rain erosion of fine levels: local steps, which forget drainage area beyond 64 cells, in tiles with a halo.

Tiles lie fixed on the grid and depend on their halo alone, so any part of a level is the same bytes as in the whole.
"""

from __future__ import annotations

import math

import numpy as np

from .bands import kernel, over_items
from .erosion import (
    AREA,
    CHANNEL,
    FRESH,
    GIVE,
    HARDEST,
    HEIGHT,
    LAID,
    LOAD,
    MOST,
    SHARE,
    WATER,
    Moved,
    Pass,
    fill_pits,
    finish_step,
    open_corners,
    repose_drop,
)
from .flow import NEAR, NONE, around, downstream, route
from .grid_window import GridWindow

AREA_CAP = 64.0
#: In the record of a cell, where whole levels keep the level of standing water: its ways, as of route().
WAYS = WATER
#: 1 / distance to each neighbour in cells, 0 for none.
CLOSE = np.append(NEAR, 0.0).astype(np.float32)
CARRY = 0.93
HALO = 96
#: Rows and columns of a tile. Larger tiles waste less on halos; two at least keep two cores busy at 1025 samples.
TILE = {1025: (1024, 512)}
LARGE_TILE = (1024, 1024)


@kernel
def _line_up(order, way, beside, h, supply, soft, fraction, place, first, second, cells):
    """Places of the cells in the order of the sweep, and of the receivers of each, -1 for none; and their records.

    What it does as index_receivers() does stands here again: a kernel for it that both call takes a third more time.
    Maps of one sample are the same everywhere."""
    flat, fall, give = h.ravel(), supply.ravel(), soft.ravel()
    falls, gives = min(1, fall.size - 1), min(1, give.size - 1)
    for p in range(len(order)):
        place[order[p]] = p
    for p in range(len(order)):
        i = order[p]
        a, b = way[i] & 15, (way[i] >> 4) & 15
        first[p] = -1 if a == NONE else place[i + beside[a]]
        second[p] = first[p] if b == NONE else place[i + beside[b]]
        cells[p, HEIGHT], cells[p, AREA], cells[p, GIVE] = flat[i], fall[i * falls], give[i * gives]
        cells[p, SHARE], cells[p, WAYS], cells[p, LOAD] = fraction[i], way[i], 0.0


@kernel
def sweep(first, second, cells, how, fails, dx, stop):
    """Area, incision and what is laid down, down every stream by one visit of each cell: a cell cuts towards what its
    receivers were before, so that a tile's halo is not left behind, and water has no bound to what it carries."""
    strength, critical, ease, steep = how
    one, none, hardest, carry = np.float32(1.0), np.float32(0.0), np.float32(HARDEST), np.float32(CARRY)
    cap, ease, critical = np.float32(AREA_CAP * dx * dx), np.float32(ease * dx * dx), np.float32(critical)
    strength, steep, most, fails = (
        np.float32(strength / dx),
        np.float32(steep * dx),
        np.float32(MOST * dx),
        np.float32(fails),
    )
    for p in range(len(first)):
        if p & 8191 == 0 and stop[0]:
            return False
        a, b, here, fraction = first[p], second[p], cells[p, HEIGHT], cells[p, SHARE]
        area, load, fresh = min(cells[p, AREA], cap), cells[p, LOAD], here
        if a >= 0:
            ways, give = np.int64(cells[p, WAYS]), cells[p, GIVE]
            near, c = CLOSE[ways & 15], strength * give * math.sqrt(area) * area / (area + critical)
            pull, other = c * fraction * near, c * (one - fraction) * CLOSE[(ways >> 4) & 15]
            fall = here - cells[a, HEIGHT]
            cut = max(pull * fall + other * (here - cells[b, HEIGHT]), none) / (one + pull + other)
            bears = steep / (near * math.sqrt(max(give, hardest)))
            fresh = here - (cut + fails * max(fall - cut - bears, none))
            load += here - fresh
        lay = min(load * ease / (area + ease), most)
        going = load - lay
        cells[p, FRESH], cells[p, AREA], cells[p, LAID], cells[p, LOAD] = fresh, area, lay, going
        if a >= 0:
            rest = going * carry
            part, water = rest * fraction, area * fraction
            cells[p, LOAD] = going - rest
            cells[a, LOAD] += part
            cells[b, LOAD] += rest - part
            cells[a, AREA] += water
            cells[b, AREA] += area - water
    return True


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
    n, beside, how = h.size, around(h.shape[1]), (strength, critical, ease, steep)
    (order, place, first, second), fraction, cells, way, plot = held
    nowhere = np.empty(0, np.int32)
    for step in range(steps):
        lost[0] -= fill_pits(h, fill, inner)
        if not route(h, nowhere, way, fraction, seed + 31 * step, row0, column0, 0.5, stop):
            return
        downstream(way, beside, order)
        _line_up(order, way, beside, h, supply, soft, fraction, place, first, second, cells)
        if not sweep(first, second, cells, how, fails, dx, stop):
            return
        finish_step(h, cells, place, bears, plot, cut, fill, worked, dx, inner, lost)
    lost[0] += open_corners(h, way, place, cells, beside, CHANNEL * dx * dx, cut, fill, inner)
    lost[0] -= fill_pits(h, fill, inner)
    out = area.ravel()
    for i in range(n):
        out[i] = cells[place[i], AREA]


def buffers(shape: tuple[int, int]) -> tuple:
    """Work arrays of local_steps. NumPy asks for large arrays in large pages, kernels do not: to look at cells that are
    far apart costs less there.

    Parameters
    ----------
    shape :
        (rows, columns) of a tile with its halo.

    Returns
    -------
    (order, places, first and second receivers), shares, records, ways, a square cell's plots.
    """
    n = shape[0] * shape[1]
    lines, fraction, records = np.empty((4, n), np.int32), np.empty(n, np.float32), np.empty((n, 8), np.float32)
    return tuple(lines), fraction, records, np.empty(n, np.uint16), np.ones(shape, np.float32)


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
    h: np.ndarray,
    soft: np.ndarray,
    rain: np.ndarray,
    how: Pass,
    dx: float,
    stop: np.ndarray | None,
    window: GridWindow,
    wanted: GridWindow,
) -> tuple[np.ndarray, Moved]:
    """Erodes a window of a fine level in tiles, whose place and size depend on the level alone: the bytes depend
    neither on threads nor on the window. Water whose area is forgotten has no bound to what it carries.

    Parameters
    ----------
    h, soft, rain :
        (rows, columns) float32 of the window: heights in metres, erodibility 0 to 1, rain 0 to 1.
    how :
        kernels.erosion.Pass.
    dx :
        metres between samples.
    stop :
        uint8[1] or None; set when a stop is asked for.
    window :
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
    supply, tiles = rain * np.float32(dx * dx), wanted.tiles(*tile_of(window.grid))
    lost = {core: np.zeros(1) for core in tiles}
    rates = [float(v) for v in (how.strength, how.critical, how.ease, how.steep, how.fails, dx)]
    settings = (int(how.steps), *rates, int(how.seed))
    soft_alike, wet_alike = (a.min() == a.max() for a in (soft, supply))

    def tile(core: GridWindow) -> None:
        held = core.grown(HALO)
        ground, give, fall = (held.cut(x, window) for x in (h, soft, supply))
        bears, out, found = repose_drop(give, how.steep, dx), ground.copy(), [np.zeros_like(ground) for _ in maps]
        top, left = core.top - held.top, core.left - held.left
        inner = (top, top + core.height, left, left + core.width)
        local_steps(
            out,
            give[:1, :1] if soft_alike else give,
            fall[:1, :1] if wet_alike else fall,
            bears,
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
            slice(core.top - window.top, core.top - window.top + core.height),
            slice(core.left - window.left, core.left - window.left + core.width),
        )
        for target, source in zip((result, *maps), (out, *found)):
            target[place] = core.cut(source, held)

    over_items(tile, tiles, stop)
    worn, laid, worked, area = maps
    return result, Moved(worn, laid, worked, area, sum(float(lost[core][0]) for core in tiles))
