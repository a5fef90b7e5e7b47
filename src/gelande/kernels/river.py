"""A river's ground: how far samples lie from its line, what old bends left, and the lowest way across a land."""

from __future__ import annotations

from collections.abc import Sequence

import numpy as np
from scipy.ndimage import gaussian_filter
from scipy.sparse import coo_matrix
from scipy.sparse.csgraph import dijkstra

from .bands import check, kernel, over_rows
from .grid_window import GridWindow
from .water import filled_depressions

#: Rows of a band.
BAND = 32
#: How many crossings of the site a climb over the whole relief is as dear as: what climbs is a gorge, or a dam.
CLIMBS = 12.0
#: How much dearer the highest ground is than the lowest.
HIGH = 40.0


@kernel
def _beside_rows(side, where, line, reach, row0, row1, place):
    """Rows of distances to a line, above zero to its left, and of where along it the nearest point is, in points."""
    top, left, depth, dx = place
    px, py = line
    columns = side.shape[1]
    best = np.full((row1 - row0, columns), reach * reach)
    for k in range(len(px) - 1):
        x0, y0 = px[k], py[k]
        ax, ay = px[k + 1] - x0, py[k + 1] - y0
        r0 = max(row0, int((depth - max(y0, py[k + 1]) - reach) / dx) - top)
        r1 = min(row1, int((depth - min(y0, py[k + 1]) + reach) / dx) + 2 - top)
        c0 = max(0, int((min(x0, px[k + 1]) - reach) / dx) - left)
        c1 = min(columns, int((max(x0, px[k + 1]) + reach) / dx) + 2 - left)
        along = 1.0 / max(ax * ax + ay * ay, 1e-12)
        for r in range(r0, r1):
            y = depth - (top + r) * dx - y0
            for c in range(c0, c1):
                x = (left + c) * dx - x0
                t = min(1.0, max(0.0, (x * ax + y * ay) * along))
                d = (x - t * ax) ** 2 + (y - t * ay) ** 2
                if d < best[r - row0, c]:
                    best[r - row0, c] = d
                    side[r, c] = d**0.5 if ax * y - ay * x >= 0.0 else -(d**0.5)
                    where[r, c] = k + t


def beside(
    line: np.ndarray, reach: float, window: GridWindow, depth: float, dx: float, stop: np.ndarray | None = None
) -> tuple[np.ndarray, np.ndarray]:
    """Distance to a line and the side of it that a place lies on.

    Parameters
    ----------
    line :
        (n, 2), east and north, metres, in its direction.
    reach :
        metres; what is farther is given as this.
    window :
        samples that are wanted.
    depth, dx :
        metres from north to south of the site, and between samples.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (metres, above zero to the left of the line; place along the line, in points from its first), float32.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    side, where = np.full(window.shape, reach, np.float32), np.zeros(window.shape, np.float32)
    points = np.ascontiguousarray(line[:, 0], np.float64), np.ascontiguousarray(line[:, 1], np.float64)
    place = (window.top, window.left, float(depth), float(dx))
    over_rows(lambda a, b: _beside_rows(side, where, points, float(reach), a, b, place), window.height, stop, BAND)
    check(stop)
    return side, where


@kernel
def _hollow_rows(deep, level, lines, first, kinds, row0, row1, place):
    """Rows of what old lines left: the deepest hollow of any, and the level of the water in it."""
    top, left, depth, dx = place
    columns = deep.shape[1]
    for i in range(len(first) - 1):
        half, most, water = kinds[i, 0], kinds[i, 1], kinds[i, 2]
        for k in range(first[i], first[i + 1] - 1):
            x0, y0 = lines[k, 0], lines[k, 1]
            ax, ay = lines[k + 1, 0] - x0, lines[k + 1, 1] - y0
            r0 = max(row0, int((depth - max(y0, y0 + ay) - half) / dx) - top)
            r1 = min(row1, int((depth - min(y0, y0 + ay) + half) / dx) + 2 - top)
            c0 = max(0, int((min(x0, x0 + ax) - half) / dx) - left)
            c1 = min(columns, int((max(x0, x0 + ax) + half) / dx) + 2 - left)
            along = 1.0 / max(ax * ax + ay * ay, 1e-12)
            for r in range(r0, r1):
                y = depth - (top + r) * dx - y0
                for c in range(c0, c1):
                    x = (left + c) * dx - x0
                    t = min(1.0, max(0.0, (x * ax + y * ay) * along))
                    u = ((x - t * ax) ** 2 + (y - t * ay) ** 2) / (half * half)
                    if u < 1.0:
                        here = most * (1.0 - u) ** 2
                        if here > deep[r, c]:
                            deep[r, c], level[r, c] = here, water


def hollows(
    lines: list[np.ndarray],
    kinds: np.ndarray,
    window: GridWindow,
    depth: float,
    dx: float,
    stop: np.ndarray | None = None,
) -> tuple[np.ndarray, np.ndarray]:
    """What old lines of a river left in its plain.

    Parameters
    ----------
    lines :
        (n, 2) each, east and north, metres.
    kinds :
        (lines, 3) metres: half the width of its hollow, how deep it is, and the level of the water that stands in it.
    window :
        samples that are wanted.
    depth, dx :
        metres from north to south of the site, and between samples.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (depth of the deepest hollow, 0 where there is none; level of its water), metres, float32.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    deep, level = np.zeros(window.shape, np.float32), np.zeros(window.shape, np.float32)
    if lines:
        first = np.concatenate([[0], np.cumsum([len(one) for one in lines])]).astype(np.int64)
        points, kinds = np.ascontiguousarray(np.concatenate(lines), np.float64), np.ascontiguousarray(kinds, np.float64)
        place = (window.top, window.left, float(depth), float(dx))
        over_rows(lambda a, b: _hollow_rows(deep, level, points, first, kinds, a, b, place), window.height, stop, BAND)
    check(stop)
    return deep, level


def lowest_way(
    h: np.ndarray, sides: Sequence[int], dx: float, aside: float, broad: float, stop: np.ndarray | None = None
) -> np.ndarray:
    """The way across a land that climbs least and keeps to low ground: by the cheapest path over its samples, from one
    side of it to the other.

    Parameters
    ----------
    h :
        (rows, columns), metres.
    sides :
        by which it may leave, 0 to 3 for north, east, south, west; it begins on the one across. Of several it is the
        one with the cheapest way.
    dx :
        metres between samples.
    aside :
        share of the side's half by which it begins and ends right of its middle, as far as the land allows.
    broad :
        metres of ground on each side that count as well.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (n, 2), east and north, metres.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    full = filled_depressions(np.ascontiguousarray(h, np.float32), stop)[0]
    # a closed hollow is no low ground: water must stand as high as its rim to leave it
    h, full = (gaussian_filter(a.astype(np.float64), 0.6 * broad / dx, mode="nearest") for a in (h, full))
    rows, columns = h.shape
    low, high = np.percentile(h, (2, 98))
    relief = max(high - low, 1e-6)
    # squared, so that a long way round on low ground is better than a short one over a rise
    dear = 1 + HIGH * np.clip((full - low) / relief, 0, 2) ** 2
    climbs = CLIMBS * max(rows, columns) / relief
    ways = []
    for side in sides:
        check(stop)
        ways.append(_way(h, dear, climbs, side, aside))
    cells = min(ways, key=lambda way: way[0])[1]
    return np.stack([cells % columns * dx, (rows - 1 - cells // columns) * dx], 1).astype(np.float64)


def _way(h: np.ndarray, dear: np.ndarray, climbs: float, side: int, aside: float) -> tuple[float, np.ndarray]:
    """(cost, cells in order) of the cheapest way to a side. dear: of a sample; climbs: of a metre up."""
    rows, columns = h.shape
    cell = np.arange(rows * columns).reshape(rows, columns)
    starts, ends = _sides(cell, side)
    # it keeps off the sides along which it runs, so that its plain lies on the site
    northward = side % 2 == 0  # or southward: it keeps off the sides in the west and east
    along = columns if northward else rows
    in_from = np.minimum(np.arange(along), np.arange(along)[::-1]) / (0.5 * along)
    shy = 1 + 3 * np.clip(1 - in_from / 0.35, 0, 1) ** 2
    each, up = (dear * (shy[None] if northward else shy[:, None])).ravel(), climbs * h.ravel()
    links = []
    for r, c, far in ((0, 1, 1.0), (1, 0, 1.0), (1, 1, 2**0.5), (1, -1, 2**0.5)):
        a = cell[: rows - r, max(0, -c) : columns - max(0, c)].ravel()
        b = cell[r:, max(0, c) : columns + min(0, c)].ravel()
        cost, rise = far * (each[a] + each[b]) / 2, up[b] - up[a]
        links += [(a, b, cost + np.maximum(rise, 0)), (b, a, cost + np.maximum(-rise, 0))]
    # one place before all where it may begin; the middle of the side is nearest to it
    off = np.abs(np.linspace(-1, 1, len(starts)) - aside) * 0.6 * max(rows, columns)
    links.append((np.full(len(starts), rows * columns), starts, 1e-6 + off))
    a, b, cost = (np.concatenate(one) for one in zip(*links))
    graph = coo_matrix((cost, (a, b)), shape=(rows * columns + 1,) * 2).tocsr()
    away, parent = dijkstra(graph, True, rows * columns, return_predecessors=True)
    at, found = int(ends[np.argmin(away[ends] + off)]), []
    least = float((away[ends] + off).min())
    while 0 <= at < rows * columns:
        found.append(at)
        at = int(parent[at])
    return least, np.array(found[::-1])


def _sides(cell: np.ndarray, side: int) -> tuple[np.ndarray, np.ndarray]:
    """Cells of the sides where a way to a side begins and where it ends, from its left to its right."""
    sides = (cell[0], cell[:, -1], cell[-1, ::-1], cell[::-1, 0])
    return sides[(side + 2) % 4][::-1], sides[side]
