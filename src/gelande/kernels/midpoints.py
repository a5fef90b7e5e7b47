"""A change carried up a level with the roughness that cubics between its samples leave out.

A surface drawn through the samples of a coarser level bends at them and hardly between them: the grid would show as
lines on which the land is rougher. New samples are displaced at random by as much as the change's own samples lie off
the cubic through their neighbours (midpoint displacement: Fournier, Fussell and Carpenter 1982), so that what is smooth
stays smooth, and the whole is softened a little.
"""

from __future__ import annotations

import math

import numpy as np

from .bands import kernel, over_rows
from .grid_window import GridWindow
from .measure import gaussian
from .noise import hash2, unit

#: Samples of the coarser level around one over which it is found how far they lie off.
AROUND = 1.0
#: How far new samples are displaced, as a share of how far the coarser level's lie off, and the samples over which what
#: was carried up is softened.
SHARE, SOFTENED = 0.5, 0.4


@kernel
def _off_rows(a, out, row0, row1):
    """Mean square of how far samples lie off the cubics through their neighbours along rows and columns."""
    rows, columns = a.shape
    for r in range(row0, row1):
        n1, s1, n3, s3 = abs(r - 1), r + 1, abs(r - 3), r + 3
        s1, s3 = min(s1, 2 * rows - 2 - s1), min(s3, 2 * rows - 2 - s3)
        for c in range(columns):
            w1, e1, w3, e3 = abs(c - 1), c + 1, abs(c - 3), c + 3
            e1, e3 = min(e1, 2 * columns - 2 - e1), min(e3, 2 * columns - 2 - e3)
            down = a[r, c] - 0.0625 * (9.0 * (a[n1, c] + a[s1, c]) - a[n3, c] - a[s3, c])
            along = a[r, c] - 0.0625 * (9.0 * (a[r, w1] + a[r, e1]) - a[r, w3] - a[r, e3])
            out[r, c] = 0.5 * (down * down + along * along)


def roughness(change: np.ndarray, stop: np.ndarray | None = None) -> np.ndarray:
    """Distance of samples from the cubics through every second one around them, as a local root mean square.

    Parameters
    ----------
    change :
        (rows, columns) float32, metres, of 7 samples a side or more.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (rows, columns) float32, metres, 0 or more; right six samples from where the array is cut off.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    out = np.empty_like(change)
    over_rows(lambda r0, r1: _off_rows(change, out, r0, r1), out.shape[0], stop)
    return np.sqrt(np.maximum(gaussian(out, AROUND, stop), 0))


@kernel
def _displace_rows(a, rough, top, left, seed, row0, row1, fraction):
    """Rows of a change whose new samples are moved by as much as their surroundings are rough."""
    for r in range(row0, row1):
        y = r + top
        for c in range(a.shape[1]):
            x = c + left
            if y & 1 or x & 1:
                a[r, c] += fraction * rough[r, c] * (2.0 * unit(hash2(x, y, seed)) - 1.0)


def displaced(
    raised: np.ndarray, rough: np.ndarray, window: GridWindow, seed: int, stop: np.ndarray | None = None
) -> np.ndarray:
    """A change carried up to a level, softened, with its new samples displaced.

    Parameters
    ----------
    raised :
        (rows, columns) float32, metres: what cubics make of the coarser level's samples, which are the even ones.
    rough :
        (rows, columns) float32, metres: roughness() of the coarser level's samples there.
    window :
        what raised and rough hold.
    seed :
        another one for each level.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (rows, columns) float32, metres.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    out = gaussian(raised, SOFTENED, stop)
    fraction = SHARE * math.sqrt(3.0)  # of numbers that are spread evenly, whose mean square is a third

    def band(r0: int, r1: int) -> None:
        _displace_rows(out, rough, window.top, window.left, seed, r0, r1, fraction)

    over_rows(band, out.shape[0], stop)
    return out
