"""Where water goes: depression flooding, receivers, drainage area.

Priority flood with equal-width buckets, first in first out (Barnes, Lehman and Mulla 2014). The order in which
cells leave the queue serves every later sweep: a cell's receivers always left before it did.
"""

from __future__ import annotations

import math

import numpy as np

from .bands import kernel
from .noise import hash2

#: Neighbours: row step, column step, distance in cells.
DY = np.array([-1, -1, -1, 0, 0, 1, 1, 1], np.int64)
DX = np.array([-1, 0, 1, -1, 1, -1, 0, 1], np.int64)
FAR = np.array([math.sqrt(2), 1, math.sqrt(2), 1, 1, math.sqrt(2), 1, math.sqrt(2)])
NEAR = 1.0 / FAR
#: Height of a flood bucket, metres, and the most buckets that are kept.
BUCKET, MOST_BUCKETS = 0.01, 1_000_000


@kernel
def flood(h, level, order, rank, parent, stop):
    """Fills level (rows, columns) with the height to which water would stand, and order with the cells by rising level.

    h: heights in metres; order, rank, parent: int32 of rows*columns; parent[c] is the cell the flood came from, -1 at
    the edge. Returns False when stopped."""
    rows, columns = h.shape
    n = rows * columns
    low, high = h[0, 0], h[0, 0]
    for r in range(rows):
        for c in range(columns):
            low, high = min(low, h[r, c]), max(high, h[r, c])
    width = max(BUCKET, (high - low) / MOST_BUCKETS)
    buckets = int((high - low) / width) + 2
    head, tail = np.full(buckets, -1, np.int32), np.full(buckets, -1, np.int32)
    following = np.full(n, -1, np.int32)
    for i in range(n):
        rank[i] = -1
        parent[i] = -2
    for r in range(rows):
        step = 1 if r == 0 or r == rows - 1 else columns - 1
        for c in range(0, columns, step):
            i = r * columns + c
            level[r, c] = h[r, c]
            parent[i] = -1
            b = int((h[r, c] - low) / width)
            if head[b] < 0:
                head[b] = i
            else:
                following[tail[b]] = i
            tail[b] = i
    done, b = 0, 0
    while b < buckets:
        i = head[b]
        if i < 0:
            b += 1
            continue
        head[b] = following[i]
        following[i] = -1
        order[done] = i
        rank[i] = done
        done += 1
        if done & 8191 == 0 and stop[0]:
            return False
        r, c = i // columns, i % columns
        here = level[r, c]
        for k in range(8):
            y, x = r + DY[k], c + DX[k]
            if y < 0 or x < 0 or y >= rows or x >= columns:
                continue
            j = y * columns + x
            if parent[j] != -2:
                continue
            parent[j] = i
            level[y, x] = max(h[y, x], here)
            q = max(b, int((level[y, x] - low) / width))
            if head[q] < 0:
                head[q] = j
            else:
                following[tail[q]] = j
            tail[q] = j
    return True


@kernel
def _best_two(level, rank, i, r, c, h, jitter):
    """Receivers of one cell and the first's share. h: 32 random bits, four for each direction."""
    rows, columns = level.shape
    s1, s2, a, b = 0.0, 0.0, -1, -1
    here, mine = level[r, c], rank[i]
    for k in range(8):
        y, x = r + DY[k], c + DX[k]
        if y < 0 or x < 0 or y >= rows or x >= columns:
            continue
        fall = here - level[y, x]
        if fall <= 0.0:
            continue
        j = y * columns + x
        if rank[j] >= mine:
            continue
        s = fall * NEAR[k] * (1.0 + jitter * (((h >> np.uint32(4 * k)) & np.uint32(15)) * 0.13333333333333333 - 1.0))
        if s > s1:
            s2, b = s1, a
            s1, a = s, j
        elif s > s2:
            s2, b = s, j
    if a < 0:
        return -1, -1, 1.0
    q1, q2 = s1 * s1, s2 * s2
    q1, q2 = q1 * q1, q2 * q2
    return a, b, q1 / (q1 + q2)


@kernel
def receivers(level, rank, parent, first, second, share, seed, row0, column0, jitter, stop):
    """Two best receivers of every cell: first, second (int32, -1 for none) and the first's share (float32, 0-1).

    Only cells that come earlier in the order qualify, so reverse order is always downstream. Shares go with the fourth
    power of slope; each slope is multiplied by 1 ± jitter from a hash of cell and direction, which breaks the straight
    channels of the eight-neighbour grid (in the spirit of Fairfield and Leymarie 1991). On flats the flood's own
    path is taken. row0, column0: where the array begins in the level, so that a tile draws the same numbers as the whole."""
    rows, columns = level.shape
    for r in range(rows):
        if stop[0]:
            return False
        for c in range(columns):
            i = r * columns + c
            a, b, part = _best_two(level, rank, i, r, c, hash2(c + column0, r + row0, seed), jitter)
            first[i] = parent[i] if a < 0 else a
            second[i], share[i] = b, part
    return True


@kernel
def accumulate(order, first, second, share, area):
    """Adds every cell's area to what it drains to; area holds each cell's own supply before, the total after."""
    for p in range(len(order) - 1, -1, -1):
        i = order[p]
        if first[i] >= 0:
            area[first[i]] += area[i] * share[i]
            if second[i] >= 0:
                area[second[i]] += area[i] * (1.0 - share[i])


def drainage(h: np.ndarray, dx: float, supply: np.ndarray | None = None, stop=None):
    """Drainage area in m² at every sample, and the flooded height. supply: rain as a share (mask) or None for 1."""
    stop = np.zeros(1, np.uint8) if stop is None else stop
    h = np.ascontiguousarray(h, np.float32)
    n = h.size
    order, rank, parent, first, second = (np.empty(n, np.int32) for _ in range(5))
    level, share = np.empty(h.shape, np.float32), np.empty(n, np.float32)
    area = np.full(n, dx * dx) if supply is None else supply.ravel().astype(np.float64) * (dx * dx)
    if flood(h, level, order, rank, parent, stop) and receivers(level, rank, parent, first, second, share, 1, 0, 0, 0.0, stop):
        accumulate(order, first, second, share, area)
    return area.reshape(h.shape), level


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
def _longest(order, first, columns, area, least, length):
    """Longest path to each cell along first receivers, in cells, over cells that drain at least ``least`` m²."""
    best = 0.0
    for p in range(len(order) - 1, -1, -1):
        i = order[p]
        j = first[i]
        if area[i] < least:
            continue
        best = max(best, length[i])
        if j >= 0:
            step = 1.0 if abs(j - i) == 1 or abs(j - i) == columns else 1.4142135623730951
            length[j] = max(length[j], length[i] + step)
    return best


def longest_stream(h: np.ndarray, dx: float, least: float) -> float:
    """Length in metres of the longest stream: a path of steepest descent over ground that drains at least ``least`` m²."""
    h, n, stop = np.ascontiguousarray(h, np.float32), h.size, np.zeros(1, np.uint8)
    order, rank, parent, first, second = (np.empty(n, np.int32) for _ in range(5))
    level, share, area = np.empty(h.shape, np.float32), np.empty(n, np.float32), np.full(n, dx * dx)
    flood(h, level, order, rank, parent, stop)
    receivers(level, rank, parent, first, second, share, 1, 0, 0, 0.0, stop)
    accumulate(order, first, second, share, area)
    return _longest(order, first, h.shape[1], area, float(least), np.zeros(n)) * dx


@kernel
def _network(level, order, first, area, length, slope, outlet, dx):
    flat, columns = level.ravel(), level.shape[1]
    for p in range(len(order)):
        i = order[p]
        outlet[i] = outlet[first[i]] if first[i] >= 0 else i
    for p in range(len(order) - 1, -1, -1):
        i = order[p]
        j = first[i]
        if j < 0:
            continue
        step = dx if abs(j - i) == 1 or abs(j - i) == columns else dx * 1.4142135623730951
        area[j] += area[i]
        length[j] = max(length[j], length[i] + step)
        slope[i] = (flat[i] - flat[j]) / step


def network(h: np.ndarray, dx: float):
    """(drainage area m², longest path upstream m, slope down the steepest way, number of the cell where its basin leaves the
    site) of every cell on the flooded surface, flat arrays."""
    n, stop = h.size, np.zeros(1, np.uint8)
    order, rank, parent, first, second = (np.empty(n, np.int32) for _ in range(5))
    level, share = np.empty(h.shape, np.float32), np.empty(n, np.float32)
    flood(h, level, order, rank, parent, stop)
    receivers(level, rank, parent, first, second, share, 1, 0, 0, 0.0, stop)
    area, length, slope, outlet = np.full(n, dx * dx), np.full(n, dx), np.zeros(n), np.empty(n, np.int64)
    _network(level, order, first, area, length, slope, outlet, float(dx))
    return area, length, slope, outlet


@kernel
def pit_count(h):
    """How many interior cells lie below all eight neighbours."""
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
