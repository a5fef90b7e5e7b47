"""Rain erosion on one level of the pyramid: stream-power incision, downstream deposition, talus.

Upstream incision with n = 1 after Braun and Willett (2013), area exponent 0.5, implicit on whole levels; deposition
along the flow
after Yuan, Braun, Guerit, Rouby and Cordonnier (2019), and where water carries more than it can on the slope ahead
(capacity with the area to the power of 1.5, Willgoose, Bras and Rodriguez-Iturbe 1991): fans and aprons where
gullies leave the slope. Depression flooding after Barnes et al. (2014). Here are the steps; global_erosion.py erodes
whole levels with them, flooded from edge to edge. local_erosion.py erodes the fine ones with what both share, and with
a step of its own, in which water forgets what is far away.

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
#: What a step does with a cell as long as water keeps its ways: share of the fall to each receiver that is cut, fall in
#: m to the first that its rock bears, share of its load that its own water lays down; of the load and of the fall, what
#: is above what water can carry; 1 / its share of a square cell.
PULL1, PULL2, BEARS, SETTLES, HOLDS, RUNS, PER_OWN, RATES = range(8)


class Pass(NamedTuple):
    """Parameters of eroding a level. steps: how many; strength: metres worn a step at a slope of one for each metre of
    the root of the area; critical: area in m² at which half of that is reached; ease: share of its load that a cell's
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
    """Result of a pass: metres of rock worn, of sediment that lies at the end, laid in all; drainage area in m², or
    its logarithm; what left the site, in metres of a square cell, or in m³; on a whole level the way that water
    took last, see route(); what rose (kernels/form.py), in m³."""

    worn: np.ndarray
    laid: np.ndarray
    worked: np.ndarray
    area: np.ndarray
    left: float
    way: np.ndarray | None = None
    risen: float = 0.0


@kernel
def index_receivers(order, way, steps, place, first, second):
    """Places of the cells in the order, and of the two receivers of each: -1 for none, and the first again for no
    second."""
    for p in range(len(order)):
        # cells are handled in the order of the water, so receivers are told by their place in it
        place[order[p]] = p
    for p in range(len(order)):
        i = order[p]
        a, b = way[i] & 15, (way[i] >> 4) & 15
        first[p] = -1 if a == NONE else place[i + steps[a]]
        second[p] = first[p] if b == NONE else place[i + steps[b]]


@kernel
def pack_cells(order, h, level, supply, soft, fraction, plot, cells, own, first, after):
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
            fraction[i],
        )


@kernel
def accumulate_area(first, second, cells):
    """Drainage area in m² of every cell."""
    for p in range(len(first)):
        area = cells[p, AREA]
        a, b = first[p], second[p]
        if a >= 0:
            part = area * cells[p, SHARE]
            cells[a, AREA] += part
            cells[b, AREA] += area - part


@kernel
def update_rates(order, way, beside, y, x, cells, own, bears, how, dx, rates, first, after):
    """Rates of the cells from first to before after, which hold as long as water keeps its ways. own: the cell's share
    of a square one; y, x: where cells lie, flat; bears: of repose_drop(), flat; how: (strength, critical, ease,
    carries) as of Pass."""
    strength, critical, ease, carries = how
    per_metre, per_cell = 1.0 / dx, 1.0 / (dx * dx)
    for p in range(first, after):
        i = order[p]
        # see route() for the way of a cell
        a, b, area, give = way[i] & 15, (way[i] >> 4) & 15, cells[p, AREA], cells[p, GIVE]
        rates[p, :] = 0.0
        rates[p, PER_OWN] = 1.0 / own[p]
        # deposition falls with discharge (Yuan et al. 2019): G / (A + G)
        rates[p, SETTLES] = ease / (area * per_cell + ease) if ease > 0.0 else 0.0
        if a == NONE:
            continue
        far, root = _distance(i, a, beside, y, x), math.sqrt(area)
        near = per_metre / far
        # K A^0.5, less where too little water comes together to cut: A / (A + A_c)
        c = strength * give * root * area / (area + critical)
        one, two = c * cells[p, SHARE] * near, 0.0
        if b != NONE:
            two = c * (1.0 - cells[p, SHARE]) * per_metre / _distance(i, b, beside, y, x)
        # implicit step over two receivers: z' = (z + F1 z1' + F2 z2') / (1 + F1 + F2)
        part = 1.0 / (1.0 + one + two)
        rates[p, PULL1], rates[p, PULL2] = one * part, two * part
        rates[p, BEARS] = 2.0 * bears[i] * far
        if carries > 0.0:
            # transport capacity, A^1.5 S, implicit in the bed's height as well
            reach = carries * area * root * per_cell * near
            part = 1.0 / (1.0 + reach)
            rates[p, HOLDS], rates[p, RUNS] = part, reach * part


@kernel
def _distance(i, k, beside, y, x):
    """From a cell to its neighbour k, in cells."""
    j = i + beside[k]
    return max(0.3, math.sqrt((y[j] - y[i]) ** 2 + (x[j] - x[i]) ** 2))


@kernel
def _below(cells, p):
    """Height that the water of the cells above a receiver falls to: its lake, or its bed as this step has cut it
    already, so that a cut runs up the whole river within a step."""
    return cells[p, WATER] if cells[p, WATER] > cells[p, HEIGHT] else cells[p, FRESH]


@kernel
def incise(first, second, own, cells, rates, fails, stop):
    """Stream-power step from the outlets up, implicit: each cell cuts towards what its receiver has come to. Fills
    FRESH, and LOAD with what was cut.

    A share of what stands steeper over its receiver than its rock bears goes with the water, so that hillsides follow
    the valleys that are cut at their feet (threshold hillslopes, Burbank et al. 1996)."""
    fails = np.float32(fails)
    for p in range(len(first) - 1, -1, -1):
        # from the outlets up: receivers are known when a cell is cut
        if p & 8191 == 0 and stop[0]:
            return False
        here = cells[p, HEIGHT]
        fresh = here
        a, b = first[p], second[p]
        if a >= 0 and cells[p, WATER] <= here:
            fall, other = here - _below(cells, a), here - _below(cells, b)
            # water only cuts; what falls below its receiver waits for sediment
            cut = max(rates[p, PULL1] * fall + rates[p, PULL2] * other, np.float32(0.0))
            fresh = here - (cut + fails * max(fall - cut - rates[p, BEARS], np.float32(0.0)))
        cells[p, FRESH] = fresh
        cells[p, LOAD] = (here - fresh) * own[p]
    return True


@kernel
def deposit(first, second, own, cells, rates, lake, spills, pool, room, trap, most, stop):
    """Carries what was worn downstream and lays part of it down: D = load * ease / (cells + ease), or where that is
    more, what is above the capacity: carries * area^1.5 * slope, by a step that is implicit in the bed's height. most:
    metres that are laid at once.

    What reaches standing water is gathered a lake (pool), spread over its bed in proportion to depth (at most a share,
    trap, of its volume, room, a step), and the rest leaves over the spill. lake: the place where a wet cell's lake
    spills over, -1 for a dry one; spills: whether a lake spills here."""
    most = np.float32(most)
    pool[:] = 0.0
    room[:] = 0.0
    for p in range(len(first)):
        if p & 8191 == 0 and stop[0]:
            return False
        load = cells[p, LOAD]
        deep = cells[p, WATER] - cells[p, HEIGHT]
        if deep > 0.0:
            # standing water takes all that comes in
            pool[lake[p]] += load
            room[lake[p]] += deep * own[p]
            cells[p, LOAD] = 0.0
            continue
        # the cell over which a lake leaves: what its bed does not take goes on
        if spills[p] and room[p] > 0.0:
            taken = min(trap * room[p], pool[p])
            load = np.float32(load + pool[p] - taken)
            pool[p] = taken / room[p]
        a, b, here = first[p], second[p], load * rates[p, PER_OWN]
        lay = here * rates[p, SETTLES]
        if a < 0:
            lay = min(lay, most)
            cells[p, LAID] = lay
            cells[p, LOAD] = load - lay * own[p]
            continue
        fall = cells[p, FRESH] - _below(cells, a)
        # the more of the two laws, never more than there is
        lay = min(max(lay, here * rates[p, HOLDS] - rates[p, RUNS] * fall), most, here)
        cells[p, LAID] = lay
        going, cells[p, LOAD] = load - lay * own[p], 0.0
        part = going * cells[p, SHARE]
        cells[a, LOAD] += part
        cells[b, LOAD] += going - part
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
def _passes(h, loose, bears, r, k, spread, flux):
    """Metres that the cells of a row gain from their neighbour k: a share of the excess where it stands too steep above
    them or they above it; and of loose metres, what stands above the slope they spread at. bears: half the fall in
    metres to a neighbour beside it that the rock of each cell stands; of two cells both halves count. Returns (column
    of the first cell that has such a neighbour, column after the last)."""
    # columns that have such a neighbour
    a, b, y = max(0, -DX[k]), h.shape[1] - max(0, DX[k]), r + DY[k]
    here, there = h[r, a:b], h[y, a + DX[k] : b + DX[k]]
    own, other = bears[r, a:b], bears[y, a + DX[k] : b + DX[k]]
    mine, theirs = loose[r, a:b], loose[y, a + DX[k] : b + DX[k]]
    out, far, least, none = flux[a:b], np.float32(FAR[k]), np.float32(spread * FAR[k]), np.float32(0.0)
    for c in range(len(out)):
        rise, limit = there[c] - here[c], far * (own[c] + other[c])
        # the part of the rise that is beyond what both cells bear
        held = rise - min(max(rise, -limit), limit)
        out[c] = held + min(max(rise - least, none), theirs[c]) - min(max(-rise - least, none), mine[c])
    return a, b


@kernel
def _row_failure(h, loose, bears, r, spread, flux, change, below, counted):
    """Adds what passes between the cells of a row, and between them and those of the next one, to change and to below;
    with counted off, to below alone."""
    for k in (4, 5, 6, 7):  # each pair of cells once: those beside, and those to the south
        if k > 4 and r + 1 == h.shape[0] or k == 4 and not counted:
            continue
        a, b = _passes(h, loose, bears, r, k, spread, flux)
        gains, found = change[a:b], flux[a:b]
        if counted:
            for c in range(len(found)):
                gains[c] += found[c]
        loses = change[a + 1 : b + 1] if k == 4 else below[a + DX[k] : b + DX[k]]
        for c in range(len(found)):
            loses[c] -= found[c]


@kernel
def incised_rows(cells, place, before, cut, fill, worked, row0, row1):
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
    """One pass of slope failure, in which none is lost, from before into some rows of h."""
    columns, rate, spread, none = h.shape[1], np.float32(TALUS_RATE), SPREAD * dx, np.float32(0.0)
    change, below, flux = np.zeros(columns, np.float32), np.zeros(columns, np.float32), np.empty(columns, np.float32)
    for r in range(max(0, row0 - 1), row1):
        for c in range(columns):
            change[c], below[c] = below[c], none
        _row_failure(before, loose, bears, r, spread, flux, change, below, r >= row0)
        if r < row0:
            continue
        was, now, fraction, worn, laid, moved = before[r], h[r], plot[r], cut[r], fill[r], worked[r]
        for c in range(columns):
            d = rate * change[c] / fraction[c]
            # a cell of less ground changes more in height
            now[c] = was[c] + d
            gain, drop = max(d, none), max(-d, none)
            taken = min(laid[c], drop)
            laid[c] += gain - taken
            moved[c] += gain
            worn[c] += drop - taken


@kernel
def finish_step(h, cells, place, bears, plot, cut, fill, worked, dx, inner, lost):
    """The step's heights into h after one gather pass of slope failure; cut and fill counted on, and what was lost
    within the inner rows and columns (first row, row after the last, first column, column after the last)."""
    rows, columns = h.shape
    before, total = np.empty_like(h), lost[0]
    for r in range(rows):
        incised_rows(cells, place, before, cut, fill, worked, r, r + 1)
        if inner[0] <= r < inner[1]:
            for c in range(inner[2], inner[3]):
                total += cells[place[r * columns + c], LOAD]
    lost[0] = total
    failed_rows(h, before, fill.copy(), bears, plot, cut, fill, worked, dx, 0, rows)


def repose_drop(soft: np.ndarray, steep: float | np.ndarray, dx: float) -> np.ndarray:
    """Fall that rock stands from one cell to the next: a slope that grows with the root of its hardness.

    Parameters
    ----------
    soft :
        (rows, columns) float32, erodibility, about 0 to 1.
    steep :
        rise over run that soft rock bears, everywhere or (rows, columns).
    dx :
        metres between samples.

    Returns
    -------
    (rows, columns) float32, half the fall in metres to a neighbour beside each cell.
    """
    # each of two cells gives half of what stands between them
    half = np.float32(0.5 * dx) * np.minimum(np.asarray(steep, np.float32), np.float32(TALUS))
    return half / np.sqrt(np.maximum(soft, np.float32(HARDEST)))


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
                # four comparisons settle nearly all cells
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
    """Opens diagonal channels: where one runs on to a diagonal neighbour, lowers the lower of the two cells between
    them to the channel's height.

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
def note_lakes(order, outfall, place, lake, spills):
    """For each cell in the order of the sweep: the place where its lake spills over, -1 when dry; and whether one
    spills here."""
    spills[:] = 0
    for p in range(len(order)):
        wet = outfall[order[p]]
        lake[p] = place[wet] if wet >= 0 else -1
        if wet >= 0:
            spills[lake[p]] = 1
