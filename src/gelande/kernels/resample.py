"""Other numbers of samples: a raster taken at places between its own."""

from __future__ import annotations

import numpy as np

from .bands import kernel, over_rows
from .grid_window import GridWindow

#: Samples on either side that a place between two looks at.
REACH = 2


@kernel
def _weights(t, cubic, w):
    """Weights of the four samples around a place, t from the second to the third (Keys 1981, a = -1/2)."""
    if cubic:
        w[0] = ((-0.5 * t + 1.0) * t - 0.5) * t
        w[1] = (1.5 * t - 2.5) * t * t + 1.0
        w[2] = ((-1.5 * t + 2.0) * t + 0.5) * t
        w[3] = (0.5 * t - 0.5) * t * t
    else:
        w[0], w[1], w[2], w[3] = 0.0, 1.0 - t, t, 0.0


@kernel
def _resample_rows(src, src_top, src_left, src_rows, src_columns, out, top, left, step, cubic, row0, row1):
    """Rows of a raster taken at other places, by a cubic or linearly."""
    wr, wc = np.empty(4), np.empty(4)
    channels = out.shape[2]
    for r in range(row0, row1):
        y = min((top + r) * step, src_rows - 1.0)
        i = min(int(y), src_rows - 2)
        _weights(y - i, cubic, wr)
        for c in range(out.shape[1]):
            x = min((left + c) * step, src_columns - 1.0)
            j = min(int(x), src_columns - 2)
            _weights(x - j, cubic, wc)
            for k in range(channels):
                total = 0.0
                for a in range(4):
                    if wr[a] != 0.0:
                        # held at the edges of the grid
                        rr = min(max(i - 1 + a, 0), src_rows - 1) - src_top
                        part = 0.0
                        for b in range(4):
                            if wc[b] != 0.0:
                                part += wc[b] * src[rr, min(max(j - 1 + b, 0), src_columns - 1) - src_left, k]
                        total += wr[a] * part
                out[r, c, k] = total


@kernel
def _off_rows(src, src_top, src_left, out, top, left, step, off, row0, row1):
    """Largest and squared differences of rows to a raster that is drawn linearly between other samples."""
    last_r, last_c = top + out.shape[0] - 1, left + out.shape[1] - 1
    for r in range(row0, row1):
        y = (src_top + r) / step
        if y < top or y > last_r + 1e-9:
            continue
        i = min(int(y), last_r - 1)
        v = y - i
        for c in range(src.shape[1]):
            x = (src_left + c) / step
            if x < left or x > last_c + 1e-9:
                continue
            j = min(int(x), last_c - 1)
            u = x - j
            for k in range(src.shape[2]):
                above = out[i - top, j - left, k] * (1 - u) + out[i - top, j + 1 - left, k] * u
                below = out[i + 1 - top, j - left, k] * (1 - u) + out[i + 1 - top, j + 1 - left, k] * u
                d = abs(above * (1 - v) + below * v - src[r, c, k])
                off[r, 0] = max(off[r, 0], d)
                off[r, 1] += d * d
                off[r, 2] += 1.0


def source_of(window: GridWindow, grid: tuple[int, int], step: float) -> GridWindow:
    """Window of the samples that a window is taken from.

    Parameters
    ----------
    window :
        of the new grid.
    grid :
        rows and columns of the old grid.
    step :
        old spacings from one new sample to the next.

    Returns
    -------
    GridWindow of the old grid.
    """
    ends = (
        int(window.top * step) - REACH,
        int((window.top + window.height - 1) * step) + REACH + 2,
        int(window.left * step) - REACH,
        int((window.left + window.width - 1) * step) + REACH + 2,
    )
    return GridWindow.between(*ends, grid)


def resampled(
    data: np.ndarray, held: GridWindow, window: GridWindow, step: float, cubic: bool, stop=None
) -> np.ndarray:
    """A raster at other places, by cubic convolution or linearly.

    Parameters
    ----------
    data :
        (rows, columns) or (rows, columns, channels) float32, on the window ``held`` of the old grid, which covers what
        source_of gives.
    held :
        GridWindow of the old grid.
    window :
        of the new grid; what is found depends on its samples' places only, not on the window.
    step :
        old spacings from one new sample to the next, 1 to 2.
    cubic :
        whether to convolve with a cubic, which keeps slopes; else results lie between those around.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    float32, of the window's shape and as many channels.

    Raises
    ------
    Stopped :
        when a stop was asked for.

    References
    ----------
    Keys, R. G. (1981): Cubic convolution interpolation for digital image processing.
    """
    flat = np.ascontiguousarray(data, np.float32)
    flat = flat if flat.ndim == 3 else flat[..., None]
    out = np.empty((*window.shape, flat.shape[2]), np.float32)
    rest = (flat, held.top, held.left, held.rows, held.columns, out, window.top, window.left, float(step), cubic)
    over_rows(lambda a, b: _resample_rows(*rest, a, b), window.height, stop)
    return out if data.ndim == 3 else out[..., 0]


def distance(data: np.ndarray, held: GridWindow, out: np.ndarray, window: GridWindow, step: float, stop=None):
    """Distance of a raster from another at the other's samples, when it is drawn linearly between its own.

    Parameters
    ----------
    data :
        on the window ``held`` of the old grid.
    held :
        GridWindow of the old grid.
    out :
        what was taken from it, on ``window`` of the new grid.
    window :
        GridWindow of the new grid; at least 2 x 2 samples.
    step :
        old spacings from one new sample to the next.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (largest difference, sum of their squares, how many there are).

    Raises
    ------
    Stopped :
        when a stop was asked for.
    """
    flat, made = (np.ascontiguousarray(a, np.float32) for a in (data, out))
    flat, made = (a if a.ndim == 3 else a[..., None] for a in (flat, made))
    off = np.zeros((held.height, 3))
    rest = (flat, held.top, held.left, made, window.top, window.left, float(step), off)
    over_rows(lambda a, b: _off_rows(*rest, a, b), held.height, stop)
    return float(off[:, 0].max()), float(off[:, 1].sum()), float(off[:, 2].sum())
