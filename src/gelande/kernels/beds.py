"""Beds of rivers: a narrow course that falls all the way and lies a little below the floor of its valley, as rivers
have on real land; by their own cuts alone, streams of a grid leave chains of pools and steps. Found on whole levels and
kept open on fine ones."""

from __future__ import annotations

import numpy as np

from gelande.kernels.lattice import Lattice

from .bands import by_rows, check, kernel
from .flow import downstream, neighbours, receivers
from .grid_window import GridWindow
from .measure import gradient
from .streams import beside, within

#: Drainage area in squares of the gully spacing, at least, from which rivers have beds and at which these are half as
#: deep as they get.
STREAM_AREA = 28.0
#: Of the level before the last whole one, and of that: depth of a bed below the valley's floor in gully spacings and in
#: samples, at least, where the land rises by USUAL on average; that drainage area in cells, at least.
LEVELS, USUAL_RISE = {1: (0.16, 0.6, 390.0), 2: (0.097, 0.67, 1560.0)}, 0.35
#: The power of the land's rise that depths grow with, where it rises by more than that.
DEPTH_POWER = 0.3
#: Samples beside a course that have its bed's height, so that it is there wherever samples lie; and how much of a
#: sample's width the one nearest to it is lower, so that water runs in one line.
FLOOR_WIDTH, LIP = 1.2, 0.045
#: Rise over run that a bed falls by at least, and how often its fall is evened out along the river: cut through sills
#: alone, it would be level behind each and fall at once beyond.
LEAST_FALL, PASSES = 0.001, 12
#: Depth of water, in sills that are cut through, in which beds end; they grow shallow over one sill less.
SILL_WATER = 1.5
#: Rise over run of a bed's banks, and how much of its depth the ground is cut at most and raised; how many times as
#: much it is cut where the river itself runs, whatever stands in its way.
BANK_SLOPE, CUT_MOST, RAISED, CUT_THROUGH = 0.6, 1.5, 0.25, 1.5
#: At how many places of a piece of a course the sample nearest to it is lower: on a bent lattice it can be two samples
#: long.
NEAREST = 4
#: How much fine levels cut along a bed at most and raise, in gully spacings: bumps and dips of theirs, no bank; and how
#: much lower they have the bed, below what they cut beside it.
BUMPS, DIPS, SINK = 0.045, 0.02, 0.0065


@kernel
def _highest(order, first, low, top):
    """The highest ground on the way of every cell's water, itself among it."""
    for p in range(len(order) - 1, -1, -1):
        i = order[p]
        j = first[i]
        top[i] = low[i] if j < 0 else max(low[i], top[j])


@kernel
def _fall(order, first, bed, area, least, sill, fall):
    """Lowers beds so that each falls by so much from cell to cell at least, through sills that rise by less than one
    metres a cell."""
    for i in order:
        j = first[i]
        if j >= 0 and area[i] >= least and bed[i] - fall < bed[j] < bed[i] + sill:
            bed[j] = bed[i] - fall


@kernel
def _shoal(order, first, bed, low, area, least, fall):
    """Raises beds, from the outlets up, to where they fall towards the bed below, at most to the ground: so a plain is
    not cut by a trench where its river could run on it."""
    for p in range(len(order) - 1, -1, -1):
        i = order[p]
        j = first[i]
        if j >= 0 and area[i] >= least and bed[i] < bed[j] + fall:
            bed[i] = min(low[i], bed[j] + fall)


@kernel
def _even(cells, first, area, river, bed, passes):
    """Evens out the fall of beds along each river, up the larger branch where two meet. What a river ends in stays."""
    above = np.full(bed.size, -1, np.int32)
    for i in cells:
        j = first[i]
        if j >= 0 and river[j] and (above[j] < 0 or area[i] > area[above[j]]):
            above[j] = i
    even = bed.copy()
    for _ in range(passes):
        for i in cells:
            j, k = first[i], above[i]
            if j >= 0 and k >= 0 and river[j]:
                even[i] = 0.5 * bed[i] + 0.25 * (bed[j] + bed[k])
        for i in cells:
            bed[i] = even[i]


@kernel
def _trough(trough, banks, pieces, dx, floor, bank, reach, lip, top, left, steps):
    """The lowest bed of every sample beside a course, and the lowest bank of those farther away. Arrays begin at row
    top and column left of the whole grid; steps: at how many places of a piece the sample nearest to it is lower."""
    bottom, right = top + trough.shape[0], left + trough.shape[1]
    for k in range(pieces.shape[0]):
        x0, y0, x1, y1, bed0, bed1 = pieces[k]
        row0, row1, column0, column1 = within(x0, y0, x1, y1, reach, dx, top, bottom, left, right)
        if row0 >= row1 or column0 >= column1:
            continue
        ax, ay = x1 - x0, y1 - y0
        length = max(ax * ax + ay * ay, 1e-9)
        for n in range(steps + 1):
            t = n / steps
            r, c = int(round((y0 + t * ay) / dx)), int(round((x0 + t * ax) / dx))
            if top <= r < bottom and left <= c < right:
                trough[r - top, c - left] = min(trough[r - top, c - left], bed0 + t * (bed1 - bed0) - lip)
        for r in range(row0, row1):
            for c in range(column0, column1):
                t, d = beside(c * dx, r * dx, x0, y0, ax, ay, length)
                bed = bed0 + t * (bed1 - bed0)
                if d < floor:
                    trough[r - top, c - left] = min(trough[r - top, c - left], bed)
                elif d < reach:
                    banks[r - top, c - left] = min(banks[r - top, c - left], bed + (d - floor) * bank)


def sizes(
    h: np.ndarray, depth: int, spacing: float, dx: float, stop: np.ndarray | None = None
) -> tuple[float, float] | None:
    """Depth of the beds of a level's rivers, and the drainage area from which there are any.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    depth :
        of the level, as of rain.erode.
    spacing :
        of gullies, metres.
    dx :
        metres between samples.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (metres below the valley's floor, m²), or None for a level that has no beds.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    if depth not in LEVELS:
        return None
    gullies, samples, cells = LEVELS[depth]
    south, east = gradient(h, dx, stop)
    rise = float(np.hypot(south, east).mean()) / USUAL_RISE
    return max(gullies * spacing, samples * dx) * min(rise, rise**DEPTH_POWER), max(
        STREAM_AREA * spacing**2, cells * dx**2
    )


def river_beds(
    h: np.ndarray,
    low: np.ndarray,
    way: np.ndarray,
    area: np.ndarray,
    soft: np.ndarray,
    lattice: Lattice,
    deep: float,
    least: float,
    sill: float,
    dx: float,
    stop: np.ndarray | None = None,
    lowest: float = -np.inf,
) -> tuple[np.ndarray, np.ndarray]:
    """A height with the beds of its rivers.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    low, area, soft :
        heights in metres, drainage area in m² and erodibility 0 to 1 at the lattice's nodes.
    way :
        where water goes from them, as of flow.route().
    lattice :
        kernels.lattice.Lattice of h's shape.
    deep :
        metres of the deepest beds below the ground.
    least :
        drainage area in m² from which rivers have beds.
    sill :
        metres by which the ground may rise along a course and be cut through; behind higher sills water stands, and
        beds end where it is SHALLOW times as deep.
    dx :
        metres between samples.
    stop :
        uint8[1] or None; set when a stop is asked for.
    lowest :
        metres below which no bed lies.

    Returns
    -------
    ((rows, columns) float32, heights in metres; heights of beds at the lattice's nodes, flat, infinite where no river
    runs).

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    Leopold, L. B., Wolman, M. G. and Miller, J. P. (1964): Fluvial Processes in Geomorphology.
    """
    columns = h.shape[1]
    first, order = receivers(way, columns), np.empty(h.size, np.int32)
    downstream(way, neighbours(columns), order)
    area = area.ravel().astype(np.float64)
    low, top = low.ravel(), np.empty(h.size, np.float32)
    _highest(order, first, low, top)
    # Where water stands none cuts; beds grow shallow towards it.
    stands, size = (top - low) / max(sill, LIP * dx), np.square(area / least)
    dry = np.clip(SILL_WATER - stands, 0, 1)
    bed = low - deep * dry * np.clip(soft.ravel(), 0, 1) * size / (1 + size)
    river, falls = (dry > 0) & (area >= least), (float(least), float(sill), LEAST_FALL * dx)
    cells = np.flatnonzero(river)
    _shoal(order, first, bed, low, area, float(least), LEAST_FALL * dx)
    _fall(order, first, bed, area, *falls)
    _even(cells, first, area, river, bed, PASSES)
    _fall(order, first, bed, area, *falls)
    bed = np.maximum(bed, np.float32(lowest))
    i = cells[first[cells] >= 0]
    j = first[i]
    x, y = (a.ravel().astype(np.float64) * dx for a in (lattice.x, lattice.y))
    pieces = np.stack([x[i], y[i], x[j], y[j], bed[i], np.minimum(bed[i], bed[j])], 1)
    check(stop)
    trough, banks = np.full(h.shape, np.inf, np.float32), np.full(h.shape, np.inf, np.float32)
    floor, most = FLOOR_WIDTH * dx, CUT_MOST * deep
    _trough(trough, banks, pieces, float(dx), floor, BANK_SLOPE, floor + most / BANK_SLOPE, LIP * dx, 0, 0, NEAREST)
    check(stop)
    return _bedded(h, trough, np.minimum(trough, banks), most, RAISED * deep, CUT_THROUGH), np.where(river, bed, np.inf)


def _bedded(
    h: np.ndarray, trough: np.ndarray, lowest: np.ndarray, most: float, raised: float, through: float = 1.0
) -> np.ndarray:
    """Ground cut down to the lowest of beds and banks, and dips of the trough raised to it; by so much at most, and
    through times as much where the river itself runs."""
    cut = np.maximum(np.minimum(h, lowest), h - np.float32(most))
    if through > 1.0:
        cut = np.minimum(cut, np.maximum(np.minimum(h, trough), h - np.float32(through * most)))
    dips = (trough > h) & (trough < np.inf)
    return np.where(dips, np.minimum(trough, h + np.float32(raised)), cut).astype(np.float32)


def fine_beds(
    h: np.ndarray,
    pieces: np.ndarray,
    spacing: float,
    dx: float,
    halvings: int,
    window: GridWindow,
    stop: np.ndarray | None = None,
) -> np.ndarray:
    """A fine level with the beds that the last whole level gave its rivers: what is finer on the ground would dam them.

    Parameters
    ----------
    h :
        float32 of the window, heights in metres.
    pieces :
        (n, 6) float64 of x0, y0, x1, y1 (metres east and south of the north-west corner), bed0, bed1 (metres).
    spacing :
        of gullies, metres.
    dx :
        metres between samples.
    halvings :
        how often samples lie half as far apart as on the last whole level.
    window :
        what h holds.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    float32 of the window's shape, heights in metres.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    trough, banks = np.full(h.shape, np.inf, np.float32), np.empty((1, 1), np.float32)
    floor, bumps, dips = FLOOR_WIDTH * dx, BUMPS * spacing, DIPS * spacing
    # The samples nearest to a bed are lower there by its lip: it lies as low where none of them was.
    low = np.concatenate([pieces[:, :4], pieces[:, 4:] - LIP * dx * 2**halvings - SINK * spacing], 1)
    _trough(
        trough,
        banks,
        low,
        float(dx),
        floor,
        BANK_SLOPE,
        floor,
        LIP * dx,
        window.top,
        window.left,
        NEAREST * 2**halvings,
    )
    check(stop)
    return by_rows(lambda h, trough: _bedded(h, trough, trough, bumps, dips), h.shape, stop, h, trough)
