"""Transfers between a level and the next on vertex-centred grids, where shared samples stay where they are."""

from __future__ import annotations

import math

import numpy as np

from .bands import kernel, over_rows
from .grid_window import GridWindow


@kernel
def _up_rows(a, out, row0, row1, smooth):
    """Rows of the finer grid. Midpoints by the four-point cubic (-1, 9, 9, -1)/16, or halves when not smooth."""
    rows, columns = a.shape
    line = np.empty(columns)
    for r in range(row0, row1):
        q = r >> 1
        if r & 1 == 0:
            for c in range(columns):
                line[c] = a[q, c]
        elif smooth and q > 0 and q + 2 < rows:
            for c in range(columns):
                line[c] = (9.0 * (a[q, c] + a[q + 1, c]) - a[q - 1, c] - a[q + 2, c]) * 0.0625
        elif smooth and rows > 2:
            s = q + 2 if q == 0 else q - 1
            n, f = (q, q + 1) if q == 0 else (q + 1, q)
            for c in range(columns):
                line[c] = 0.375 * a[n, c] + 0.75 * a[f, c] - 0.125 * a[s, c]
        else:
            for c in range(columns):
                line[c] = 0.5 * (a[q, c] + a[q + 1, c])
        for c in range(columns):
            out[r, 2 * c] = line[c]
        for c in range(columns - 1):
            if smooth and 0 < c < columns - 2:
                out[r, 2 * c + 1] = (9.0 * (line[c] + line[c + 1]) - line[c - 1] - line[c + 2]) * 0.0625
            else:
                out[r, 2 * c + 1] = 0.5 * (line[c] + line[c + 1])
        if smooth and columns > 2:
            e = columns - 1
            out[r, 1] = 0.375 * line[0] + 0.75 * line[1] - 0.125 * line[2]
            out[r, 2 * e - 1] = 0.375 * line[e] + 0.75 * line[e - 1] - 0.125 * line[e - 2]


def up(a: np.ndarray, smooth: bool = True, stop: np.ndarray | None = None) -> np.ndarray:
    """The array one level finer; shared samples keep their value exactly.

    Parameters
    ----------
    a :
        (rows, columns).
    smooth :
        by four-point cubics, for heights; False: bilinear, which never leaves the range of its samples, for masks.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (2 rows - 1, 2 columns - 1) float32.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    Deslauriers, G. and Dubuc, S. (1989): Symmetric iterative interpolation processes.
    """
    a = np.ascontiguousarray(a, np.float32)
    out = np.empty((2 * a.shape[0] - 1, 2 * a.shape[1] - 1), np.float32)
    over_rows(lambda r0, r1: _up_rows(a, out, r0, r1, smooth), out.shape[0], stop)
    return out


def up_kept(a: np.ndarray, stop: np.ndarray | None = None) -> np.ndarray:
    """As up, but mirrored at the edges, so that the volume over the site stays the same: for what was added or
    taken, not for ground.

    Parameters
    ----------
    a :
        (rows, columns).
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (2 rows - 1, 2 columns - 1) float32.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    return up(np.pad(a, 2, "reflect"), True, stop)[4:-4, 4:-4]


@kernel
def _down_rows(a, out, row0, row1):
    """Rows of a level coarser, by the weights 1 2 1 both ways."""
    rows, columns = a.shape
    for r in range(row0, row1):
        for c in range(out.shape[1]):
            total = 0.0
            for j in range(-1, 2):
                y = abs(2 * r + j)
                y = y if y < rows else 2 * rows - 2 - y
                for i in range(-1, 2):
                    x = abs(2 * c + i)
                    x = x if x < columns else 2 * columns - 2 - x
                    total += a[y, x] * ((2 - abs(j)) * (2 - abs(i))) * 0.0625
            out[r, c] = total


def down(a: np.ndarray) -> np.ndarray:
    """The array one level coarser by full weighting (1, 2, 1)/4 each way, mirrored at the edges.

    Parameters
    ----------
    a :
        (rows, columns), both odd.

    Returns
    -------
    ((rows + 1) / 2, (columns + 1) / 2) float32.
    """
    out = np.empty(((a.shape[0] + 1) // 2, (a.shape[1] + 1) // 2), np.float32)
    over_rows(lambda r0, r1: _down_rows(a, out, r0, r1), out.shape[0])
    return out


def halved(a: np.ndarray) -> np.ndarray:
    """An array on the coarser level; of one that does not end with one of its samples, the last row and column count
    twice.

    Parameters
    ----------
    a :
        (rows, columns), part of a grid that begins at an even row and column.

    Returns
    -------
    (rows / 2, columns / 2), rounded up, and with an even number one more, float32.
    """
    rows, columns = a.shape
    return down(np.pad(a, ((0, 1 - rows % 2), (0, 1 - columns % 2)), "edge"))


@kernel
def mirror(i, n):
    """An index folded back into 0..n-1."""
    if 0 <= i < n:
        return i
    period = 2 * n - 2
    i = abs(i) % period
    return i if i < n else period - i


@kernel
def _cubic_weights(t, weights):
    """Weights of four samples in a row at t between the second and the third (Catmull and Rom 1974)."""
    weights[0] = ((-0.5 * t + 1.0) * t - 0.5) * t
    weights[1] = (1.5 * t - 2.5) * t * t + 1.0
    weights[2] = ((-1.5 * t + 2.0) * t + 0.5) * t
    weights[3] = (0.5 * t - 0.5) * t * t


@kernel
def _sample_rows(maps, tall, wide, top, left, rows, columns, ys, xs, out, row0, row1):
    """maps: (maps, tall * wide), beginning at row ``top`` and column ``left`` of a grid of rows x columns; beyond that
    grid they are mirrored."""
    wy, wx, down, across = np.empty(4), np.empty(4), np.empty(4, np.int64), np.empty(4, np.int64)
    for r in range(row0, row1):
        for c in range(ys.shape[1]):
            yi, xi = int(np.floor(ys[r, c])), int(np.floor(xs[r, c]))
            _cubic_weights(ys[r, c] - yi, wy)
            _cubic_weights(xs[r, c] - xi, wx)
            y, x = yi - 1 - top, xi - 1 - left
            if y >= 0 and x >= 0 and y + 4 <= tall and x + 4 <= wide:
                for i in range(4):
                    down[i], across[i] = (y + i) * wide, x + i
            else:
                for i in range(4):
                    down[i] = min(max(mirror(yi - 1 + i, rows) - top, 0), tall - 1) * wide
                    across[i] = min(max(mirror(xi - 1 + i, columns) - left, 0), wide - 1)
            for k in range(len(maps)):
                here, total = maps[k], 0.0
                for i in range(4):
                    x = across[i]
                    one, two = wy[0] * here[down[0] + x], wy[1] * here[down[1] + x]
                    total += wx[i] * ((one + two) + (wy[2] * here[down[2] + x] + wy[3] * here[down[3] + x]))
                out[k, r, c] = total


def sample_all(
    arrays: list[np.ndarray] | tuple,
    ys: np.ndarray,
    xs: np.ndarray,
    stop: np.ndarray | None = None,
    held: GridWindow | None = None,
) -> np.ndarray:
    """Several arrays at fractional places of a grid, mirrored beyond its edges.

    Parameters
    ----------
    arrays :
        of one shape.
    ys, xs :
        rows and columns of the grid, arrays of one shape.
    stop :
        uint8[1] or None; set when a stop is asked for.
    held :
        the GridWindow that the arrays hold, the whole grid when left out.

    Returns
    -------
    (arrays, rows, columns) float32.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    Catmull, E. and Rom, R. (1974): A class of local interpolating splines.
    """
    shape = arrays[0].shape
    maps, held = np.stack(arrays).reshape(len(arrays), -1), held or GridWindow.of(shape)
    out = np.empty((len(arrays), *ys.shape), np.float32)
    place = (*shape, held.top, held.left, *held.grid)
    over_rows(lambda r0, r1: _sample_rows(maps, *place, ys, xs, out, r0, r1), out.shape[1], stop)
    return out


def sample(
    a: np.ndarray, ys: np.ndarray, xs: np.ndarray, stop: np.ndarray | None = None, held: GridWindow | None = None
) -> np.ndarray:
    """An array at fractional places of a grid, mirrored beyond its edges.

    Parameters
    ----------
    a :
        (rows, columns).
    ys, xs :
        rows and columns of the grid, arrays of one shape.
    stop :
        uint8[1] or None; set when a stop is asked for.
    held :
        the GridWindow that the array holds, the whole grid when left out.

    Returns
    -------
    float32 of the places' shape.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    As sample_all.
    """
    return sample_all([a], ys, xs, stop, held)[0]


def looked_at(ys: np.ndarray, xs: np.ndarray, grid: tuple[int, int]) -> GridWindow:
    """Window that sample() looks at for places that may lie beyond a grid's edges.

    Parameters
    ----------
    ys, xs :
        rows and columns, arrays.
    grid :
        its rows and columns.

    Returns
    -------
    GridWindow of the grid.
    """
    ends: list[tuple[int, int]] = []
    for places, count in ((ys, grid[0]), (xs, grid[1])):
        low, high = math.floor(float(places.min())) - 1, math.floor(float(places.max())) + 3
        if low < 0:  # mirrored to inside; places beyond a second mirror take all
            low, high = (0, max(high, 2 - low)) if -low < count - 1 else (0, count)
        if high > count:
            low, high = (min(low, 2 * count - 2 - high), count) if high < 2 * count - 2 else (0, count)
        ends.append((low, high))
    return GridWindow.between(*ends[0], *ends[1], grid)
