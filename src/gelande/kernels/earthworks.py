"""Earthworks: ground that is cut and filled to a line or a level, with banks."""

from __future__ import annotations

import math

import numpy as np

from .bands import check, kernel, over_rows
from .grid_window import GridWindow

#: Pieces of a line that are looked at together.
TOGETHER = 24


def graded(heights: np.ndarray, places: np.ndarray, grade: float, over: float) -> np.ndarray:
    """Heights along a line, evened out and nowhere steeper than a grade: the middle between the lowest line of that
    grade above them and the highest one below (McShane 1934).

    Parameters
    ----------
    heights :
        (n,) metres, of the ground.
    places :
        (n,) metres along the line, rising.
    grade :
        metres a metre at most.
    over :
        metres over which they are evened out.

    Returns
    -------
    (n,) float64, metres.
    """
    h, s = np.asarray(heights, np.float64), np.asarray(places, np.float64)
    half = over / 2
    if half > 0 and len(s) > 2:
        # a running mean over metres, by the integral of the line between its points
        area = np.concatenate([[0.0], np.cumsum((h[1:] + h[:-1]) / 2 * np.diff(s))])
        low, high = np.maximum(s - half, s[0]), np.minimum(s + half, s[-1])
        reach = np.minimum(s - low, high - s)  # even to both sides, so that the ends stay
        a, b = s - reach, s + reach
        mean = (np.interp(b, s, area) - np.interp(a, s, area)) / np.maximum(b - a, 1e-9)
        h = np.where(b - a > 1e-6, mean, h)
    upper, lower = h.copy(), h.copy()
    for k in range(1, len(h)):
        step = grade * (s[k] - s[k - 1])
        lower[k], upper[k] = min(lower[k], lower[k - 1] + step), max(upper[k], upper[k - 1] - step)
    for k in range(len(h) - 2, -1, -1):
        step = grade * (s[k + 1] - s[k])
        lower[k], upper[k] = min(lower[k], lower[k + 1] + step), max(upper[k], upper[k + 1] - step)
    return (lower + upper) / 2


def _groups(line: np.ndarray) -> np.ndarray:
    """Circles round some pieces of a line each, and their lowest and highest: (n, 7) of east, north, radius, low, high,
    first point, last point."""
    found = []
    for first in range(0, len(line) - 1, TOGETHER):
        last = min(first + TOGETHER, len(line) - 1)
        part = line[first : last + 1]
        middle = (part[:, :2].min(axis=0) + part[:, :2].max(axis=0)) / 2
        radius = float(np.hypot(*(part[:, :2] - middle).T).max()) * (1 + 1e-9) + 1e-9
        found.append((*middle, radius, part[:, 2].min(), part[:, 2].max(), first, last))
    return np.array(found, np.float64)


@kernel
def _road_rows(h, out, away, line, groups, half, cut, fill, near_by, row0, row1, place, stop):
    """Rows of ground with a road. line: (n, 3) metres east, north and height of its points; away: metres to the line,
    written, right up to near_by; place: (first row and column of the window, metres from north to south, metres
    between samples). Pieces whose banks end before they come to a sample are left out a group at a time."""
    top, left, depth, dx = place
    columns = h.shape[1]
    for r in range(row0, row1):
        if stop[0]:
            return
        y = depth - (top + r) * dx
        for c in range(columns):
            x, here = (left + c) * dx, h[r, c]
            near, level, low, high = 1e30, 0.0, -1e30, 1e30
            # the nearest group first: then hardly another one has an effect
            first, nearest = 0, 1e30
            for g in range(groups.shape[0]):
                apart = max(abs(x - groups[g, 0]), abs(y - groups[g, 1])) - groups[g, 2]
                if apart < nearest:
                    first, nearest = g, apart
            for turn in range(groups.shape[0] + 1):
                g = first if turn == 0 else turn - 1
                if turn > 0 and g == first:
                    continue
                # never more than it is
                apart = max(abs(x - groups[g, 0]), abs(y - groups[g, 1])) - groups[g, 2]
                beside = max(0.0, apart - half)
                if (
                    apart > min(near, near_by)
                    and groups[g, 3] + cut * beside >= min(high, here)
                    and groups[g, 4] - fill * beside <= max(low, here)
                ):
                    continue
                for k in range(int(groups[g, 5]), int(groups[g, 6])):
                    x0, y0 = line[k, 0], line[k, 1]
                    ax, ay = line[k + 1, 0] - x0, line[k + 1, 1] - y0
                    t = min(1.0, max(0.0, ((x - x0) * ax + (y - y0) * ay) / max(ax * ax + ay * ay, 1e-12)))
                    d = math.hypot(x - x0 - t * ax, y - y0 - t * ay)
                    z = line[k, 2] + t * (line[k + 1, 2] - line[k, 2])
                    if d < near:
                        near, level = d, z
                    beside = max(0.0, d - half)
                    low, high = max(low, z - fill * beside), min(high, z + cut * beside)
            away[r, c] = near
            out[r, c] = level if near <= half else min(max(here, low), max(high, low))


def road(
    h: np.ndarray,
    line: np.ndarray,
    width: float,
    banks: tuple[float, float],
    near_by: float,
    window: GridWindow,
    depth: float,
    dx: float,
    stop: np.ndarray | None = None,
) -> tuple[np.ndarray, np.ndarray]:
    """A height with a road along a line: level across, with banks up to and down to the ground beside.

    Parameters
    ----------
    h :
        (rows, columns) float32, metres.
    line :
        (n, 3) metres east, north and height.
    width :
        metres, of the road.
    banks :
        tangents of the slopes of cut and of fill.
    near_by :
        metres from the line up to which distances are told.
    window :
        what h holds.
    depth, dx :
        metres from north to south of the site, and between samples.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (height in metres, metres to the line, where it is nearer than that), float32.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    h = np.ascontiguousarray(h, np.float32)
    out, away = np.empty_like(h), np.empty_like(h)
    stop = np.zeros(1, np.uint8) if stop is None else stop
    place = (float(window.top), float(window.left), float(depth), float(dx))
    line = np.ascontiguousarray(line, np.float64)
    how = (line, _groups(line), 0.5 * float(width), float(banks[0]), float(banks[1]), float(near_by))
    over_rows(lambda a, b: _road_rows(h, out, away, *how, a, b, place, stop), h.shape[0], stop, 16)
    check(stop)
    return out, away


def levelled(h: np.ndarray, inside: np.ndarray, level: float, banks: tuple[float, float]) -> np.ndarray:
    """A height with ground made level.

    Parameters
    ----------
    h :
        (rows, columns) float32, metres.
    inside :
        (rows, columns) float32, metres from its edge, above zero inside.
    level :
        metres.
    banks :
        tangents of the slopes of cut and of fill.

    Returns
    -------
    (rows, columns) float32, metres.
    """
    beside = np.maximum(-inside, 0)
    low, high = level - np.float32(banks[1]) * beside, level + np.float32(banks[0]) * beside
    return np.where(inside >= 0, np.float32(level), np.clip(h, low, high)).astype(np.float32)
