"""What is measured on a height: slope, hillshade, bands, blur."""

from __future__ import annotations

import math

import numpy as np

from .bands import kernel, over_rows
from .grid_window import GridWindow
from .transfer import mirror


@kernel
def _between(at, count):
    """The sample below a fractional place and how far beyond it the place lies; held within the samples."""
    at = min(max(at, 0.0), count - 1.0)
    low = min(int(at), count - 2)
    return low, at - low


@kernel
def _across(columns, left, count, dx, reach):
    """Of each column of an array that begins at column ``left`` of a grid: the one below the place a distance to the
    west and how far beyond it the place lies, the same to the east, and the metres between the two places."""
    west, beyond_west = np.empty(columns, np.int64), np.empty(columns)
    east, beyond_east, run = np.empty(columns, np.int64), np.empty(columns), np.empty(columns)
    for c in range(columns):
        w, s = _between(left + c - reach, count)
        e, t = _between(left + c + reach, count)
        run[c] = (e + t - w - s) * dx
        west[c], beyond_west[c] = min(max(w - left, 0), columns - 2), s
        east[c], beyond_east[c] = min(max(e - left, 0), columns - 2), t
    return west, beyond_west, east, beyond_east, run


@kernel
def _rise_row(h, r, top, rows, dx, reach, across, up, right):
    """Northward and eastward rise a metre over a distance, of one row. rows: of the whole grid; what lies beyond the
    array that holds a part of it counts as its edge. across: of _across()."""
    west, beyond_west, east, beyond_east, run = across
    a, u = _between(top + r - reach, rows)
    b, v = _between(top + r + reach, rows)
    fall, low = 1.0 / ((b + v - a - u) * dx), h.shape[0] - 2
    a, b = min(max(a - top, 0), low), min(max(b - top, 0), low)
    first, second, third, fourth, here = h[a], h[a + 1], h[b], h[b + 1], h[r]
    for c in range(len(up)):
        north, south = first[c] + u * (second[c] - first[c]), third[c] + v * (fourth[c] - third[c])
        up[c] = (north - south) * fall
    for c in range(len(right)):
        w, e = west[c], east[c]
        one, two = (
            here[w] + beyond_west[c] * (here[w + 1] - here[w]),
            here[e] + beyond_east[c] * (here[e + 1] - here[e]),
        )
        right[c] = (two - one) / run[c]


@kernel
def _slope_rows(h, out, row0, row1, top, left, rows, columns, dx, reach):
    """Rows of slopes in degrees over a distance. top, left, rows, columns: of the window in its grid."""
    wide = h.shape[1]
    across, up, right = _across(wide, left, columns, dx, reach), np.empty(wide), np.empty(wide)
    for r in range(row0, row1):
        _rise_row(h, r, top, rows, dx, reach, across, up, right)
        for c in range(wide):
            up[c] = math.sqrt(right[c] * right[c] + up[c] * up[c])
        for c in range(wide):
            out[r, c] = math.atan(up[c]) * 57.29577951308232


@kernel
def _rise_rows(h, south, east, row0, row1, top, left, rows, columns, dx, reach):
    """Rows of rise over run to the south and to the east over a distance."""
    wide = h.shape[1]
    across, up, right = _across(wide, left, columns, dx, reach), np.empty(wide), np.empty(wide)
    for r in range(row0, row1):
        _rise_row(h, r, top, rows, dx, reach, across, up, right)
        for c in range(wide):
            south[r, c], east[r, c] = -up[c], right[c]


def rise(
    h: np.ndarray, dx: float, baseline: float, stop: np.ndarray | None = None, window: GridWindow | None = None
) -> tuple[np.ndarray, np.ndarray]:
    """Rise southward and eastward by central differences over a fixed distance, as slope_degrees measures it.

    Parameters
    ----------
    h, dx, baseline, stop, window :
        as of slope_degrees.

    Returns
    -------
    (southward, eastward) rise a metre, each (rows, columns) float32.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    south, east, window = np.empty(h.shape, np.float32), np.empty(h.shape, np.float32), window or GridWindow.of(h.shape)
    place = (window.top, window.left, *window.grid, float(dx), max(1.0, baseline / (2 * dx)))
    over_rows(lambda a, b: _rise_rows(h, south, east, a, b, *place), h.shape[0], stop)
    return south, east


def slope_degrees(
    h: np.ndarray, dx: float, baseline: float, stop: np.ndarray | None = None, window: GridWindow | None = None
) -> np.ndarray:
    """Slope by central differences over a fixed distance, heights between samples by straight lines; because the
    distance is fixed, two levels that agree on heights agree on slopes.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    dx :
        metres between samples.
    baseline :
        the distance in metres; at least two samples are taken.
    stop :
        uint8[1] or None; set when a stop is asked for.
    window :
        what h holds, its whole grid when left out; slopes are right where it reaches half the distance and a sample
        beyond.

    Returns
    -------
    (rows, columns) float32, degrees.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    Horn, B. K. P. (1981): Hill shading and the reflectance map.
    """
    out, window = np.empty(h.shape, np.float32), window or GridWindow.of(h.shape)
    place = (window.top, window.left, *window.grid, float(dx), max(1.0, baseline / (2 * dx)))
    over_rows(lambda a, b: _slope_rows(h, out, a, b, *place), h.shape[0], stop)
    return out


@kernel
def _band_rows(h, out, row0, row1, low, high, falloff):
    """Rows of how far values lie in a band with soft edges."""
    for r in range(row0, row1):
        for c in range(h.shape[1]):
            v = h[r, c]
            d = max(low - v, v - high)
            t = 1.0 if d <= 0.0 else (0.0 if falloff <= 0.0 or d >= falloff else 1.0 - d / falloff)
            out[r, c] = t * t * (3.0 - 2.0 * t)


def band(values: np.ndarray, low: float, high: float, falloff: float) -> np.ndarray:
    """1 between two values, falling smoothly to 0 outside.

    Parameters
    ----------
    values :
        (rows, columns) float32.
    low, high :
        where 1 begins and ends.
    falloff :
        over which it falls; 0 for a hard edge. All in the values' unit.

    Returns
    -------
    (rows, columns) float32, 0 to 1.
    """
    out = np.empty(values.shape, np.float32)
    over_rows(lambda a, b: _band_rows(values, out, a, b, float(low), float(high), float(falloff)), values.shape[0])
    return out


@kernel
def _shade_rows(h, out, row0, row1, dx, lx, ly, lz, exaggeration):
    """Rows of a hillshade: the sun's share of each facet (Lambert). lx, ly, lz: towards the sun."""
    rows, columns = h.shape
    for r in range(row0, row1):
        a, b = max(0, r - 1), min(rows - 1, r + 1)
        for c in range(columns):
            w, e = max(0, c - 1), min(columns - 1, c + 1)
            gx = (h[r, e] - h[r, w]) / ((e - w) * dx) * exaggeration
            gy = (h[a, c] - h[b, c]) / ((b - a) * dx) * exaggeration
            out[r, c] = max(0.0, (lz - gx * lx - gy * ly) / math.sqrt(1.0 + gx * gx + gy * gy))


def hillshade(
    h: np.ndarray, dx: float, azimuth: float = 315.0, elevation: float = 42.0, exaggeration: float = 1.0
) -> np.ndarray:
    """Lambert shading under a sun.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    dx :
        metres between samples.
    azimuth, elevation :
        of the sun, degrees, clockwise from north and above the horizon.
    exaggeration :
        factor of heights.

    Returns
    -------
    (rows, columns) float32, 0 to 1.

    References
    ----------
    Horn, B. K. P. (1981): Hill shading and the reflectance map.
    """
    out = np.empty(h.shape, np.float32)
    a, e = math.radians(azimuth), math.radians(elevation)
    light = (math.sin(a) * math.cos(e), math.cos(a) * math.cos(e), math.sin(e))
    over_rows(lambda r0, r1: _shade_rows(h, out, r0, r1, float(dx), *light, float(exaggeration)), h.shape[0])
    return out


@kernel
def _blurred(row, c, weights):
    """One sample of a row, which is mirrored at its ends."""
    columns, total = len(row), weights[0] * row[c]
    for k in range(1, len(weights)):
        w, e = abs(c - k), c + k
        w = w if w < columns else columns - 1
        e = e if e < columns else 2 * columns - 2 - e
        total += weights[k] * (row[w] + row[e if e >= 0 else 0])
    return total


@kernel
def _blur_rows(a, out, row0, row1, weights):
    """Horizontal convolution with mirrored edges."""
    columns, reach = a.shape[1], len(weights) - 1
    ends = min(reach, columns)
    total = np.empty(max(0, columns - 2 * reach))
    for r in range(row0, row1):
        row = a[r]
        for c in range(len(total)):
            total[c] = weights[0] * row[reach + c]
        if len(total):
            for k in range(1, reach + 1):
                west, east, w = row[reach - k : columns - reach - k], row[reach + k :], weights[k]
                for c in range(len(total)):
                    total[c] += w * (west[c] + east[c])
        for c in range(len(total)):
            out[r, reach + c] = total[c]
        for c in range(ends):
            out[r, c] = _blurred(row, c, weights)
        for c in range(max(ends, columns - reach), columns):
            out[r, c] = _blurred(row, c, weights)


@kernel
def _gradient_rows(h, south, east, row0, row1, dx):
    """Rows of rise over run to the south and to the east between neighbours."""
    rows, columns = h.shape
    for r in range(row0, row1):
        up, down = max(r - 1, 0), min(r + 1, rows - 1)
        for c in range(columns):
            left, right = max(c - 1, 0), min(c + 1, columns - 1)
            south[r, c] = (h[down, c] - h[up, c]) / (dx * (down - up))
            east[r, c] = (h[r, right] - h[r, left]) / (dx * (right - left))


def gradient(h: np.ndarray, dx: float, stop: np.ndarray | None = None) -> tuple[np.ndarray, np.ndarray]:
    """Rise by central differences, one-sided at the edges.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    dx :
        metres between samples.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (southward, eastward) rise a metre, each (rows, columns) float32.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    south, east = np.empty(h.shape, np.float32), np.empty(h.shape, np.float32)
    over_rows(lambda r0, r1: _gradient_rows(h, south, east, r0, r1, float(dx)), h.shape[0], stop)
    return south, east


@kernel
def _blur_down_rows(a, out, row0, row1, weights):
    """Rows of a filter along the columns, mirrored at the edges."""
    rows, columns = a.shape
    total = np.empty(columns)
    for r in range(row0, row1):
        for c in range(columns):
            total[c] = weights[0] * a[r, c]
        for k in range(1, len(weights)):
            up, down = mirror(r - k, rows), mirror(r + k, rows)
            w = weights[k]
            for c in range(columns):
                total[c] += w * (a[up, c] + a[down, c])
        for c in range(columns):
            out[r, c] = total[c]


#: Standard deviation in sides of the grid beyond which a blur changes nothing any more.
WIDEST = 1.5


def gaussian(a: np.ndarray, sigma: float, stop: np.ndarray | None = None) -> np.ndarray:
    """Gaussian blur, mirrored at the edges; below a twentieth of a sample nothing happens, and above WIDEST times the
    grid's longer side it is the mean of all but for a hundred-thousandth, however much wider.

    Parameters
    ----------
    a :
        (rows, columns) float32.
    sigma :
        standard deviation in samples; three of them are looked at.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (rows, columns) float32.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    if sigma < 0.05:
        return a
    sigma = min(sigma, WIDEST * max(a.shape))
    reach = max(1, math.ceil(3 * sigma))
    weights = np.exp(-0.5 * (np.arange(reach + 1) / sigma) ** 2)
    weights /= weights[0] + 2 * weights[1:].sum()
    across = np.empty(a.shape, np.float32)
    over_rows(lambda r0, r1: _blur_rows(a, across, r0, r1, weights), a.shape[0], stop)
    down = np.empty(a.shape, np.float32)
    over_rows(lambda r0, r1: _blur_down_rows(across, down, r0, r1, weights), a.shape[0], stop)
    return down


def volume(a: np.ndarray) -> float:
    """Sum of a map of depths over the site: samples on an edge stand for half a cell, corners for a quarter.

    Parameters
    ----------
    a :
        (rows, columns), metres.

    Returns
    -------
    Metres times cells.
    """
    rows = a.sum(axis=1, dtype=np.float64) - 0.5 * (a[:, 0].astype(np.float64) + a[:, -1])
    return float(rows.sum() - 0.5 * (rows[0] + rows[-1]))
