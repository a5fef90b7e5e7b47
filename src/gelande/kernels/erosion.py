"""Rain erosion on one level of the pyramid: stream-power incision, downstream deposition, talus.

Implicit upstream incision with n = 1 after Braun and Willett (2013), area exponent 0.5; deposition along the flow
after Yuan, Braun, Guerit, Rouby and Cordonnier (2019), and where water carries more than it can on the slope ahead
(capacity with the area to the power of 1.5, Willgoose, Bras and Rodriguez-Iturbe 1991): fans and aprons where
gullies leave the slope. Depression flooding after Barnes et al. (2014). Here are the steps; global_erosion.py erodes
whole levels with them, flooded from edge to edge, local_erosion.py the fine ones.

The sweeps visit cells along the water, which on a grid by rows are far apart in memory. Cells are therefore lined
up in the order of the sweep, and what is needed of one lies side by side in a record: most receivers are then the
next record, and a visit waits for one line of memory at most (measured: three times as fast as arrays by rows).

"""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from .bands import kernel
from .flow import DX, DY, FAR, NEAR, NONE

#: Sediment of this level spreads over slopes above this, or fans would be single dams. The most that is laid in a step,
#: in cells' widths.
SPREAD, MOST = 0.005, 0.02
#: Slopes above this are worn back by the talus passes of an erosion step (tan of 50 degrees).
TALUS, TALUS_RATE = 1.19, 0.06
#: Erodibility of the hardest rock whose slopes are told apart.
HARDEST = 0.05
#: Water is routed anew every so many steps of a whole level.
ROUTE_EVERY = 3
#: Jitter of slopes where water keeps its ways, and where each routing draws anew.
KEPT, FREE = 0.97, 0.5
#: Cells that drain at least so many others are channels, kept open over the grid's corners.
CHANNEL = 16.0
#: The record of a cell: height in m before the step and after incision, level of standing water in m, drainage area in
#: m², erodibility 0-1, load on the way in m of a square cell (after the step: what of it was lost here), share that
#: goes the first way 0-1, m laid down.
HEIGHT, FRESH, WATER, AREA, GIVE, LOAD, SHARE, LAID = range(8)


class Pass(NamedTuple):
    """How a level is eroded. steps: how many; strength: metres worn a step at a slope of one for each metre of the
    root of the area; critical: area in m² at which half of that is reached; ease: share of its load that a cell's
    own water lays down; carries: what water can carry, in the same measure as strength (0: no bound); seed: of the
    jitter; steep: rise over run that soft rock bears; fails: the share of what stands above that which goes a step;
    trap: the share of a hollow that sediment may fill a step."""

    steps: int
    strength: float
    critical: float
    ease: float
    carries: float
    seed: int
    steep: float = 10.0
    fails: float = 0.0
    trap: float = 0.6


class Moved(NamedTuple):
    """What a pass did: metres of rock worn, of sediment that lies at the end, laid in all; drainage area in m², or
    its logarithm; what left the site, in metres of a square cell, or in m³; on a whole level the way that water
    took last, see route()."""

    worn: np.ndarray
    laid: np.ndarray
    worked: np.ndarray
    area: np.ndarray
    left: float
    way: np.ndarray | None = None


@kernel
def line_up(order, way, steps, place, first, second):
    """Places of the cells in the order, and of the two receivers of each (-1 for none)."""
    for p in range(len(order)):
        place[order[p]] = p
    for p in range(len(order)):
        i = order[p]
        a, b = way[i] & 15, (way[i] >> 4) & 15
        first[p] = -1 if a == NONE else place[i + steps[a]]
        second[p] = -1 if b == NONE else place[i + steps[b]]


@kernel
def load(order, h, level, supply, soft, share, plot, cells, own, first, after):
    """Records in the order of the sweep from maps, of the cells from first to before after; own: plot in that order."""
    flat, water, fall, give, parts = h.ravel(), level.ravel(), supply.ravel(), soft.ravel(), plot.ravel()
    for p in range(first, after):
        i = order[p]
        own[p] = parts[i]
        cells[p, HEIGHT], cells[p, WATER], cells[p, AREA], cells[p, GIVE], cells[p, SHARE] = (
            flat[i],
            water[i],
            fall[i],
            give[i],
            share[i],
        )


@kernel
def gather(first, second, cells, cap):
    """Drainage area in m² of every cell; no cell hands on more than the cap."""
    for p in range(len(first)):
        area = min(cells[p, AREA], cap)
        cells[p, AREA] = area
        a, b = first[p], second[p]
        if b >= 0:
            part = area * cells[p, SHARE]
            cells[a, AREA] += part
            cells[b, AREA] += area - part
        elif a >= 0:
            cells[a, AREA] += area


@kernel
def incise(first, second, step1, step2, own, cells, strength, critical, steep, fails, dx, stop):
    """Implicit stream-power step from the outlets up; fills FRESH, and LOAD with what was cut. step1, step2: 1 /
    distance in cells; own: the cell's share of a square one.

    A share of what stands steeper over its receiver than its rock bears goes with the water, so that hillsides follow
    the valleys that are cut at their feet (threshold hillslopes, Burbank et al. 1996). Rock bears a slope that grows
    with the root of its hardness."""
    for p in range(len(first) - 1, -1, -1):
        if p & 8191 == 0 and stop[0]:
            return False
        here = cells[p, HEIGHT]
        fresh = here
        a, b = first[p], second[p]
        if a >= 0 and cells[p, WATER] <= here:
            area = cells[p, AREA]
            c = strength * cells[p, GIVE] * math.sqrt(area) * area / (area + critical) / dx
            k1 = c * cells[p, SHARE] * step1[p]
            top, bottom = here + k1 * max(cells[a, FRESH], cells[a, WATER]), 1.0 + k1
            if b >= 0:
                k2 = c * (1.0 - cells[p, SHARE]) * step2[p]
                top += k2 * max(cells[b, FRESH], cells[b, WATER])
                bottom += k2
            fresh = min(here, np.float32(top / bottom))
            if fails > 0.0:
                bears = steep * dx / (step1[p] * math.sqrt(max(cells[p, GIVE], HARDEST)))
                over = fresh - max(cells[a, FRESH], cells[a, WATER]) - bears
                if over > 0.0:
                    fresh -= np.float32(fails * over)
        cells[p, FRESH] = fresh
        cells[p, LOAD] = (here - fresh) * own[p]
    return True


@kernel
def settle(first, second, step1, own, cells, lake, spills, pool, room, ease, carries, trap, dx, carry, stop):
    """Carries what was worn downstream and lays part of it down: D = load * ease / (cells + ease), or where that is
    more, what is above the capacity: carries * area^1.5 * slope, by a step that is implicit in the bed's height.
    carries: 0 for no such bound.

    What reaches standing water is gathered a lake (pool), spread over its bed in proportion to depth (at most a share,
    trap, of its volume, room, a step), and the rest leaves over the spill. lake: the place where a wet cell's lake
    spills over, -1 for a dry one; spills: whether a lake spills here; both empty where no water stands."""
    per_cell, most, standing = 1.0 / (dx * dx), MOST * dx, len(lake) > 0
    pool[:] = 0.0
    room[:] = 0.0
    for p in range(len(first)):
        if p & 8191 == 0 and stop[0]:
            return False
        load = cells[p, LOAD]
        if standing:
            deep = cells[p, WATER] - cells[p, HEIGHT]
            if deep > 0.0:
                pool[lake[p]] += load
                room[lake[p]] += deep * own[p]
                cells[p, LOAD] = 0.0
                continue
            if spills[p] and room[p] > 0.0:
                taken = min(trap * room[p], pool[p])
                load += pool[p] - taken
                pool[p] = taken / room[p]
        a, b, here = first[p], second[p], load / own[p]
        lay = here * ease / (cells[p, AREA] * per_cell + ease)
        if carries > 0.0 and a >= 0:
            reach = carries * cells[p, AREA] * math.sqrt(cells[p, AREA]) * per_cell * step1[p] / dx
            lay = max(lay, (here - reach * (cells[p, FRESH] - max(cells[a, FRESH], cells[a, WATER]))) / (1.0 + reach))
        lay = min(lay, most, here)
        cells[p, LAID] = lay
        going = load - lay * own[p]
        rest = going * carry if a >= 0 else 0.0
        cells[p, LOAD] = going - rest
        if b >= 0:
            part = rest * cells[p, SHARE]
            cells[a, LOAD] += part
            cells[b, LOAD] += rest - part
        elif a >= 0:
            cells[a, LOAD] += rest
    for p in range(len(lake)):
        deep = cells[p, WATER] - cells[p, HEIGHT]
        if deep > 0.0:
            cells[p, LAID] = pool[lake[p]] * deep
    return True


@kernel
def _take(worn, laid, i, depth):
    """Takes a depth off a cell: loose sediment that lies there first, then rock."""
    loose = min(laid[i], np.float32(depth))
    laid[i] -= loose
    worn[i] += np.float32(depth) - loose


@kernel
def _row_failure(h, loose, bears, r, spread, change):
    """What one row gains from neighbours that stand too steep above it and loses to those below, in shares of the
    excess; and of loose metres, what stands above the slope they spread at. bears: half the fall in metres to a
    neighbour beside it that the rock of each cell stands; of two cells both halves count."""
    rows, columns = h.shape
    change[:] = 0.0
    for k in range(8):
        if not 0 <= r + DY[k] < rows:
            continue
        a, b = max(0, -DX[k]), columns - max(0, DX[k])
        here, there, out, far = h[r, a:b], h[r + DY[k], a + DX[k] : b + DX[k]], change[a:b], np.float32(FAR[k])
        own, other = bears[r, a:b], bears[r + DY[k], a + DX[k] : b + DX[k]]
        mine, theirs, least = loose[r, a:b], loose[r + DY[k], a + DX[k] : b + DX[k]], np.float32(spread * FAR[k])
        for c in range(len(out)):
            rise, limit = there[c] - here[c], far * (own[c] + other[c])
            out[c] += rise - min(max(rise, -limit), limit)
            out[c] += min(max(rise - least, 0), theirs[c]) - min(max(-rise - least, 0), mine[c])


@kernel
def lose(cells, place, columns, inner, lost):
    """Counts on what was lost within the inner rows and columns."""
    for r in range(inner[0], inner[1]):
        for c in range(inner[2], inner[3]):
            lost[0] += cells[place[r * columns + c], LOAD]


@kernel
def fresh_rows(cells, place, before, cut, fill, worked, row0, row1):
    """The step's heights of some rows into before; cut, fill and worked counted on."""
    columns = before.shape[1]
    worn, laid, moved, fresh = cut.ravel(), fill.ravel(), worked.ravel(), before.ravel()
    for i in range(row0 * columns, row1 * columns):
        p = place[i]
        fresh[i] = cells[p, FRESH] + cells[p, LAID]
        _take(worn, laid, i, cells[p, HEIGHT] - cells[p, FRESH])
        laid[i] += cells[p, LAID]
        moved[i] += cells[p, LAID]


@kernel
def failed_rows(h, before, loose, bears, plot, cut, fill, worked, dx, row0, row1):
    """One gather pass of slope failure, in which none is lost, from before into some rows of h."""
    columns = h.shape[1]
    worn, laid, change, rate = cut.ravel(), fill.ravel(), np.empty(columns, np.float32), np.float32(TALUS_RATE)
    for r in range(row0, row1):
        _row_failure(before, loose, bears, r, SPREAD * dx, change)
        for c in range(columns):
            d = rate * change[c] / plot[r, c]
            h[r, c] = before[r, c] + d
            if d > 0.0:
                fill[r, c] += d
                worked[r, c] += d
            else:
                _take(worn, laid, r * columns + c, -d)


@kernel
def finish(h, cells, place, bears, plot, cut, fill, worked, dx, inner, lost):
    """The step's heights into h after one gather pass of slope failure; cut and fill counted on, and what was lost
    within the inner rows and columns (first row, row after the last, first column, column after the last)."""
    rows, columns = h.shape
    lose(cells, place, columns, inner, lost)
    before = np.empty_like(h)
    fresh_rows(cells, place, before, cut, fill, worked, 0, rows)
    failed_rows(h, before, fill.copy(), bears, plot, cut, fill, worked, dx, 0, rows)


def borne(soft: np.ndarray, steep: float, dx: float) -> np.ndarray:
    """What rock stands from one cell to the next.

    Parameters
    ----------
    soft :
        (rows, columns) float32, erodibility, about 0 to 1.
    steep :
        rise over run that soft rock bears.
    dx :
        metres between samples.

    Returns
    -------
    (rows, columns) float32, half the fall in metres to a neighbour beside each cell.
    """
    return np.float32(0.5 * min(steep, TALUS) * dx) / np.sqrt(np.maximum(soft, np.float32(HARDEST)))


@kernel
def fill_pits(h, fill, inner):
    """Raises every single-sample pit to its lowest neighbour. Returns the metres it took within the inner rows and
    columns."""
    rows, columns = h.shape
    taken = 0.0
    for r in range(1, rows - 1):
        for c in range(1, columns - 1):
            here, low = h[r, c], h[r, c - 1]
            if low <= here or h[r, c + 1] <= here or h[r - 1, c] <= here or h[r + 1, c] <= here:
                continue
            for k in range(8):
                low = min(low, h[r + DY[k], c + DX[k]])
            if here < low:
                fill[r, c] += low - here
                h[r, c] = low
                if inner[0] <= r < inner[1] and inner[2] <= c < inner[3]:
                    taken += low - here
    return taken


@kernel
def open_corners(h, way, place, cells, beside, least, cut, fill, inner):
    """Where a channel runs on to a diagonal neighbour, lowers the lower of the two cells between them to the
    channel's height.

    A channel one sample wide would otherwise show as a dotted line of pits: its bed between two samples is not on
    the grid. Returns the metres it took within the inner rows and columns."""
    rows, columns = h.shape
    flat, worn, laid, taken = h.ravel(), cut.ravel(), fill.ravel(), 0.0
    for i in range(len(flat)):
        a = way[i] & 15
        if a == NONE or NEAR[a] == 1.0 or cells[place[i], AREA] < least:
            continue
        one, two = i + DY[a] * columns, i + DX[a]
        low = one if flat[one] < flat[two] else two
        top = max(flat[i], flat[i + beside[a]])
        if flat[low] > top:
            _take(worn, laid, low, flat[low] - top)
            if inner[0] <= low // columns < inner[1] and inner[2] <= low % columns < inner[3]:
                taken += flat[low] - top
            flat[low] = top
    return taken


@kernel
def distances(order, way, beside, y, x, step1, step2, first, after):
    """1 / distance to each cell's two receivers, in cells, of the cells from first to before after. y, x: where cells
    lie, flat; empty for a square grid."""
    for p in range(first, after):
        i = order[p]
        a, b = way[i] & 15, (way[i] >> 4) & 15
        step1[p] = 0.0 if a == NONE else NEAR[a]
        step2[p] = 0.0 if b == NONE else NEAR[b]
        if len(y) and a != NONE:
            j = i + beside[a]
            step1[p] = 1.0 / max(0.3, math.hypot(y[j] - y[i], x[j] - x[i]))
            if b != NONE:
                j = i + beside[b]
                step2[p] = 1.0 / max(0.3, math.hypot(y[j] - y[i], x[j] - x[i]))


@kernel
def note_lakes(order, outfall, place, lake, spills):
    """For each cell in the order of the sweep: the place where its lake spills over, -1 when dry; and whether one
    spills here."""
    spills[:] = 0
    for p in range(len(order)):
        wet = outfall[order[p]]
        lake[p] = place[wet] if wet >= 0 else -1
        if wet >= 0:
            spills[lake[p]] = 1
