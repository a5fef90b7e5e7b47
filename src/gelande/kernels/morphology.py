"""Grey morphology with a disc."""

from __future__ import annotations

import math

import numpy as np

from .bands import kernel, over_rows


@kernel
def _grow_rows(a, out, row0, row1, reach, radius):
    """Rows of the greatest value within a disc."""
    rows, columns = a.shape
    for r in range(row0, row1):
        for c in range(columns):
            out[r, c] = a[r, c]
        for j in range(max(-r, -reach), min(rows - 1 - r, reach) + 1):
            room = int(math.sqrt(max(0.0, (radius + 1.0) * (radius + 1.0) - j * j)))
            for i in range(-min(room, columns - 1), min(room, columns - 1) + 1):
                # The outermost ring counts in part, so that the edge moves smoothly with the radius.
                weight = min(1.0, radius + 1.0 - math.sqrt(j * j + i * i))
                if weight <= 0.0:
                    continue
                there, here = a[r + j, max(0, i) : columns + min(0, i)], out[r, max(0, -i) : columns - max(0, i)]
                for c in range(len(here)):
                    here[c] = max(here[c], np.float32(weight * there[c]))


def grow(a: np.ndarray, radius: float, stop: np.ndarray | None = None) -> np.ndarray:
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
