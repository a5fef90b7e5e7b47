"""Where water goes: depression flooding, receivers, drainage area.

Priority flood with equal-width buckets, first in first out (Barnes, Lehman and Mulla 2014). Sweeps along the water
visit cells in an order that follows each stream down as far as its tributaries allow, so that what they need is
mostly at hand in the processor's cache; by height they would jump about the whole site.

"""

from __future__ import annotations

import math

import numpy as np

from .bands import Stopped, kernel
from .noise import hash2

#: Neighbours: row step, column step, distance in cells.
DY = np.array([-1, -1, -1, 0, 0, 1, 1, 1], np.int64)
DX = np.array([-1, 0, 1, -1, 1, -1, 0, 1], np.int64)
FAR = np.array([math.sqrt(2), 1, math.sqrt(2), 1, 1, math.sqrt(2), 1, math.sqrt(2)])
NEAR = 1.0 / FAR
#: Height of a flood bucket, metres, and the most buckets that are kept.
BUCKET, MOST_BUCKETS = 0.01, 1_000_000
#: Ways of a cell in one number: first direction (0-7) + 16 * second direction, NONE for none.
NONE, NOWHERE = 8, 8 + 16 * 8


@kernel
def around(columns):
    """Steps to the eight neighbours in an array read row by row."""
    steps = np.empty(8, np.int64)
    for k in range(8):
        steps[k] = DY[k] * columns + DX[k]
    return steps


def neighbours(columns: int) -> np.ndarray:
    """Steps to the eight neighbours in an array read row by row, for callers outside kernels.

    Parameters
    ----------
    columns :
        of the array.

    Returns
    -------
    (8,) int64, in the order of DY and DX.
    """
    return DY * columns + DX


@kernel
def _queue(i, bucket, head, tail, following):
    """Puts a cell at the end of the queue of its bucket."""
    following[i] = -1
    if head[bucket] < 0:
        head[bucket] = i
    else:
        following[tail[bucket]] = i
    tail[bucket] = i


@kernel
def flood(h, level, order, parent, by_bed, stop):
    """Fills level (rows, columns) with the height to which water would stand, and order with the cells as the flood
    comes to them: each after the one it came from, by rising level.

    h: heights in metres; order, parent: int32 of rows*columns; parent[c] is the cell the flood came from, -1 at
    the edge; by_bed: the lowest ground at the flood's edge is next, whatever water stands over it, so that ways out
    of hollows follow their beds (Metz, Mitasova and Harmon 2011). Returns False when stopped."""
    if stop[0]:  # what was to come in may be unfinished: its heights are no heights
        return False
    rows, columns = h.shape
    n = rows * columns
    ground, water, steps = h.ravel(), level.ravel(), around(columns)
    low, high = ground[0], ground[0]
    for i in range(n):
        low, high = min(low, ground[i]), max(high, ground[i])
    # a queue for each centimetre of height is faster than a heap, and 1 cm is no slope worth keeping
    width = max(BUCKET, (high - low) / MOST_BUCKETS)
    per_metre, buckets = 1.0 / width, int((high - low) / width) + 3
    head, tail = np.full(buckets, -1, np.int32), np.full(buckets, -1, np.int32)
    following, fresh, found = np.empty(n, np.int32), np.ones(n, np.uint8), np.empty(8, np.int64)
    for r in range(rows):
        # the flood comes in from the edge of the array
        step = 1 if r == 0 or r == rows - 1 else columns - 1
        for c in range(0, columns, step):
            i = r * columns + c
            water[i] = ground[i]
            parent[i], fresh[i] = -1, 0
            _queue(i, int((ground[i] - low) * per_metre), head, tail, following)
    done, b = 0, 0
    while b < buckets:
        i = head[b]
        if i < 0:  # nothing more waits at this height
            b += 1
            continue
        head[b] = following[i]
        order[done] = i
        done += 1
        if done & 8191 == 0 and stop[0]:
            return False
        here, count = water[i], 0
        # cells inside have eight neighbours; only the edge has to be careful
        if parent[i] >= 0:
            for k in range(8):  # counted, not branched on: the processor would guess wrong at every other cell
                j = i + steps[k]
                found[count] = j
                count += fresh[j]
        else:
            for k in range(8):
                if 0 <= i // columns + DY[k] < rows and 0 <= i % columns + DX[k] < columns:
                    j = i + steps[k]
                    found[count] = j
                    count += fresh[j]
        for k in range(count):
            j = found[k]
            parent[j], fresh[j] = i, 0
            # a hollow fills to the level of the way by which the flood came in
            water[j] = max(ground[j], here)
            bucket = int(((ground[j] if by_bed else water[j]) - low) * per_metre)
            if by_bed:
                b = min(b, bucket)
            bucket = max(b, bucket)  # as _queue(); to call it for every cell takes a fifth of the time of all this
            following[j] = -1
            if head[bucket] < 0:
                head[bucket] = j
            else:
                following[tail[bucket]] = j
            tail[bucket] = j
    return True


@kernel
def _row_slopes(level, r, k, jitter, bits, slope, number):
    """Slopes of one row's cells to neighbour k, as whole numbers that sort like them and end in k; 0-7 where it is
    no way down.

    A positive float sorts like its bits, so the two steepest ways of a cell are found by min and max alone."""
    rows, columns = level.shape
    y, a, b = r + DY[k], max(0, -DX[k]), columns - max(0, DX[k])
    here, there, draw, out, whole = level[r, a:b], level[y, a + DX[k] : b + DX[k]], bits[a:b], slope[a:b], number[a:b]
    near, least, span, shift = np.float32(NEAR[k]), np.float32(1.0 - jitter), np.float32(jitter / 7.5), np.uint32(4 * k)
    for c in range(len(out)):
        # four bits of the cell's hash scatter the slope by up to the jitter
        s = (here[c] - there[c]) * near * (least + span * np.float32(np.int32((draw[c] >> shift) & np.uint32(15))))
        out[c] = max(s, np.float32(0.0))
    for c in range(len(out)):
        # the direction replaces the three lowest bits of the slope
        whole[c] = (whole[c] & np.int32(-8)) | np.int32(k)


@kernel
def _steepest(level, r, seed, row0, column0, jitter, one, two, bits, slope):
    """One row's two steepest ways down. one, two (int32): slope's bits with the direction (0-7) in the lowest
    three, below 8 where there is none. bits, slope: buffers of a row."""
    rows, columns = level.shape
    for c in range(columns):
        bits[c] = hash2(c + column0, r + row0, seed)
        one[c] = two[c] = 0
    number = slope.view(np.int32)
    for k in range(8):
        if not 0 <= r + DY[k] < rows:
            continue
        # directions that lead out of the array write fewer columns
        slope[0] = slope[columns - 1] = 0.0
        _row_slopes(level, r, k, jitter, bits, slope, number)
        for c in range(columns):
            s = number[c]
            two[c] = max(two[c], min(one[c], s))
            one[c] = max(one[c], s)


@kernel
def towards(steps, step):
    """The direction (0-7) of a step between neighbours in an array read row by row."""
    for k in range(8):
        if steps[k] == step:
            return k
    return NONE


@kernel
def route(level, parent, way, fraction, seed, row0, column0, jitter, stop):
    """Two best receivers of every cell as directions (way, uint16: first + 16 * second, NONE for none), and the
    first's share (0-1). Returns False when stopped.

    Only strictly lower neighbours qualify, and on flats the flood's own path (parent, or empty where nothing was
    flooded) is taken, so no water runs in circles. Shares go with the fourth power of slope; each slope is
    multiplied by 1 ± jitter from a hash of cell and direction, which breaks the straight channels of the
    eight-neighbour grid (in the spirit of Fairfield and Leymarie 1991). row0, column0: where the array begins in
    the level, so that a tile draws the same numbers as the whole."""
    rows, columns = level.shape
    steps, flooded = around(columns), len(parent) > 0
    one, two, bits = np.empty(columns, np.int32), np.empty(columns, np.int32), np.empty(columns, np.uint32)
    slope, s1, s2 = np.empty(columns, np.float32), one.view(np.float32), two.view(np.float32)
    for r in range(rows):
        if stop[0]:
            return False
        _steepest(level, r, seed, row0, column0, jitter, one, two, bits, slope)
        for c in range(columns):
            i = r * columns + c
            # all of it the first way, unless there is a second
            fraction[i] = 1.0
            if two[c] >= 8:
                q = s2[c] / s1[c]
                # (s2 / s1)^4 as two squares
                q *= q
                fraction[i] = 1.0 / (1.0 + q * q)
                way[i] = (one[c] & 7) + 16 * (two[c] & 7)
            elif one[c] >= 8:
                way[i] = (one[c] & 7) + 16 * NONE
            else:
                way[i] = towards(steps, parent[i] - i) + 16 * NONE if flooded and parent[i] >= 0 else NOWHERE
    return True


@kernel
def downstream(way, steps, order):
    """Fills order with all cells so that each comes before those it drains to (topological order after Kahn 1962,
    deepest first)."""
    waits, ready = np.zeros(len(way), np.uint8), np.empty(len(way) + 1, np.int32)
    for i in range(len(way)):
        a, b = way[i] & 15, (way[i] >> 4) & 15
        if a != NONE:
            # number of cells that drain into each
            waits[i + steps[a]] += 1
            if b != NONE:
                waits[i + steps[b]] += 1
    done = 0
    for head in range(len(way)):
        if waits[head]:
            # begin at cells that nothing drains into, and follow the water as far as nothing else is missing
            continue
        ready[0], left = head, 1
        while left:
            left -= 1
            i = ready[left]
            order[done], waits[i] = i, 255
            done += 1
            a, b = way[i] & 15, (way[i] >> 4) & 15
            if a != NONE:
                if b != NONE:
                    j = i + steps[b]
                    waits[j] -= 1
                    ready[left] = j
                    left += waits[j] == 0
                j = i + steps[a]
                waits[j] -= 1
                ready[left] = j
                left += waits[j] == 0


@kernel
def accumulate(order, way, steps, fraction, area, cap):
    """Adds every cell's area to what it drains to, never more than cap from one cell on; area holds each cell's own
    supply before, the total after. order: from downstream()."""
    for i in order:
        here = min(area[i], cap)
        # the cap bounds what a tile has to know of the land around it
        area[i] = here
        a, b = way[i] & 15, (way[i] >> 4) & 15
        if a != NONE:
            if b == NONE:
                area[i + steps[a]] += here
            else:
                part = here * fraction[i]
                area[i + steps[a]] += part
                area[i + steps[b]] += here - part


@kernel
def _sink(h, order, parent):
    """Lowers every cell on the flood's way out to the lowest that drains through it."""
    flat = h.ravel()
    for p in range(len(order) - 1, -1, -1):
        i, q = order[p], parent[order[p]]
        # from the inside out, so that a cut runs on along the whole way
        if q >= 0 and flat[q] > flat[i]:
            flat[q] = flat[i]


def breached(h: np.ndarray, stop: np.ndarray | None = None) -> np.ndarray:
    """The land with a way out of every hollow, cut along its bed.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (rows, columns) float32, metres, nowhere higher.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    Lindsay, J. B. (2016): Efficient hybrid breaching-filling sink removal methods for flow path enforcement.
    """
    stop, out = np.zeros(1, np.uint8) if stop is None else stop, h.copy()
    order, parent = np.empty(h.size, np.int32), np.empty(h.size, np.int32)
    if not flood(h, np.empty_like(h), order, parent, True, stop):
        raise Stopped
    _sink(out, order, parent)
    return out


def drain(
    h: np.ndarray, seed: int = 1, jitter: float = 0.0, single: bool = False, stop: np.ndarray | None = None
) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Receivers of the water on the flooded land.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    seed :
        whole number; another one gives another result of the same kind.
    jitter :
        how far slopes are scattered when the steepest is chosen, 0 to 1.
    single :
        each cell drains to its best neighbour alone.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (flooded height in metres, way of each cell as of route(), share that goes the first way, order downstream).

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    Barnes, R., Lehman, C. and Mulla, D. (2014): Priority-flood.
    """
    stop = np.zeros(1, np.uint8) if stop is None else stop
    n, level = h.size, np.empty(h.shape, np.float32)
    order, parent = np.empty(n, np.int32), np.empty(n, np.int32)
    way, fraction = np.empty(n, np.uint16), np.empty(n, np.float32)
    if not flood(h, level, order, parent, False, stop) or not route(
        level, parent, way, fraction, seed, 0, 0, jitter, stop
    ):
        raise Stopped
    if single:
        way = way & np.uint16(15) | np.uint16(16 * NONE)
        fraction[:] = 1.0
    downstream(way, neighbours(h.shape[1]), order)
    return level, way, fraction, order


def receivers(way: np.ndarray, columns: int) -> np.ndarray:
    """The cell that each cell drains to first.

    Parameters
    ----------
    way :
        as of route(), flat.
    columns :
        of the grid.

    Returns
    -------
    Flat int32, -1 where there is none.
    """
    steps = np.append(neighbours(columns), 0)
    first = way & 15
    return np.where(first == NONE, -1, np.arange(len(way)) + steps[first])


@kernel
def lakes(level, h, order, parent, lake):
    """lake[i]: for a cell under standing water the dry cell where its lake spills over, else -1."""
    flat, water = h.ravel(), level.ravel()
    for p in range(len(order)):
        i = order[p]
        lake[i] = -1
        q = parent[i]
        if q >= 0 and water[i] > flat[i]:
            lake[i] = lake[q] if lake[q] >= 0 else q


@kernel
def _longest(order, way, steps, area, least, length):
    """Longest path to each cell along first receivers, in cells, over cells that drain at least ``least`` m²."""
    best = 0.0
    for i in order:
        if area[i] < least:
            continue
        best = max(best, length[i])
        a = way[i] & 15
        if a != NONE:
            length[i + steps[a]] = max(length[i + steps[a]], length[i] + FAR[a])
    return best


def longest_stream(h: np.ndarray, dx: float, least: float) -> float:
    """Length of the longest stream, measured along it on the flooded land.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    dx :
        metres between samples.
    least :
        drainage area in m² that a stream begins at.

    Returns
    -------
    Metres.
    """
    h, steps = np.ascontiguousarray(h, np.float32), neighbours(h.shape[1])
    _, way, fraction, order = drain(h)
    area = np.full(h.size, dx * dx)
    accumulate(order, way, steps, fraction, area, np.inf)
    return _longest(order, way, steps, area, float(least), np.zeros(h.size)) * dx


@kernel
def _network(level, order, way, steps, area, length, slope, outlet, dx):
    """Length, fall and outlet of the longest way into each cell of a drainage network."""
    flat = level.ravel()
    for i in order:
        a = way[i] & 15
        if a != NONE:
            j, far = i + steps[a], dx * FAR[a]
            area[j] += area[i]
            length[j] = max(length[j], length[i] + far)
            slope[i] = (flat[i] - flat[j]) / far
    for p in range(len(order) - 1, -1, -1):
        i = order[p]
        a = way[i] & 15
        outlet[i] = i if a == NONE else outlet[i + steps[a]]


def network(h: np.ndarray, dx: float):
    """Drainage of a height, each cell to its steepest neighbour on the flooded land.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    dx :
        metres between samples.

    Returns
    -------
    (drainage area in m², length of the longest way down to a cell in metres, slope to the receiver, cell at which the
    water leaves), each (rows, columns).

    References
    ----------
    Barnes, R., Lehman, C. and Mulla, D. (2014): Priority-flood.
    """
    n, steps = h.size, neighbours(h.shape[1])
    level, way, _, order = drain(h, single=True)
    area, length, slope, outlet = np.full(n, dx * dx), np.full(n, dx), np.zeros(n), np.empty(n, np.int64)
    _network(level, order, way, steps, area, length, slope, outlet, float(dx))
    return area, length, slope, outlet


@kernel
def pit_count(h):
    """Number of interior cells lie below all eight neighbours."""
    found = 0
    for r in range(1, h.shape[0] - 1):
        for c in range(1, h.shape[1] - 1):
            low = True
            for k in range(8):
                if h[r + DY[k], c + DX[k]] <= h[r, c]:
                    low = False
                    break
            found += low
    return found
