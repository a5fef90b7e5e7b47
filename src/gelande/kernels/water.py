"""Standing and running water: the hollows of a land and how full they are, and the courses that streams take."""

from __future__ import annotations

import numpy as np

from .bands import Stopped, check, kernel, over_rows
from .flow import DX, DY, drain, flood, receivers
from .lattice import WATER, bent
from .streams import beside, smoothed, waters
from .transfer import sample_all

#: Height that stands for "no water here", metres.
DRY = -1e9


@kernel
def _label(h, level, lake, queue):
    """Numbers the connected waters (eight neighbours) from 0; -1 on dry ground. Returns how many there are."""
    rows, columns = h.shape
    count = 0
    for r0 in range(rows):
        for c0 in range(columns):
            if lake[r0, c0] != -2:
                continue
            if level[r0, c0] <= h[r0, c0]:
                lake[r0, c0] = -1
                continue
            lake[r0, c0] = count
            queue[0], n, done = r0 * columns + c0, 1, 0
            while done < n:
                r, c = queue[done] // columns, queue[done] % columns
                done += 1
                for k in range(8):
                    y, x = r + DY[k], c + DX[k]
                    if 0 <= y < rows and 0 <= x < columns and lake[y, x] == -2:
                        if level[y, x] > h[y, x]:
                            lake[y, x] = count
                            queue[n] = y * columns + x
                            n += 1
                        else:
                            lake[y, x] = -1
            count += 1
    return count


def hollows(h: np.ndarray, dx: float, stop=None):
    """(spill level, lake) of a height: to where water would rise, metres, and for each cell under water the number of its lake,
    -1 on dry ground; both of h's shape. Priority flood (Barnes et al. 2014)."""
    stop = np.zeros(1, np.uint8) if stop is None else stop
    h = np.ascontiguousarray(h, np.float32)
    order, parent = (np.empty(h.size, np.int32) for _ in range(2))
    level, lake = h.copy(), np.full(h.shape, -2, np.int32)
    if not flood(h, level, order, parent, stop):
        raise Stopped
    _label(h, level, lake, order)
    return level, lake


@kernel
def _measure(h, level, lake, spill, bottom, cells):
    """Lowest spill, lowest ground and size of every lake. The flood rounds a lake's level to a bucket; its lowest one counts."""
    flat, water, which = h.ravel(), level.ravel(), lake.ravel()
    for i in range(len(flat)):
        n = which[i]
        if n >= 0:
            spill[n], bottom[n] = min(spill[n], water[i]), min(bottom[n], flat[i])
            cells[n] += 1


def surfaces(h: np.ndarray, dx: float, share: float, top: float | None, least_depth: float, least_area: float, stop=None) -> np.ndarray:
    """Water surface over every cell of a hollow that holds water, metres, DRY elsewhere; flat over each lake.

    share: how full, of the lake's greatest depth; top: a height that water rises to instead, or None; lakes shallower than
    least_depth (m) or smaller than least_area (m²) when full are left out."""
    h = np.ascontiguousarray(h, np.float32)
    level, lake = hollows(h, dx, stop)
    count = max(1, int(lake.max()) + 1)
    spill, bottom, cells = np.full(count, 1e9), np.full(count, 1e9), np.zeros(count, np.int64)
    _measure(h, level, lake, spill, bottom, cells)
    surface = np.minimum(spill, top) if top is not None else spill - (1.0 - share) * (spill - bottom)
    surface[(spill - bottom < least_depth) | (cells * dx * dx < least_area)] = DRY
    out = np.where(lake >= 0, surface[np.maximum(lake, 0)], DRY).astype(np.float32)
    return np.where(out > h, out, np.float32(DRY))


@kernel
def _spread_rows(surface, h, out, row0, row1):
    rows, columns = surface.shape
    for r in range(row0, row1):
        for c in range(columns):
            s = surface[r, c]
            if s < -1e8:
                for k in range(8):
                    y, x = r + DY[k], c + DX[k]
                    if 0 <= y < rows and 0 <= x < columns and surface[y, x] > s and h[r, c] >= surface[y, x]:
                        s = surface[y, x]
            out[r, c] = s


def spread(surface: np.ndarray, h: np.ndarray, cells: int = 2) -> np.ndarray:
    """Water surfaces carried over the shore onto higher ground, so that a finer grid can find its own waterline."""
    for _ in range(cells):
        out = np.empty_like(surface)
        over_rows(lambda a, b, s=surface: _spread_rows(s, h, out, a, b), h.shape[0])
        surface = out
    return surface


def _between(a: np.ndarray, b: np.ndarray) -> np.ndarray:
    """Surfaces half way between samples: the one that holds water, and dry where two waters of different level would meet."""
    return np.where((np.minimum(a, b) > DRY) & (a != b), np.float32(DRY), np.maximum(a, b))


def up_surface(surface: np.ndarray) -> np.ndarray:
    """Surfaces one level finer, so that each lake stays flat and two that are only parted by a sill stay two."""
    out = np.empty((2 * surface.shape[0] - 1, 2 * surface.shape[1] - 1), np.float32)
    out[::2, ::2] = surface
    out[1::2, ::2] = _between(surface[:-1], surface[1:])
    out[:, 1::2] = _between(out[:, :-2:2], out[:, 2::2])
    return out


@kernel
def _edge_water(h, sea, wet, queue):
    """Marks all cells below the sea's level that water can reach from the site's edge (four neighbours)."""
    rows, columns = h.shape
    n = 0
    for r in range(rows):
        step = 1 if r == 0 or r == rows - 1 else columns - 1
        for c in range(0, columns, step):
            if h[r, c] < sea and not wet[r, c]:
                wet[r, c] = 1
                queue[n] = r * columns + c
                n += 1
    done = 0
    while done < n:
        r, c = queue[done] // columns, queue[done] % columns
        done += 1
        for k in range(8):
            y, x = r + DY[k], c + DX[k]
            if 0 <= y < rows and 0 <= x < columns and not wet[y, x] and h[y, x] < sea:
                wet[y, x] = 1
                queue[n] = y * columns + x
                n += 1


def open_water(h: np.ndarray, sea: float) -> np.ndarray:
    """Where the sea stands: below its level and joined to the site's edge; uint8 of h's shape."""
    wet = np.zeros(h.shape, np.uint8)
    _edge_water(np.ascontiguousarray(h, np.float32), np.float32(sea), wet, np.empty(h.size, np.int64))
    return wet


@kernel
def _fall(order, first, bed):
    """Lowers beds so that every cell's is at most that of any cell which drains to it."""
    for i in order:
        if first[i] >= 0 and bed[first[i]] > bed[i]:
            bed[first[i]] = bed[i]


def courses(h: np.ndarray, dx: float, least: float, full: float, width: float, deep: float, supply=None, uneven=None, stop=None) -> np.ndarray:
    """Channels of a height as pieces from each channel cell to the next one downstream: (n, 9) float64 of
    x0, y0, x1, y1 (metres east and south of the north-west corner), width0, width1, bed0, bed1 (metres), depth.

    least, full: drainage areas in m² where channels begin and have their full size; width and depth grow with the 0.5 and
    0.4 power of area (Leopold and Maddock 1953). Every piece's bed falls, and so does every course to the site's edge;
    across standing water nothing is cut. uneven: metres of unevenness by which streams find their way over level ground, where they
    would else run along the grid's eight ways; they are sought on a bent lattice for the same reason."""
    lattice, ground = bent(h.shape, WATER, stop), np.ascontiguousarray(h, np.float32)
    # A channel is in one place: each cell drains to its best neighbour alone.
    level, area, first, order = waters(h if uneven is None else h + uneven, lattice, dx, supply, stop, 7, 0.3, True)
    size = np.clip(area / full, 1e-6, 1.0)
    depth = deep * size ** 0.4
    bed = level.ravel() - depth
    _fall(order, first, bed)
    here = np.flatnonzero(area >= least)
    x, y = (a * float(dx) for a in smoothed(lattice.x, lattice.y, area, first, here))
    deep_water = hollows(ground, dx, stop)[0] - ground  # hollows of the land itself, not those that the lattice makes of a narrow valley
    top, water = sample_all((ground, deep_water), y[None, here] / dx, x[None, here] / dx, stop)[:, 0]
    dry = water < np.maximum(0.5 * depth[here], 0.05)
    here, top = here[dry], top[dry]
    # Smoothed courses leave the valley's deepest line here and there; the bed must lie below the ground that they run over.
    bed[here] = np.minimum(bed[here], top - depth[here])
    _fall(order, first, bed)
    i = here[first[here] >= 0]
    j = first[i]
    wide = width * np.sqrt(size)
    return np.stack([x[i], y[i], x[j], y[j], wide[i], wide[j], bed[i], bed[j], depth[i]], 1)


def _onward(h: np.ndarray, dx: float, x: float, y: float, deep: float, stop=None) -> np.ndarray:
    """Places (x, y) that water passes from a point on, down to the site's edge or to standing water of half the depth, smoothed."""
    lattice = bent(h.shape, WATER, stop)
    h, water = lattice.onto([h, hollows(h, dx, stop)[0] - h], stop)
    way = drain(h, 7, 0.3, True, stop)[1]
    first, (rows, columns) = receivers(way, h.shape[1]), h.shape
    here = min(max(round(y / dx), 0), rows - 1), min(max(round(x / dx), 0), columns - 1)
    at = min(max(round(float(lattice.rows[here])), 0), rows - 1) * columns + min(max(round(float(lattice.columns[here])), 0), columns - 1)
    cells = [at]
    while first[at] >= 0 and water.flat[at] < 0.5 * deep:
        at = int(first[at])
        cells.append(at)
    path = np.stack([lattice.x.flat[cells], lattice.y.flat[cells]], 1).astype(np.float64) * dx
    path[0] = x, y  # the line's own end, beside the node it goes on from
    for _ in range(4):
        path[1:-1] = 0.5 * path[1:-1] + 0.25 * (path[:-2] + path[2:])
    return path[1:]


def drawn_course(points: np.ndarray, h: np.ndarray, dx: float, site_depth: float, width: float, deep: float, stop=None) -> np.ndarray:
    """One channel along (east, north) points from its head down, as pieces like those of ``courses``; its bed never rises. Where the
    line ends on dry land, it runs on downhill at its full size, to the site's edge or to standing water."""
    h = np.ascontiguousarray(h, np.float32)
    steps = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(points, axis=0).T))])
    at = np.linspace(0.0, steps[-1], max(2, int(steps[-1] / dx) + 1))
    x, y = np.interp(at, steps, points[:, 0]), site_depth - np.interp(at, steps, points[:, 1])
    on = _onward(h, dx, x[-1], y[-1], deep, stop)
    size = np.concatenate([np.clip(0.35 + 0.65 * at / steps[-1], 0, 1), np.ones(len(on))])
    x, y = np.concatenate([x, on[:, 0]]), np.concatenate([y, on[:, 1]])
    c, r = np.clip((x / dx).round().astype(int), 0, h.shape[1] - 1), np.clip((y / dx).round().astype(int), 0, h.shape[0] - 1)
    bed = np.minimum.accumulate(h[r, c] - deep * size)
    wide = width * size
    return np.stack([x[:-1], y[:-1], x[1:], y[1:], wide[:-1], wide[1:], bed[:-1], bed[1:], (deep * size)[:-1]], 1)


@kernel
def _cut(h, banks, away, trough, inside, surface, pieces, dx, bank, fill, stop):
    """For every sample: the graded bank of the nearest piece (away: how far that is; a lower piece downstream must not undercut it),
    the lowest trough, how far it lies inside a channel, and the water's surface."""
    rows, columns = h.shape
    for k in range(pieces.shape[0]):
        if k & 255 == 0 and stop[0]:
            return
        x0, y0, x1, y1, deep = pieces[k, 0], pieces[k, 1], pieces[k, 2], pieces[k, 3], pieces[k, 8]
        reach = 0.5 * max(pieces[k, 4], pieces[k, 5]) + max(bank, 0.5 * dx)
        ax, ay = x1 - x0, y1 - y0
        length = max(ax * ax + ay * ay, 1e-9)
        for r in range(max(0, int((min(y0, y1) - reach) / dx)), min(rows, int((max(y0, y1) + reach) / dx) + 2)):
            for c in range(max(0, int((min(x0, x1) - reach) / dx)), min(columns, int((max(x0, x1) + reach) / dx) + 2)):
                t, d = beside(c * dx, r * dx, x0, y0, ax, ay, length)
                half = 0.5 * (pieces[k, 4] + t * (pieces[k, 5] - pieces[k, 4]))
                bed = pieces[k, 6] + t * (pieces[k, 7] - pieces[k, 6])
                cover = min(1.0, (half - d) / dx + 0.5)
                if cover > 0.0:
                    q = min(1.0, d / max(half, 1e-6))
                    z = bed + deep * q * q  # a parabolic trough up to the brim
                    inside[r, c] = max(inside[r, c], cover)
                    if z < trough[r, c]:
                        trough[r, c], surface[r, c] = z, bed + fill * deep
                if half < d < half + bank and d - half < away[r, c]:
                    s = (d - half) / bank
                    away[r, c] = d - half
                    banks[r, c] = min(h[r, c], bed + deep + (h[r, c] - bed - deep) * s * s * (3.0 - 2.0 * s))


def cut_channels(h: np.ndarray, pieces: np.ndarray, dx: float, bank: float, fill: float, stop=None):
    """Cuts channels into a height: (height, how far each sample lies inside a channel 0-1, water surface or DRY).

    bank: width over which the land beside is graded down to the channel, metres; fill: how full of water, of its depth.
    In the channel the bed is set, raised where the land dips below it, so that it falls all the way."""
    h = np.ascontiguousarray(h, np.float32)
    banks, trough = h.copy(), np.full_like(h, 1e9)
    inside, surface = np.zeros_like(h), np.full_like(h, DRY)
    _cut(h, banks, np.full_like(h, 1e9), trough, inside, surface, np.ascontiguousarray(pieces), float(dx), float(bank), float(fill),
         np.zeros(1, np.uint8) if stop is None else stop)
    check(stop)
    return np.where(inside > 0, banks + (np.minimum(trough, 1e8) - banks) * inside, banks).astype(np.float32), inside, surface


@kernel
def _coast_rows(h, along, reach, out, water, depth, shore, surface, row0, row1, level, beach, cliff, broken, film, deep_at):
    """One profile of the coast a sample: land within reach of the waves is worn to a beach, then rises in a cliff to where it stood."""
    near, columns = max(beach, 4.2 * film), h.shape[1]
    for r in range(row0, row1):
        for c in range(columns):
            here = h[r, c]
            out[r, c], water[r, c], depth[r, c], shore[r, c], surface[r, c] = here, 0.0, 0.0, 0.0, DRY
            if (reach[r, c] if reach.shape[0] > 1 else reach[0, 0]) <= 0.5:
                continue
            d = here - level
            uneven = min(2.0, max(0.0, 1.0 + (along[r, c] if along.shape[0] > 1 else along[0, 0]) * 2.2 * broken))
            top = max(beach, 1e-3) * min(1.7, max(0.3, 2.0 - uneven))
            foot = top + cliff * uneven  # land lower than this is in the sea's reach
            if 0.0 < d < foot:
                t = d / foot
                s, q = min(1.0, t / 0.6), max(0.0, (t - 0.6) / 0.4)  # beach up to six tenths of the way
                worn = 0.45 * top * s * s * (3.0 - 2.0 * s) * min(3.0 * t, 1.0) + (foot - 0.45 * top) * q * q * (3.0 - 2.0 * q)
                out[r, c] = level + min(worn, d)
            elif -2.0 * top < d <= 0.0:  # the beach goes on below the water
                out[r, c] = level - 2.0 * top * (-d / (2.0 * top)) ** 1.4
            deep = level - out[r, c]
            shore[r, c] = max(0.0, 1.0 - abs(deep) / near)
            if deep > 0.0:
                water[r, c], depth[r, c], surface[r, c] = min(1.0, deep / film), min(1.0, deep / deep_at), level


def coast(h: np.ndarray, along: np.ndarray, reach: np.ndarray, level: float, beach: float, cliff: float, broken: float, film: float,
          deep_at: float, stop=None):
    """(height, water, depth, shore, water surface) of land at the sea (the wave-cut profile of Sunamura 1992, as a curve of height
    alone, so that every detail agrees).

    along: noise about -1..1 by which beach and cliff change, times broken (0-1); reach: above 0.5 where the sea can get to, each of
    h's shape or (1, 1); level, beach, cliff, film (depth at which water is drawn in full), deep_at: metres; surface: DRY on land."""
    outs = tuple(np.empty(h.shape, np.float32) for _ in range(5))
    over_rows(lambda a, b: _coast_rows(h, along, reach, *outs, a, b, level, beach, cliff, broken, film, deep_at), h.shape[0], stop)
    return outs
