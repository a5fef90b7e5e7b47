"""Points that keep a distance from each other and lie at random otherwise, the same wherever one begins to look.

Each cell of a fixed lattice draws candidates, one a round. A candidate too close to a point of an earlier round is
dropped; of those of one round that are too close to each other the one with the highest lot stays. What becomes of a
candidate depends on a few cells around it only, so that a part of a site has the points of the whole.

References
----------
Bridson, R. (2007): Fast Poisson disk sampling in arbitrary dimensions (the pattern; found here by throwing darts).
Wei, L.-Y. (2008): Parallel Poisson disk sampling (cells that are drawn independently of each other).
"""

from __future__ import annotations

import math
from collections.abc import Callable
from typing import Any

import numpy as np
from scipy.ndimage import maximum_filter1d

from .bands import kernel, over_items
from .noise import hash2, unit

#: Rounds of candidates; more fill the plane hardly any better.
ROUNDS = 8
#: Cells around a candidate that its fate depends on in one round: those with candidates too close, and those too close
#: to these.
REACH = 4
#: Cells along a side of the pieces in which the points of a whole site are found.
TILE = 384
#: Points that there are on an area of the least distance squared, measured over ten million.
FULL = 0.6096


@kernel
def _place(i, j, k, cell, seed):
    """(east, north) of the candidate of a cell in a round."""
    x = (i + unit(hash2(i, j, seed + 7 * k))) * cell
    y = (j + unit(hash2(i, j, seed + 7 * k + 1))) * cell
    return x, y


@kernel
def _near(x, y, i, j, east, north, cells, least):
    """True when a point lies too close to one that is there already."""
    for b in range(max(j - 2, 0), min(j + 3, cells.shape[0])):
        for a in range(max(i - 2, 0), min(i + 3, cells.shape[1])):
            if cells[b, a] > 0 and (east[b, a] - x) ** 2 + (north[b, a] - y) ** 2 < least * least:
                return True
    return False


@kernel
def _round(i0, j0, k, cell, least, seed, needed, east, north, cells, trial):
    """Draws a candidate in every cell that is needed and has no point, and keeps those that may stay."""
    rows, columns = cells.shape
    for j in range(rows):
        for i in range(columns):
            trial[j, i] = -1.0
            if needed[j, i] and cells[j, i] == 0:
                x, y = _place(i0 + i, j0 + j, k, cell, seed)
                if not _near(x, y, i, j, east, north, cells, least):
                    trial[j, i] = unit(hash2(i0 + i, j0 + j, seed + 7 * k + 2))
    for j in range(rows):
        for i in range(columns):
            if trial[j, i] < 0:
                continue
            x, y = _place(i0 + i, j0 + j, k, cell, seed)
            stays = True
            for b in range(max(j - 2, 0), min(j + 3, rows)):
                for a in range(max(i - 2, 0), min(i + 3, columns)):
                    if trial[b, a] > trial[j, i] or (trial[b, a] == trial[j, i] and (b, a) > (j, i)):
                        u, v = _place(i0 + a, j0 + b, k, cell, seed)
                        if (u - x) ** 2 + (v - y) ** 2 < least * least:
                            stays = False
            if stays:
                east[j, i], north[j, i], cells[j, i] = x, y, k + 1


@kernel
def _kept(i0, j0, west, south, right, top, seed, east, north, cells, out):
    """Places of a piece of the plane in which a point is kept, of the cells that reach into it. Returns how many."""
    count = 0
    for j in range(cells.shape[0]):
        for i in range(cells.shape[1]):
            x, y = east[j, i], north[j, i]
            if cells[j, i] > 0 and west <= x < right and south <= y < top:
                out[count, 0], out[count, 1] = x, y
                for k in range(3):
                    out[count, 2 + k] = unit(hash2(i0 + i, j0 + j, seed + 1000 + k))
                count += 1
    return count


def _lattice(west: float, south: float, east: float, north: float, cell: float) -> tuple[int, int, int, int]:
    """First row and column of the cells that a rectangle's points depend on, and how many rows and columns."""
    margin = REACH * ROUNDS
    i0, j0 = math.floor(west / cell) - margin, math.floor(south / cell) - margin
    return j0, i0, math.ceil(north / cell) + margin - j0, math.ceil(east / cell) + margin - i0


def discs(
    west: float,
    south: float,
    east: float,
    north: float,
    least: float,
    seed: int,
    asked: Callable[[np.ndarray, np.ndarray], np.ndarray] | None = None,
) -> np.ndarray:
    """Points in a rectangle that lie no closer to each other than they may, as many as find room.

    Parameters
    ----------
    west, south, east, north :
        of the rectangle, metres; points on its east and north edges belong to the next one.
    least :
        distance, metres.
    seed :
        of the pattern.
    asked :
        of cells' edges, (columns + 1) metres east and (rows + 1) north, in which cells points are asked for (rows,
        columns); the others are found as far as those depend on them. None: everywhere.

    Returns
    -------
    (n, 5) float64: metres east and north, and three lots from 0 to 1 of each point; in order of the lattice's rows.
    """
    cell = least / math.sqrt(2)
    j0, i0, rows, columns = _lattice(west, south, east, north, cell)
    needed = np.ones((rows, columns), np.uint8)
    if asked is not None:
        needed = asked((i0 + np.arange(columns + 1)) * cell, (j0 + np.arange(rows + 1)) * cell).astype(np.uint8)
        for axis in (0, 1):
            needed = maximum_filter1d(needed, 2 * REACH * ROUNDS + 1, axis, mode="constant")
    x, y = np.zeros((rows, columns)), np.zeros((rows, columns))
    cells, trial = np.zeros((rows, columns), np.uint8), np.empty((rows, columns))
    for k in range(ROUNDS):
        _round(i0, j0, k, cell, least, seed, needed, x, y, cells, trial)
    out = np.empty((int((cells > 0).sum()), 5))
    return out[: _kept(i0, j0, west, south, east, north, seed, x, y, cells, out)]


def room(least: float) -> float:
    """Points that find room, a hectare.

    Parameters
    ----------
    least :
        distance between two, metres.

    Returns
    -------
    Their number.
    """
    return FULL / least**2 * 1e4


def scattered(
    share: np.ndarray,
    site: tuple[float, float],
    least: float,
    seed: int,
    stop: np.ndarray | None = None,
) -> np.ndarray:
    """Points of a site, of which a share is taken that differs from place to place; tile by tile, and not where none
    is taken.

    Parameters
    ----------
    share :
        (rows, columns) of the whole site, 0 to 1; bilinear between samples.
    site :
        its width and depth, metres.
    least :
        distance between two, metres.
    seed :
        of the pattern.
    stop :
        uint8[1], set when a stop is asked for.

    Returns
    -------
    (n, 5) as discs() gives them.

    Raises
    ------
    Stopped :
        when a stop was asked for.
    """
    tiles = tiles_of(share, site, least)
    found, sums = [np.empty((0, 5))] * len(tiles), _counted(share)

    def one(k: int) -> None:
        points = discs(*tiles[k], least, seed, lambda east, north: _some(sums, site, east, north))
        found[k] = points[points[:, 2] < _share_at(share, site, points)]

    over_items(one, range(len(tiles)), stop)
    return np.concatenate([np.empty((0, 5)), *found])


def _counted(share: np.ndarray) -> np.ndarray:
    """How many samples above and to the left of each corner between samples are over 0 (a summed-area table)."""
    sums = np.zeros((share.shape[0] + 1, share.shape[1] + 1), np.int64)
    np.cumsum(np.cumsum(share > 0, 0), 1, out=sums[1:, 1:])
    return sums


def _some(sums: np.ndarray, site: tuple[float, float], east: np.ndarray, north: np.ndarray) -> np.ndarray:
    """Cells between edges in metres (from south to north) in which some of a share, as counted, may be over 0."""
    rows, columns = sums.shape[0] - 1, sums.shape[1] - 1
    row, column = (site[1] - north) / site[1] * (rows - 1), east / site[0] * (columns - 1)
    # the samples around each cell, those that it lies between among them
    top, bottom = np.floor(row[1:]).clip(0, rows - 2), np.ceil(row[:-1]).clip(1, rows - 1) + 1
    left, right = np.floor(column[:-1]).clip(0, columns - 2), np.ceil(column[1:]).clip(1, columns - 1) + 1
    t, b, w, e = (a.astype(int) for a in (top, bottom, left, right))
    return sums[b][:, e] - sums[b][:, w] - sums[t][:, e] + sums[t][:, w] > 0


def _share_at(share: np.ndarray, site: tuple[float, float], points: np.ndarray) -> np.ndarray:
    rows, columns = share.shape
    return bilinear(share, (site[1] - points[:, 1]) / site[1] * (rows - 1), points[:, 0] / site[0] * (columns - 1))


def tiles_of(share: np.ndarray, site: tuple[float, float], least: float) -> list[tuple[float, float, float, float]]:
    """Pieces of a site in which points are taken.

    Parameters
    ----------
    share, site, least :
        as of scattered().

    Returns
    -------
    West, south, east and north of each, metres; the last ones hold the site's far edges.
    """
    side, (rows, columns) = TILE * least / math.sqrt(2), share.shape
    found = []
    for j in range(down := math.ceil(site[1] / side)):
        for i in range(across := math.ceil(site[0] / side)):
            west, south = i * side, j * side
            east = site[0] + 1e-6 if i == across - 1 else west + side
            north = site[1] + 1e-6 if j == down - 1 else south + side
            top = max(0, math.floor((site[1] - north) / site[1] * (rows - 1)))
            left = max(0, math.floor(west / site[0] * (columns - 1)))
            bottom = math.ceil((site[1] - south) / site[1] * (rows - 1)) + 1
            right = math.ceil(east / site[0] * (columns - 1)) + 1
            if share[top:bottom, left:right].max(initial=0.0) > 0:
                found.append((west, south, east, north))
    return found


def bilinear(data: Any, row: np.ndarray, column: np.ndarray) -> np.ndarray:
    """Data between samples.

    Parameters
    ----------
    data :
        (rows, columns).
    row, column :
        fractional places; those beyond the edges have what is there.

    Returns
    -------
    An array like row.
    """
    row, column = np.clip(row, 0, data.shape[0] - 1), np.clip(column, 0, data.shape[1] - 1)
    r, c = np.minimum(row.astype(int), data.shape[0] - 2), np.minimum(column.astype(int), data.shape[1] - 2)
    v, u = row - r, column - c
    top = data[r, c] * (1 - u) + data[r, c + 1] * u
    return top * (1 - v) + (data[r + 1, c] * (1 - u) + data[r + 1, c + 1] * u) * v
