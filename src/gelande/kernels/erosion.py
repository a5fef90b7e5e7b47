"""Rain erosion on one level of the pyramid: stream-power incision, downstream deposition, talus.

Implicit upstream incision with n = 1 after Braun and Willett (2013), area exponent 0.5; deposition along the flow after Yuan, Braun, Guerit,
Rouby and Cordonnier (2019); depression flooding after Barnes et al. (2014). Global steps flood the whole level; local steps
(fine levels) order cells by height, forget area beyond 64 cells, and run in tiles with a halo.
"""

from __future__ import annotations

import math

import numpy as np

from .bands import kernel, over_items
from .flow import DX, DY, FAR, accumulate, flood, lakes, receivers

#: Slopes above this are worn back by the talus passes of an erosion step (tan of 50 degrees).
TALUS = 1.19
AREA_CAP = 64.0
CARRY = 0.93
#: Water is routed anew every so many steps of a whole level; between them it keeps its way.
ROUTE_EVERY = 2
HALO = 96
TILE = 512
#: Absolute height step of the local ordering, metres; absolute, so that tiles order alike.
ORDER_STEP = 0.002


@kernel
def _incise(h, fresh, level, order, first, second, share, area, soft, strength, critical, dx, stop):
    """Implicit stream-power step from the outlets up. fresh: heights after; soft: erodibility 0-1 a cell."""
    columns = h.shape[1]
    flat, out, water, give = h.ravel(), fresh.ravel(), level.ravel(), soft.ravel()
    for p in range(len(order)):
        if p & 8191 == 0 and stop[0]:
            return False
        i = order[p]
        here = flat[i]
        out[i] = here
        a = first[i]
        if a < 0 or water[i] > here:
            continue
        m2 = area[i]
        c = strength * give[i] * math.sqrt(m2) * m2 / (m2 + critical) / dx
        k1 = c * share[i]
        if abs(a - i) != 1 and abs(a - i) != columns:
            k1 *= 0.7071067811865476
        top, bottom = here + k1 * max(out[a], water[a]), 1.0 + k1
        b = second[i]
        if b >= 0:
            k2 = c * (1.0 - share[i])
            if abs(b - i) != 1 and abs(b - i) != columns:
                k2 *= 0.7071067811865476
            top += k2 * max(out[b], water[b])
            bottom += k2
        out[i] = min(here, top / bottom)
    return True


@kernel
def _settle(h, fresh, level, order, first, second, share, area, lake, pool, room, wear, deposit, load, ease, dx, carry,
            standing, stop):
    """Carries what was worn downstream and lays part of it down: D = load * G / (cells + G), at most 2 % of dx a step.

    What reaches standing water is gathered a lake (pool), spread over its bed in proportion to depth (at most 60 % of
    its volume, room, a step), and the rest leaves over the spill. Counts wear and deposit. standing: False where no water
    stands; lake, pool and room are not looked at then."""
    flat, out, water = h.ravel(), fresh.ravel(), level.ravel()
    w, d = wear.ravel(), deposit.ravel()
    cell, n = dx * dx, len(order)
    for i in range(n):
        cut = flat[i] - out[i]
        w[i] += cut
        load[i] = cut
        if standing:
            pool[i] = room[i] = 0.0
    for p in range(n - 1, -1, -1):
        if p & 8191 == 0 and stop[0]:
            return False
        i = order[p]
        if standing:
            spill = lake[i]
            if spill >= 0:
                pool[spill] += load[i]
                room[spill] += water[i] - flat[i]
                continue
            if room[i] > 0.0:
                taken = min(0.6 * room[i], pool[i])
                load[i] += pool[i] - taken
                pool[i] = taken / room[i]
        lay = min(load[i] * ease / (area[i] / cell + ease), 0.02 * dx)
        out[i] += lay
        d[i] += lay
        rest = (load[i] - lay) * carry
        a = first[i]
        if a >= 0:
            load[a] += rest * share[i]
            if second[i] >= 0:
                load[second[i]] += rest * (1.0 - share[i])
    for i in range(n if standing else 0):
        if lake[i] >= 0:
            lay = pool[lake[i]] * (water[i] - flat[i])
            out[i] += lay
            d[i] += lay
    return True


@kernel
def talus_pass(h, out, limit, dx, rate):
    """One gather pass of slope failure: material above the limit slope moves to the lower neighbour, none is lost."""
    rows, columns = h.shape
    for r in range(rows):
        for c in range(columns):
            here, change = h[r, c], 0.0
            for k in range(8):
                y, x = r + DY[k], c + DX[k]
                if 0 <= y < rows and 0 <= x < columns:
                    rise = h[y, x] - here
                    most = limit * dx * FAR[k]
                    if rise > most:
                        change += rise - most
                    elif -rise > most:
                        change += rise + most
            out[r, c] = here + rate * change


@kernel
def _talus(h, wear, deposit, dx, passes):
    """Talus passes in place, counted as wear and deposit. Returns the height."""
    other = np.empty_like(h)
    for _ in range(passes):
        talus_pass(h, other, TALUS, dx, 0.06)
        for r in range(h.shape[0]):
            for c in range(h.shape[1]):
                change = other[r, c] - h[r, c]
                if change > 0.0:
                    deposit[r, c] += change
                else:
                    wear[r, c] -= change
        h, other = other, h
    return h


@kernel
def fill_pits(h, deposit):
    """Raises every single-sample pit to its lowest neighbour."""
    rows, columns = h.shape
    for r in range(1, rows - 1):
        for c in range(1, columns - 1):
            low = h[r - 1, c - 1]
            for k in range(1, 8):
                low = min(low, h[r + DY[k], c + DX[k]])
            if h[r, c] < low:
                deposit[r, c] += low - h[r, c]
                h[r, c] = low


@kernel
def global_steps(h, soft, rain, steps, strength, critical, ease, dx, seed, wear, deposit, area_out, shown, stop):
    """Erodes a whole level. Returns the height; area_out receives drainage area in m², shown[0] the steps done."""
    n = h.size
    order, rank, parent = np.empty(n, np.int32), np.empty(n, np.int32), np.empty(n, np.int32)
    first, second = np.empty(n, np.int32), np.empty(n, np.int32)
    share, load, area = np.empty(n, np.float32), np.empty(n), np.empty(n)
    pool, room, lake = np.empty(n), np.empty(n), np.empty(n, np.int32)
    level, fresh = np.empty_like(h), np.empty_like(h)
    fall = rain.ravel()
    for step in range(steps):
        if step % ROUTE_EVERY == 0:
            if not flood(h, level, order, rank, parent, stop):
                return h
            if not receivers(level, rank, parent, first, second, share, seed + 31 * step, 0, 0, 0.5, stop):
                return h
            for i in range(n):
                area[i] = fall[i] * dx * dx
            lakes(level, h, order, parent, lake)
            accumulate(order, first, second, share, area)
        else:
            flat, water = h.ravel(), level.ravel()
            for i in range(n):  # dry ground moved; standing water keeps its level unless the bed has risen through it
                if lake[i] < 0 or flat[i] > water[i]:
                    water[i] = flat[i]
        if not _incise(h, fresh, level, order, first, second, share, area, soft, strength, critical, dx, stop):
            return h
        if not _settle(h, fresh, level, order, first, second, share, area, lake, pool, room, wear, deposit, load,
                       ease, dx, 1.0, True, stop):
            return h
        h, fresh = fresh, h
        h = _talus(h, wear, deposit, dx, 1)
        shown[0] = step + 1
    fill_pits(h, deposit)
    flat = area_out.ravel()
    for i in range(n):
        flat[i] = area[i]
    return h


@kernel
def _by_height(h, order, rank):
    """Counting sort of cells by height in absolute steps, ties in row order."""
    flat = h.ravel()
    n = len(flat)
    low, high = flat[0], flat[0]
    for i in range(n):
        low, high = min(low, flat[i]), max(high, flat[i])
    step = ORDER_STEP
    while (high - low) / step > 4_000_000:
        step *= 2.0
    base = math.floor(low / step)
    counts = np.zeros(int(math.floor(high / step) - base) + 2, np.int32)
    for i in range(n):
        counts[int(math.floor(flat[i] / step) - base) + 1] += 1
    for b in range(1, len(counts)):
        counts[b] += counts[b - 1]
    for i in range(n):
        b = int(math.floor(flat[i] / step) - base)
        order[counts[b]] = i
        rank[i] = counts[b]
        counts[b] += 1


@kernel
def _capped_area(order, first, second, share, area, supply, cap):
    """Drainage area in m² that never counts more than the cap from one cell on."""
    for i in range(len(order)):
        area[i] = supply[i]
    for p in range(len(order) - 1, -1, -1):
        i = order[p]
        area[i] = min(area[i], cap)
        if first[i] >= 0:
            area[first[i]] += area[i] * share[i]
            if second[i] >= 0:
                area[second[i]] += area[i] * (1.0 - share[i])


@kernel
def local_steps(h, soft, rain, steps, strength, critical, ease, dx, seed, row0, column0, wear, deposit, area_out, stop):
    """Erodes one tile without flooding. row0, column0: where the tile begins in the
    level, so that jitter is the same in any tile."""
    n = h.size
    order, rank = np.empty(n, np.int32), np.empty(n, np.int32)
    first, second = np.empty(n, np.int32), np.empty(n, np.int32)
    share, load, area, supply = np.empty(n, np.float32), np.empty(n), np.empty(n), np.empty(n)
    nothing, lake = np.empty(0), np.full(n, -1, np.int32)  # no standing water in tiles
    fresh = np.empty_like(h)
    fall = rain.ravel()
    for i in range(n):
        supply[i] = fall[i] * dx * dx
    for step in range(steps):
        fill_pits(h, deposit)
        _by_height(h, order, rank)
        if not receivers(h, rank, lake, first, second, share, seed + 31 * step, row0, column0, 0.5, stop):
            return h
        _capped_area(order, first, second, share, area, supply, AREA_CAP * dx * dx)
        if not _incise(h, fresh, h, order, first, second, share, area, soft, strength, critical, dx, stop):
            return h
        if not _settle(h, fresh, h, order, first, second, share, area, lake, nothing, nothing, wear, deposit, load,
                       ease, dx, CARRY, False, stop):
            return h
        h, fresh = fresh, h
        h = _talus(h, wear, deposit, dx, 1)
    out = area_out.ravel()
    for i in range(n):
        out[i] = area[i]
    return h


def erode_global(h, soft, rain, steps, strength, critical, ease, dx, seed, stop, shown):
    """Whole-level erosion. Returns (height, wear, deposit, area): metres, metres, metres, m²."""
    wear, deposit = np.zeros_like(h), np.zeros_like(h)
    area = np.zeros(h.shape, np.float32)
    out = global_steps(h.copy(), soft, rain, int(steps), float(strength), float(critical), float(ease), float(dx), int(seed),
                       wear, deposit, area, shown, stop)
    return out, wear, deposit, area


def erode_local(h, soft, rain, steps, strength, critical, ease, dx, seed, stop):
    """Erosion of a fine level in tiles of fixed size with a halo, so that the bytes do not depend on threads."""
    rows, columns = h.shape
    result, wear, deposit, area = (np.empty_like(h) for _ in range(4))

    def tile(corner):
        a, c = corner
        b = rows if a + TILE >= rows - 1 else a + TILE
        d = columns if c + TILE >= columns - 1 else c + TILE
        top, end, left, right = max(0, a - HALO), min(rows, b + HALO), max(0, c - HALO), min(columns, d + HALO)
        parts = [np.ascontiguousarray(x[top:end, left:right]) for x in (h, soft, rain)]
        w, s, f = (np.zeros_like(parts[0]) for _ in range(3))
        parts[0] = parts[0].copy()
        out = local_steps(*parts, int(steps), float(strength), float(critical), float(ease), float(dx), int(seed), top,
                          left, w, s, f, stop)
        for target, source in ((result, out), (wear, w), (deposit, s), (area, f)):
            target[a:b, c:d] = source[a - top:b - top, c - left:d - left]

    over_items(tile, [(a, c) for a in range(0, rows - 1, TILE) for c in range(0, columns - 1, TILE)], stop)
    return result, wear, deposit, area
