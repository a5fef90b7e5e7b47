"""Streams as lines: pieces from each channel cell to the next one downstream, smoothed, and drawn at any detail.

A map of streams that is carried up to a finer grid shows the coarse one's samples as steps. Lines have none, and
lie in the same place at every detail."""

from __future__ import annotations

import math

import numpy as np

from gelande.kernels.lattice import Lattice

from .bands import kernel, over_rows
from .flow import accumulate, drain, neighbours, receivers
from .grid_window import GridWindow

#: Rounds of smoothing that take the grid's eight ways out of a course.
ROUNDS = 5


@kernel
def _smooth_places(cells, first, area, x, y, sum_x, sum_y, weight):
    """Moves each channel cell towards the middle of what comes in and what it drains to; ends keep their place."""
    for i in cells:
        sum_x[i] = sum_y[i] = weight[i] = 0.0
    for i in cells:
        j = first[i]
        if j >= 0:
            sum_x[j] += area[i] * x[i]
            sum_y[j] += area[i] * y[i]
            weight[j] += area[i]
    for i in cells:
        j = first[i]
        if j >= 0 and weight[i] > 0.0:
            sum_x[i] = 0.5 * x[i] + 0.25 * x[j] + 0.25 * sum_x[i] / weight[i]
            sum_y[i] = 0.5 * y[i] + 0.25 * y[j] + 0.25 * sum_y[i] / weight[i]
        else:
            sum_x[i], sum_y[i] = x[i], y[i]
    for i in cells:
        x[i], y[i] = sum_x[i], sum_y[i]


def drainage_on_lattice(
    h: np.ndarray,
    lattice: Lattice,
    dx: float,
    supply=None,
    stop: np.ndarray | None = None,
    seed: int = 1,
    jitter: float = 0.0,
    single: bool = False,
) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """Drainage of a height, found on a lattice.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    lattice :
        kernels.lattice.Lattice of its shape.
    dx :
        metres between samples.
    supply :
        rain 0 to 1, or None for 1.
    stop :
        uint8[1] or None; set when a stop is asked for.
    seed, jitter, single :
        as of flow.drain.

    Returns
    -------
    (flooded height, drainage area in m² as float64, each cell's receiver or -1, order downstream), all but the first
    flat.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    As flow.drain.
    """
    rain = lattice.plot if supply is None else np.clip(lattice.onto([supply], stop)[0], 0, 1) * lattice.plot
    level, way, fraction, order = drain(lattice.onto([h], stop)[0], seed, jitter, single, stop)
    area, columns = rain.ravel().astype(np.float64) * (dx * dx), level.shape[1]
    accumulate(order, way, neighbours(columns), fraction, area, np.inf)
    return level, area, receivers(way, columns), order


def smoothed(
    x: np.ndarray, y: np.ndarray, area: np.ndarray, first: np.ndarray, cells: np.ndarray
) -> tuple[np.ndarray, np.ndarray]:
    """Places of all cells with those of channel cells smoothed along their course.

    Parameters
    ----------
    x, y :
        places in cells.
    area :
        drainage areas, m².
    first :
        each cell's receiver, -1 for none.
    cells :
        the channel cells.

    Returns
    -------
    (x, y), float64 and flat.
    """
    x, y = x.ravel().astype(np.float64), y.ravel().astype(np.float64)
    work = [np.empty(len(x)) for _ in range(3)]
    for _ in range(ROUNDS):
        _smooth_places(cells, first, area, x, y, *work)
    return x, y


def pieces(
    x: np.ndarray, y: np.ndarray, area: np.ndarray, first: np.ndarray, least: float, dx: float, *along
) -> np.ndarray:
    """Channels as pieces from each cell to the next one downstream.

    Parameters
    ----------
    x, y :
        places in cells.
    area :
        of drainage, m².
    first :
        receivers.
    least :
        the area that channels begin at, m².
    dx :
        metres between samples.
    along :
        what else there is to tell of each cell, flat.

    Returns
    -------
    (n, 6 and more) float64 of x0, y0, x1, y1 (metres east and south of the north-west corner), area0, area1 (m²), and
    two columns for each map of ``along``.
    """
    area = area.ravel().astype(np.float64)
    cells = np.flatnonzero(area >= least)
    x, y = smoothed(x, y, area, first, cells)
    i = cells[first[cells] >= 0]
    j = first[i]
    ends = [a[k] for a in (area, *along) for k in (i, j)]
    return np.stack([x[i] * dx, y[i] * dx, x[j] * dx, y[j] * dx, *ends], 1)


@kernel
def beside(x, y, x0, y0, ax, ay, length):
    """(share of the way along a line, distance from it) of a point; the line begins at x0, y0 and goes ax, ay;
    length: squared."""
    t = min(1.0, max(0.0, ((x - x0) * ax + (y - y0) * ay) / length))
    return t, math.hypot(x0 + t * ax - x, y0 + t * ay - y)


@kernel
def within(x0, y0, x1, y1, reach, dx, top, bottom, left, right):
    """(first row, row after the last, first column, column after the last) of the samples that lie about as near to a
    line as a reach, among given ones of the whole grid."""
    row0, row1 = max(top, int((min(y0, y1) - reach) / dx)), min(bottom, int((max(y0, y1) + reach) / dx) + 2)
    column0, column1 = max(left, int((min(x0, x1) - reach) / dx)), min(right, int((max(x0, x1) + reach) / dx) + 2)
    return row0, row1, column0, column1


@kernel
def _draw_rows(lines, out, row0, row1, above, before, dx, low, span, half, fade, stop):
    """row0, row1: rows of out, which begins at row ``above`` and column ``before`` of the whole grid."""
    row0, row1 = row0 + above, row1 + above
    columns, reach, far = before + out.shape[1], half + fade, (half + fade) ** 2
    for k in range(lines.shape[0]):
        if k & 1023 == 0 and stop[0]:
            return
        x0, y0, x1, y1 = lines[k, 0], lines[k, 1], lines[k, 2], lines[k, 3]
        top, end, left, right = within(x0, y0, x1, y1, reach, dx, row0, row1, before, columns)
        if top >= end:
            continue
        ax, ay, v0, v1 = x1 - x0, y1 - y0, (lines[k, 4] - low) / span, (lines[k, 5] - low) / span
        length = max(ax * ax + ay * ay, 1e-9)
        for r in range(top, end):
            for c in range(left, right):
                t = min(1.0, max(0.0, ((c * dx - x0) * ax + (r * dx - y0) * ay) / length))
                d = (x0 + t * ax - c * dx) ** 2 + (y0 + t * ay - r * dx) ** 2
                if d >= far:
                    continue
                s = min(1.0, (reach - math.sqrt(d)) / fade)
                value = min(1.0, max(0.0, v0 + t * (v1 - v0))) * s * s * (3.0 - 2.0 * s)
                if value > out[r - above, c - before]:
                    out[r - above, c - before] = value


def draw(
    window: GridWindow | tuple[int, int],
    dx: float,
    lines: np.ndarray,
    least: float,
    full: float,
    half: float,
    fade: float,
    stop: np.ndarray | None = None,
) -> np.ndarray:
    """A mask of streams: the logarithm of the area between two, over a width to both sides, fading.

    Parameters
    ----------
    window :
        GridWindow, or the shape (rows, columns) of a whole grid.
    dx :
        metres between samples.
    lines :
        as of pieces.
    least, full :
        areas that are black and white, m².
    half, fade :
        metres on both sides in full, and over which it fades.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    float32 of the window's shape, 0 to 1.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    stop, window = np.zeros(1, np.uint8) if stop is None else stop, GridWindow.of(window)
    out, known = np.zeros(window.shape, np.float32), lines[:, :6].copy()
    known[:, 4:] = np.log(np.maximum(lines[:, 4:6], 1e-6))
    span = (float(np.log(least)), float(np.log(full / least)))
    how = (window.top, window.left, float(dx), *span, float(half), max(float(fade), 1e-3), stop)
    over_rows(lambda a, b: _draw_rows(known, out, a, b, *how), window.height, stop)
    return out
