"""Distances to the edge of a mask."""

from __future__ import annotations

import numpy as np

from .bands import kernel, over_rows

#: Samples that stand for no edge in a column.
NONE = 1e6


@kernel
def _down_columns(inside, away, column0, column1):
    """Samples to the nearest one of the other side in its own column."""
    rows = inside.shape[0]
    for c in range(column0, column1):
        # a forward and a backward sweep find the nearest edge above and below (one-dimensional case)
        away[0, c] = NONE
    for r in range(1, rows):
        for c in range(column0, column1):
            away[r, c] = 1.0 if inside[r, c] != inside[r - 1, c] else away[r - 1, c] + 1.0
    for r in range(rows - 2, -1, -1):
        for c in range(column0, column1):
            up = 1.0 if inside[r, c] != inside[r + 1, c] else away[r + 1, c] + 1.0
            away[r, c] = min(away[r, c], up)


@kernel
def _envelope(inside, away, out, at, ends, r, side):
    """Squared distances along a row for the samples of one side: the lower envelope of a parabola over each column.
    Samples of the other side are targets themselves."""
    columns = inside.shape[1]
    k = -1
    for q in range(columns):
        # height of the parabola's foot: the squared distance within its own column
        f = away[r, q] ** 2 if inside[r, q] == side else 0.0
        if f >= NONE * NONE:
            continue
        start = -1e30
        while k >= 0:
            p = at[k]
            g = away[r, p] ** 2 if inside[r, p] == side else 0.0
            # column at which parabola q comes to lie below parabola p
            start = (f + q * q - g - p * p) / (2.0 * (q - p))
            # p is still lowest somewhere; otherwise it is hidden by q and the one before it
            if start > ends[k]:
                break
            k -= 1
        if k < 0:
            start = -1e30
        k += 1
        at[k], ends[k] = q, start
    if k < 0:
        return
    last, k = k, 0
    for q in range(columns):
        if inside[r, q] == side:
            # parabolas in order of the columns in which they are lowest
            while k < last and ends[k + 1] < q:
                k += 1
            p = at[k]
            g = away[r, p] ** 2 if inside[r, p] == side else 0.0
            out[r, q] = (q - p) ** 2 + g


@kernel
def _along_rows(inside, away, out, row0, row1):
    """Rows of squared distances to the other side, from those down the columns."""
    columns = inside.shape[1]
    at, ends = np.empty(columns, np.int64), np.empty(columns, np.float64)
    for r in range(row0, row1):
        for c in range(columns):
            out[r, c] = NONE * NONE
        for side in (0, 1):
            _envelope(inside, away, out, at, ends, r, side)


@kernel
def _signed_rows(mask, inside, squared, out, row0, row1, threshold, dx, most):
    """Rows of signed distances in metres, with the edge where the mask's grey says."""
    rows, columns = mask.shape
    for r in range(row0, row1):
        a, b = max(0, r - 1), min(rows - 1, r + 1)
        for c in range(columns):
            # the edge lies half a sample before the nearest sample of the other side
            d = 0.5 - squared[r, c] ** 0.5 if inside[r, c] else squared[r, c] ** 0.5 - 0.5
            if abs(d) < 0.75:
                w, e = max(0, c - 1), min(columns - 1, c + 1)
                gy, gx = (mask[b, c] - mask[a, c]) / (b - a), (mask[r, e] - mask[r, w]) / (e - w)
                steep = (gx * gx + gy * gy) ** 0.5
                # a mask with a soft edge says more exactly where it passes the grey: one Newton step
                if steep > 0.02:
                    d = min(1.0, max(-1.0, (threshold - mask[r, c]) / steep))
            out[r, c] = min(most, max(-most, d * dx))


def to_edge(mask: np.ndarray, threshold: float, dx: float, most: float, stop=None) -> np.ndarray:
    """Signed distance to where a mask crosses a grey, by the nearest sample on the other side; where the mask passes
    the grey between samples, the greys on either side say where.

    Parameters
    ----------
    mask :
        (rows, columns) float32, 0 to 1, at least 2 a side.
    threshold :
        the grey, 0 to 1; what is at least as bright is inside.
    dx :
        metres between samples.
    most :
        metres beyond which no distance counts; also what is told where there is no edge at all.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (rows, columns) float32, metres: positive outside, negative inside, held within the most.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    Felzenszwalb, P. F. and Huttenlocher, D. P. (2012): Distance transforms of sampled functions.
    """
    inside = (mask >= np.float32(threshold)).astype(np.uint8)
    if inside.all() or not inside.any():
        return np.full(mask.shape, -most if inside.all() else most, np.float32)
    away, squared = np.empty(mask.shape, np.float32), np.empty(mask.shape, np.float64)
    out = np.empty(mask.shape, np.float32)
    over_rows(lambda a, b: _down_columns(inside, away, a, b), mask.shape[1], stop)
    over_rows(lambda a, b: _along_rows(inside, away, squared, a, b), mask.shape[0], stop)
    edge = (float(threshold), float(dx), float(most))
    over_rows(lambda a, b: _signed_rows(mask, inside, squared, out, a, b, *edge), mask.shape[0], stop)
    return out
