"""Loose material on rock: stones, snow. It slides where the surface is steeper than it can stand, and none is lost.

Two sweeps a pass, both over rows that are read only: how much of what would leave a cell is there to leave, then
what every cell gains and loses. Every transfer is taken once and given once, so the sum stays, whatever the number
of threads. Rows are worked one neighbour at a time, which the processor does several cells at once.

"""

from __future__ import annotations

import numpy as np

from .bands import kernel, over_rows
from .flow import DX, DY, FAR, NEAR

#: Share of an excess of height that moves in one pass to one neighbour; eight neighbours stay stable below 1/16.
RATE = 0.055


@kernel
def _neighbours(a, r, k):
    """Row r of an array without the column that has no neighbour in direction k, and the neighbours' row; one is
    empty at the edge."""
    first, last = max(0, -DX[k]), a.shape[1] - max(0, DX[k])
    if not 0 <= r + DY[k] < a.shape[0]:
        return a[r, :0], a[r, :0]
    return a[r, first:last], a[r + DY[k], first + DX[k] : last + DX[k]]


@kernel
def _share_rows(top, loose, share, row0, row1, limit):
    """The share of what would slide off each cell that is there as loose material. top: surface in m; limit: fall
    between cells in m."""
    going = np.empty(top.shape[1], np.float32)
    rate = np.float32(RATE)
    for r in range(row0, row1):
        going[:] = 0.0
        for k in range(8):
            here, there = _neighbours(top, r, k)
            out, most = going[max(0, -DX[k]) :], np.float32(limit * FAR[k])
            for c in range(len(here)):
                out[c] += max(here[c] - there[c] - most, np.float32(0.0))
        for c in range(len(going)):
            out_of = rate * going[c]
            share[r, c] = 1.0 if out_of <= loose[r, c] else loose[r, c] / out_of


@kernel
def _slide_rows(top, loose, share, out, row0, row1, limit):
    change = np.empty(top.shape[1], np.float32)
    for r in range(row0, row1):
        change[:] = 0.0
        for k in range(8):
            here, there = _neighbours(top, r, k)
            ours, theirs = _neighbours(share, r, k)
            moved, most = change[max(0, -DX[k]) :], np.float32(limit * FAR[k])
            for c in range(len(here)):
                fall = here[c] - there[c]
                moved[c] += max(-fall - most, np.float32(0.0)) * theirs[c] - max(fall - most, np.float32(0.0)) * ours[c]
        for c in range(len(change)):
            out[r, c] = max(np.float32(0.0), loose[r, c] + np.float32(RATE) * change[c])


@kernel
def _break_rows(top, rock, loose, left, fresh, gain, row0, row1, limit, rate):
    """Rock that stands steeper than the limit over its lowest neighbour breaks, as far as there is rock left to
    break."""
    steep = np.empty(top.shape[1], np.float32)
    for r in range(row0, row1):
        steep[:] = -1e9
        for k in range(8):
            here, there = _neighbours(top, r, k)
            out, near = steep[max(0, -DX[k]) :], np.float32(NEAR[k])
            for c in range(len(here)):
                out[c] = max(out[c], (here[c] - there[c]) * near)
        for c in range(len(steep)):
            take = max(
                np.float32(0.0),
                min(left[r, c], np.float32(rate) * (steep[c] - np.float32(limit) - np.float32(2.0) * loose[r, c])),
            )
            fresh[r, c], gain[r, c] = rock[r, c] - take, loose[r, c] + take


def settle(
    rock: np.ndarray, loose: np.ndarray, left: np.ndarray | None, limit: float, dx: float, passes: int, stop=None
):
    """Lets rock break and loose material slide until it stands; the sum of both is kept.

    Parameters
    ----------
    rock, loose :
        (rows, columns) float32, height of rock and depth of what lies on it, metres.
    left :
        metres of rock that may still break, or None: none does.
    limit :
        rise over run that material can stand.
    dx :
        metres between samples.
    passes :
        how often.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (rock, loose), metres.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    Musgrave, F. K., Kolb, C. E. and Mace, R. S. (1989): The synthesis and rendering of eroded fractal terrains.
    """
    rows, fall = rock.shape[0], float(limit * dx)
    share, out, loose = np.empty_like(rock), np.empty_like(rock), loose.copy()  # the caller's stays as it is
    top = rock + loose
    for _ in range(passes):
        if left is not None:
            fresh, gain = np.empty_like(rock), np.empty_like(rock)
            over_rows(lambda a, b: _break_rows(top, rock, loose, left, fresh, gain, a, b, fall, 0.22), rows, stop)
            left = left - (rock - fresh)
            rock, loose = fresh, gain
        over_rows(lambda a, b: _share_rows(top, loose, share, a, b, fall), rows, stop)
        over_rows(lambda a, b: _slide_rows(top, loose, share, out, a, b, fall), rows, stop)
        loose, out = out, loose
        np.add(rock, loose, out=top)
    return rock, loose
