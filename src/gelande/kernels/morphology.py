"""Grey morphology with a disc."""

from __future__ import annotations

import math

import numpy as np

from .bands import kernel, over_rows


@kernel
def _grow_rows(a, out, row0, row1, reach, radius):
    rows, columns = a.shape
    for r in range(row0, row1):
        for c in range(columns):
            best = a[r, c]
            for j in range(max(0, r - reach), min(rows, r + reach + 1)):
                room = math.sqrt(max(0.0, (radius + 1.0) * (radius + 1.0) - (j - r) * (j - r)))
                for i in range(max(0, c - int(room)), min(columns, c + int(room) + 1)):
                    v = a[j, i]
                    if v > best:
                        # The outermost ring counts in part, so that the edge moves smoothly with the radius.
                        d = math.sqrt((j - r) * (j - r) + (i - c) * (i - c))
                        best = max(best, v * min(1.0, max(0.0, radius + 1.0 - d)))
            out[r, c] = best


def grow(a: np.ndarray, radius: float, stop=None) -> np.ndarray:
    """Grey dilation by a disc; its outermost ring counts in part, so that edges move smoothly with the radius.

    Parameters
    ----------
    a :
        (rows, columns) float32, 0 or more.
    radius :
        in samples, may be fractional.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (rows, columns) float32.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    Serra, J. (1982): Image analysis and mathematical morphology.
    """
    a = np.ascontiguousarray(a, np.float32)
    out = np.empty_like(a)
    over_rows(lambda r0, r1: _grow_rows(a, out, r0, r1, int(math.ceil(radius)), float(radius)), a.shape[0], stop, 16)
    return out
