"""Running water: the courses that streams take over a land, and the channels that they cut."""

from __future__ import annotations

import numpy as np

from .bands import check, kernel
from .flow import drain, receivers
from .frame import Frame
from .lattice import WATER, bent
from .streams import beside, smoothed, waters
from .transfer import sample_all
from .water import DRY, hollows


@kernel
def _fall(order, first, bed):
    """Lowers beds so that every cell's is at most that of any cell which drains to it."""
    for i in order:
        if first[i] >= 0 and bed[first[i]] > bed[i]:
            bed[first[i]] = bed[i]


def courses(
    h: np.ndarray, dx: float, least: float, full: float, width: float, deep: float, supply=None, uneven=None, stop=None
) -> np.ndarray:
    """Channels of a height; every bed falls all the way to the site's edge or to standing water, across which
    nothing is cut. Sought on a bent lattice, so that streams do not run along the grid's eight ways.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    dx :
        metres between samples.
    least, full :
        drainage areas in m² where channels begin and have their full size.
    width, deep :
        full width and depth, metres.
    supply :
        rain 0 to 1, or None.
    uneven :
        metres of unevenness by which streams find their way over level ground, or None.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (n, 9) float64 of x0, y0, x1, y1 (metres east and south of the north-west corner), width0, width1, bed0, bed1
    (metres), depth.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    Leopold, L. B. and Maddock, T. (1953): The hydraulic geometry of stream channels.
    """
    lattice, ground = bent(h.shape, WATER, stop), np.ascontiguousarray(h, np.float32)
    # A channel is in one place: each cell drains to its best neighbour alone.
    level, area, first, order = waters(h if uneven is None else h + uneven, lattice, dx, supply, stop, 7, 0.3, True)
    size = np.clip(area / full, 1e-6, 1.0)
    depth = deep * size**0.4
    bed = level.ravel() - depth
    _fall(order, first, bed)
    here = np.flatnonzero(area >= least)
    x, y = (a * float(dx) for a in smoothed(lattice.x, lattice.y, area, first, here))
    deep_water = (
        hollows(ground, dx, stop)[0] - ground
    )  # hollows of the land itself, not those that the lattice makes of a narrow valley
    top, water = sample_all((ground, deep_water), y[None, here] / dx, x[None, here] / dx, stop)[:, 0]
    dry = water < np.maximum(0.5 * depth[here], 0.05)
    here, top = here[dry], top[dry]
    # Smoothed courses leave the valley's deepest line here and there; the bed must lie below the ground that they run
    # over.
    bed[here] = np.minimum(bed[here], top - depth[here])
    _fall(order, first, bed)
    i = here[first[here] >= 0]
    j = first[i]
    wide = width * np.sqrt(size)
    return np.stack([x[i], y[i], x[j], y[j], wide[i], wide[j], bed[i], bed[j], depth[i]], 1)


def _onward(h: np.ndarray, dx: float, x: float, y: float, deep: float, stop=None) -> np.ndarray:
    """Places (x, y) that water passes from a point on, down to the site's edge or to standing water of half the
    depth, smoothed."""
    lattice = bent(h.shape, WATER, stop)
    h, water = lattice.onto([h, hollows(h, dx, stop)[0] - h], stop)
    way = drain(h, 7, 0.3, True, stop)[1]
    first, (rows, columns) = receivers(way, h.shape[1]), h.shape
    here = min(max(round(y / dx), 0), rows - 1), min(max(round(x / dx), 0), columns - 1)
    at = min(max(round(float(lattice.rows[here])), 0), rows - 1) * columns + min(
        max(round(float(lattice.columns[here])), 0), columns - 1
    )
    cells = [at]
    while first[at] >= 0 and water.flat[at] < 0.5 * deep:
        at = int(first[at])
        cells.append(at)
    path = np.stack([lattice.x.flat[cells], lattice.y.flat[cells]], 1).astype(np.float64) * dx
    path[0] = x, y  # the line's own end, beside the node it goes on from
    for _ in range(4):
        path[1:-1] = 0.5 * path[1:-1] + 0.25 * (path[:-2] + path[2:])
    return path[1:]


def drawn_course(
    points: np.ndarray, h: np.ndarray, dx: float, site_depth: float, width: float, deep: float, stop=None
) -> np.ndarray:
    """One channel along a drawn line from its head down; its bed never rises. Where the line ends on dry land it
    runs on downhill at its full size.

    Parameters
    ----------
    points :
        (n, 2), east and north, metres.
    h :
        (rows, columns) float32, heights in metres.
    dx :
        metres between samples.
    site_depth :
        metres from north to south.
    width, deep :
        full width and depth, metres.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    Pieces as of courses.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    h = np.ascontiguousarray(h, np.float32)
    steps = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(points, axis=0).T))])
    at = np.linspace(0.0, steps[-1], max(2, int(steps[-1] / dx) + 1))
    x, y = np.interp(at, steps, points[:, 0]), site_depth - np.interp(at, steps, points[:, 1])
    on = _onward(h, dx, x[-1], y[-1], deep, stop)
    size = np.concatenate([np.clip(0.35 + 0.65 * at / steps[-1], 0, 1), np.ones(len(on))])
    x, y = np.concatenate([x, on[:, 0]]), np.concatenate([y, on[:, 1]])
    c, r = (
        np.clip((x / dx).round().astype(int), 0, h.shape[1] - 1),
        np.clip((y / dx).round().astype(int), 0, h.shape[0] - 1),
    )
    bed = np.minimum.accumulate(h[r, c] - deep * size)
    wide = width * size
    return np.stack([x[:-1], y[:-1], x[1:], y[1:], wide[:-1], wide[1:], bed[:-1], bed[1:], (deep * size)[:-1]], 1)


@kernel
def _cut(h, banks, away, trough, inside, surface, pieces, top, left, dx, bank, fill, stop):
    """For every sample: the graded bank of the nearest piece (away: how far that is; a lower piece downstream must
    not undercut it), the lowest trough, how far it lies inside a channel, and the water's surface. Arrays begin at
    row ``top`` and column ``left`` of the whole grid."""
    bottom, right = top + h.shape[0], left + h.shape[1]
    for k in range(pieces.shape[0]):
        if k & 255 == 0 and stop[0]:
            return
        x0, y0, x1, y1, deep = pieces[k, 0], pieces[k, 1], pieces[k, 2], pieces[k, 3], pieces[k, 8]
        reach = 0.5 * max(pieces[k, 4], pieces[k, 5]) + max(bank, 0.5 * dx)
        ax, ay = x1 - x0, y1 - y0
        length = max(ax * ax + ay * ay, 1e-9)
        row0, row1 = max(top, int((min(y0, y1) - reach) / dx)), min(bottom, int((max(y0, y1) + reach) / dx) + 2)
        column0, column1 = max(left, int((min(x0, x1) - reach) / dx)), min(right, int((max(x0, x1) + reach) / dx) + 2)
        for r in range(row0 - top, row1 - top):
            for c in range(column0 - left, column1 - left):
                t, d = beside((left + c) * dx, (top + r) * dx, x0, y0, ax, ay, length)
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


def cut_channels(h: np.ndarray, pieces: np.ndarray, dx: float, bank: float, fill: float, stop=None, frame=None):
    """Cuts channels into a height. In a channel the bed is set, raised where the land dips below it, so that it
    falls all the way.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    pieces :
        as of courses.
    dx :
        metres between samples.
    bank :
        metres over which the land beside is graded down.
    fill :
        how full of water, of its depth, 0 to 1.
    stop :
        uint8[1] or None; set when a stop is asked for.
    frame :
        what h holds, its whole grid when left out.

    Returns
    -------
    (height in metres, how far each sample lies inside a channel 0 to 1, water surface in metres or DRY), float32.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    h, frame = np.ascontiguousarray(h, np.float32), frame or Frame.of(h.shape)
    banks, trough, away = h.copy(), np.full_like(h, 1e9), np.full_like(h, 1e9)
    inside, surface = np.zeros_like(h), np.full_like(h, DRY)
    how = (frame.top, frame.left, float(dx), float(bank), float(fill), np.zeros(1, np.uint8) if stop is None else stop)
    _cut(h, banks, away, trough, inside, surface, np.ascontiguousarray(pieces), *how)
    check(stop)
    cut = np.where(inside > 0, banks + (np.minimum(trough, 1e8) - banks) * inside, banks)
    return cut.astype(np.float32), inside, surface
