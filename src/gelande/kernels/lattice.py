"""A bent lattice: the grid on which whole levels are eroded, so that no row, column or diagonal of it is a straight
line on the land.

Water on a grid can go eight ways only, and on a regular one these ways show: valleys, lake shores and scarps line
up with the grid. On a lattice whose nodes have drifted in a flow of eddies the same eight ways point everywhere.
The flow has no divergence (curl noise, Bridson, Houriham and Nordenstam 2007), so cells keep their area; carried
the other way it leads back.

"""

from __future__ import annotations

import numpy as np

from .bands import kernel, over_rows
from .kept import Kept
from .noise import fractal
from .transfer import sample_all

#: Size of eddies in cells, how far they carry, and over how many cells from the edge they die away.
EDDY, DRIFT, EDGE = 12.0, 16.0, 6.0
#: Steps of a drift: with these, going there and back misses by a tenth of a cell at most.
STEPS = 5
#: Seed of the lattice on which streams and flow are found; they share it.
WATER = 1
#: Bytes of lattices that are kept, about 5 MB each at 513 samples: those of all seeds and whole levels, and of streams.
ROOM = 48_000_000


@kernel
def _at(a, y, x):
    """a at a fractional row and column, bilinear, held at the edges."""
    rows, columns = a.shape
    y, x = min(max(y, 0.0), rows - 1.001), min(max(x, 0.0), columns - 1.001)
    r, c = int(y), int(x)
    v, u = y - r, x - c
    return (a[r, c] * (1 - u) + a[r, c + 1] * u) * (1 - v) + (a[r + 1, c] * (1 - u) + a[r + 1, c + 1] * u) * v


@kernel
def _drift_rows(down, right, time, steps, y, x, row0, row1):
    """Place of each sample after it drifted for a time, by the midpoint rule."""
    step = time / steps
    for r in range(row0, row1):
        for c in range(y.shape[1]):
            py, px = float(r), float(c)
            for _ in range(steps):
                my, mx = py + 0.5 * step * _at(down, py, px), px + 0.5 * step * _at(right, py, px)
                py, px = py + step * _at(down, my, mx), px + step * _at(right, my, mx)
            y[r, c], x[r, c] = py, px


@kernel
def _plots(y, x, out):
    """Share of a square cell that belongs to each node; half a cell's on an edge, a quarter's in a corner."""
    rows, columns = y.shape
    for r in range(rows):
        north, south = max(0, r - 1), min(rows - 1, r + 1)
        for c in range(columns):
            west, east = max(0, c - 1), min(columns - 1, c + 1)
            area = (x[r, east] - x[r, west]) * (y[south, c] - y[north, c]) - (x[south, c] - x[north, c]) * (
                y[r, east] - y[r, west]
            )
            out[r, c] = max(0.25 * area, 0.05)


class Lattice:
    """A bent lattice of a grid's shape.

    y, x: where its nodes lie on the grid; rows, columns: where the grid's samples lie on it (float32 arrays of the
    shape, in cells); plot: the share of a cell that belongs to each node. Nodes on the edge stay there."""

    def __init__(self, shape: tuple[int, int], seed: int, stop: np.ndarray | None = None) -> None:
        away = [np.minimum(1, np.minimum(np.arange(n), np.arange(n)[::-1]) / EDGE) for n in shape]
        ebb = [(a * a * (3 - 2 * a)).astype(np.float32) for a in away]
        stream = (
            fractal(shape, (0.0, 0.0), 1.0, EDDY, 2, gain=0.35, seed=seed + 6101, stop=stop)
            * ebb[0][:, None]
            * ebb[1]
            * np.float32(DRIFT)
        )
        down, right = -np.gradient(stream, axis=1), np.gradient(stream, axis=0)
        self.y, self.x, self.rows, self.columns, self.plot = (np.empty(shape, np.float32) for _ in range(5))
        over_rows(lambda a, b: _drift_rows(down, right, 1.0, STEPS, self.y, self.x, a, b), shape[0], stop)
        over_rows(lambda a, b: _drift_rows(down, right, -1.0, STEPS, self.rows, self.columns, a, b), shape[0], stop)
        _plots(self.y, self.x, self.plot)

    def onto(self, arrays: list[np.ndarray] | tuple[np.ndarray], stop: np.ndarray | None = None) -> np.ndarray:
        """Arrays of the grid at the lattice's nodes: (arrays, rows, columns)."""
        return sample_all(arrays, self.y, self.x, stop)

    def back(self, arrays: tuple, stop: np.ndarray | None = None) -> np.ndarray:
        """Arrays of the lattice at the grid's samples: (arrays, rows, columns)."""
        return sample_all(arrays, self.rows, self.columns, stop)


_kept: Kept[Lattice] = Kept(ROOM)


def bent(shape: tuple[int, int], seed: int, stop: np.ndarray | None = None) -> Lattice:
    """The lattice of a shape and seed, kept for the next time it is asked for.

    Parameters
    ----------
    shape :
        rows and columns.
    seed :
        whole number; another one gives another result of the same kind.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    Lattice.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    Bridson, R., Houriham, J. and Nordenstam, M. (2007): Curl-noise for procedural fluid flow.
    """
    found = _kept.get((shape, seed))
    if found is None:
        found = Lattice(shape, seed, stop)
        _kept.put((shape, seed), found, 5 * found.plot.nbytes)
    return found
