"""Loose material on rock: stones, snow. It slides where the surface is steeper than it can stand, and none is lost.

Two sweeps a pass, both over rows that are read only: how much of what would leave a cell is there to leave, then what
every cell gains and loses. Every transfer is taken once and given once, so the sum stays, whatever the number of threads.
"""

from __future__ import annotations

import numpy as np

from .bands import kernel, over_rows
from .flow import DX, DY, FAR

#: Share of an excess of height that moves in one pass to one neighbour; eight neighbours stay stable below 1/16.
RATE = 0.055


@kernel
def _share_rows(rock, loose, share, row0, row1, limit, dx):
    """The share of what would slide off each cell that is there as loose material."""
    rows, columns = rock.shape
    for r in range(row0, row1):
        for c in range(columns):
            here, going = rock[r, c] + loose[r, c], 0.0
            for k in range(8):
                y, x = r + DY[k], c + DX[k]
                if 0 <= y < rows and 0 <= x < columns:
                    over = here - rock[y, x] - loose[y, x] - limit * dx * FAR[k]
                    if over > 0.0:
                        going += RATE * over
            share[r, c] = 1.0 if going <= 0.0 or going <= loose[r, c] else loose[r, c] / going


@kernel
def _slide_rows(rock, loose, share, out, row0, row1, limit, dx):
    rows, columns = rock.shape
    for r in range(row0, row1):
        for c in range(columns):
            here, change = rock[r, c] + loose[r, c], 0.0
            for k in range(8):
                y, x = r + DY[k], c + DX[k]
                if 0 <= y < rows and 0 <= x < columns:
                    fall = here - rock[y, x] - loose[y, x]
                    most = limit * dx * FAR[k]
                    if fall > most:
                        change -= RATE * (fall - most) * share[r, c]
                    elif -fall > most:
                        change += RATE * (-fall - most) * share[y, x]
            out[r, c] = max(0.0, loose[r, c] + change)


@kernel
def _break_rows(rock, loose, left, fresh, gain, row0, row1, limit, dx, rate):
    """Rock that stands steeper than the limit over its lowest neighbour breaks, as far as there is rock left to break."""
    rows, columns = rock.shape
    for r in range(row0, row1):
        for c in range(columns):
            here, over = rock[r, c] + loose[r, c], 0.0
            for k in range(8):
                y, x = r + DY[k], c + DX[k]
                if 0 <= y < rows and 0 <= x < columns:
                    over = max(over, (here - rock[y, x] - loose[y, x] - limit * dx * FAR[k]) / FAR[k])
            take = max(0.0, min(left[r, c], rate * (over - 2.0 * loose[r, c])))
            fresh[r, c], gain[r, c] = rock[r, c] - take, loose[r, c] + take


def settle(rock: np.ndarray, loose: np.ndarray, left: np.ndarray | None, limit: float, dx: float, passes: int, stop=None):
    """Lets rock break and loose material slide. limit: rise over run that it can stand; left: metres of rock that may still
    break (None: none does). Returns (rock, loose), heights and depths in metres; the sum of both is kept.

    Slope failure on a grid after Musgrave, Kolb and Mace (1989), with a loose layer that limits what can move."""
    rows = rock.shape[0]
    share, out, loose = np.empty_like(rock), np.empty_like(rock), loose.copy()  # the caller's stays as it is
    for _ in range(passes):
        if left is not None:
            fresh, gain = np.empty_like(rock), np.empty_like(rock)
            over_rows(lambda a, b: _break_rows(rock, loose, left, fresh, gain, a, b, limit, dx, 0.22), rows, stop)
            left = left - (rock - fresh)
            rock, loose = fresh, gain
        over_rows(lambda a, b: _share_rows(rock, loose, share, a, b, limit, dx), rows, stop)
        over_rows(lambda a, b: _slide_rows(rock, loose, share, out, a, b, limit, dx), rows, stop)
        loose, out = out, loose
        if stop is not None and stop[0]:
            break
    return rock, loose
