"""Closed outlines as sampled masks: signed distance to the edge, a feather along it, an edge broken by noise."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from .bands import check, kernel, over_rows
from .curves import remapped
from .grid_window import GridWindow
from .noise import UNFADED, fractal

#: Where a feather lies, and how it rises from its outer end to its inner one.
INWARD, OUTWARD, BOTH_WAYS = "inward", "outward", "both_ways"
PROFILES = {
    "straight": lambda t: t,
    "hollow": lambda t: t * t,
    "bulging": lambda t: t * (2 - t),
    "s": lambda t: t * t * (3 - 2 * t),
}


class Outline(NamedTuple):
    """One closed outline. points: (n, 2) metres east and north, fine enough to be joined by straight pieces; feather:
    metres, on the side; profile: a name of PROFILES or a table of 0 to 1; rough: metres that the edge is broken by,
    in bays of rough_size metres; cut: it is taken out of what lies below."""

    points: np.ndarray
    feather: float
    side: str
    profile: str | np.ndarray
    rough: float
    rough_size: float
    seed: int
    cut: bool


@kernel
def clear(best, row0, row1, column0, column1, far):
    """Sets a part of the scratch for near.

    Parameters
    ----------
    best :
        (rows, columns) float64, written.
    row0, row1, column0, column1 :
        the part.
    far :
        squared metres.

    Returns
    -------
    None.
    """
    for r in range(row0, row1):
        for c in range(column0, column1):
            best[r, c] = far


@kernel
def _across(y, ax, ay, radius):
    """From where to where a row at y passes the ground within a radius of the line from (0, 0) to (ax, ay)."""
    low, high = 1e30, -1e30
    q = radius * radius - y * y
    if q >= 0.0:
        low, high = -(q**0.5), q**0.5
    q = radius * radius - (y - ay) ** 2
    if q >= 0.0:
        low, high = min(low, ax - q**0.5), max(high, ax + q**0.5)
    length = (ax * ax + ay * ay) ** 0.5
    if abs(ay) > 1e-9 * length:
        for side in (-1.0, 1.0):  # the edges beside the line
            cx, cy = -side * radius * ay / length, side * radius * ax / length
            t = (y - cy) / ay
            if 0.0 <= t <= 1.0:
                low, high = min(low, cx + t * ax), max(high, cx + t * ax)
    return low, high


@kernel
def near(best, xs, line, first, last, radius, rows, place):
    """Squared distance to one of many lines, where it is less than what stands there.

    Parameters
    ----------
    best :
        scratch, squared metres, float64; begins at the first of the rows.
    xs :
        metres east of the window's columns.
    line :
        (east, north, ...) of the points of all lines, metres.
    first, last :
        points of this one: first .. last - 1.
    radius :
        metres from the line that count at least.
    rows :
        (first row of the window, row after the last).
    place :
        (row and column of the grid where the window begins, metres from north to south of the site, metres between
        samples).

    Returns
    -------
    None.
    """
    px, py = line[0], line[1]
    top, left, depth, dx = place
    row0, row1 = rows
    for k in range(first, max(first + 1, last - 1)):
        n = min(k + 1, last - 1)
        x0, y0 = px[k], py[k]
        ax, ay = px[n] - x0, py[n] - y0
        along = 1.0 / max(ax * ax + ay * ay, 1e-9)
        r0 = max(row0, int((depth - max(y0, py[n]) - radius) / dx) - top)
        r1 = min(row1, int((depth - min(y0, py[n]) + radius) / dx) + 2 - top)
        c0 = max(0, int((min(x0, px[n]) - radius) / dx) - left)
        c1 = min(best.shape[1], int((max(x0, px[n]) + radius) / dx) + 2 - left)
        for r in range(r0, r1):
            y = depth - (top + r) * dx - y0
            low, high = _across(y, ax, ay, radius)
            first_c, last_c = max(c0, int((x0 + low) / dx) - left), min(c1, int((x0 + high) / dx) + 2 - left)
            if low > high or first_c >= last_c:
                continue
            row, east = best[r - row0, first_c:last_c], xs[first_c:last_c]
            for c in range(len(row)):  # without branches, so that several samples are done at once
                x = east[c] - x0
                t = (x * ax + y * ay) * along
                t = 0.0 if t < 0.0 else t
                t = 1.0 if t > 1.0 else t
                qx, qy = t * ax - x, t * ay - y
                d = qx * qx + qy * qy
                row[c] = d if d < row[c] else row[c]


@kernel
def _flip_rows(signs, xs, px, py, rows, place):
    """Inside and outside by the even-odd rule, a crossing at a time."""
    top, left, depth, dx = place
    for r in range(rows[0], rows[1]):
        y = depth - (top + r) * dx
        for k in range(len(px) - 1):
            if (py[k] <= y) != (py[k + 1] <= y):
                x = px[k] + (y - py[k]) * (px[k + 1] - px[k]) / (py[k + 1] - py[k])
                first = min(max(0, int(np.ceil((x - xs[0]) / dx)) - 1), len(xs))
                while first < len(xs) and xs[first] < x:
                    first += 1
                for c in range(first, len(xs)):
                    signs[r - rows[0], c] = -signs[r - rows[0], c]


@kernel
def _signed_rows(out, px, py, reach, row0, row1, place):
    """Rows of signed distances to an outline: negative inside. px, py: its corners."""
    top, left, depth, dx = place
    xs = (left + np.arange(out.shape[1])) * dx
    best, signs = np.empty((row1 - row0, out.shape[1])), np.full((row1 - row0, out.shape[1]), -1, np.int8)
    clear(best, 0, row1 - row0, 0, out.shape[1], reach * reach)
    near(best, xs, (px, py), 0, len(px), reach, (row0, row1), place)
    _flip_rows(signs, xs, px, py, (row0, row1), place)
    for r in range(row0, row1):
        for c in range(out.shape[1]):
            out[r, c] = signs[r - row0, c] * best[r - row0, c] ** 0.5


def signed_distance(
    points: np.ndarray,
    reach: float,
    window: GridWindow | tuple[int, int],
    depth: float,
    dx: float,
    stop: np.ndarray | None = None,
) -> np.ndarray:
    """Distance to a closed outline's edge, above zero inside.

    Parameters
    ----------
    points :
        (n, 2), east and north, metres; the last one is joined to the first. Crossings count by the even-odd rule.
    reach :
        metres; farther ones are given as this.
    window :
        GridWindow, or the shape (rows, columns) of a whole grid.
    depth :
        metres from north to south of the site, where rows begin.
    dx :
        metres between samples.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    metres, float32 of the window's shape.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    window, p = GridWindow.of(window), np.asarray(points, np.float64)
    p = np.concatenate([p, p[:1]])
    out, place = np.empty(window.shape, np.float32), (window.top, window.left, float(depth), float(dx))
    line = (p[:, 0].copy(), p[:, 1].copy(), float(reach))
    over_rows(lambda a, b: _signed_rows(out, *line, a, b, place), window.height, stop, 32)
    return out


def feathered(distance: np.ndarray, outline: Outline, dx: float) -> np.ndarray:
    """A mask from signed distances.

    Parameters
    ----------
    distance :
        metres from the edge, above zero inside.
    outline :
        whose feather, side and profile count.
    dx :
        metres between samples; an edge is never harder than that.

    Returns
    -------
    0 to 1, float32 of the distance's shape.
    """
    feather = outline.feather
    if feather < dx:
        feather, first = dx, -dx / 2
    else:
        first = {INWARD: 0.0, OUTWARD: -feather, BOTH_WAYS: -feather / 2}[outline.side]
    t = np.clip((distance - np.float32(first)) / np.float32(feather), 0, 1)
    if isinstance(outline.profile, str):
        return PROFILES[outline.profile](t)
    return np.clip(remapped(t, outline.profile, 0.0, 1.0), 0, 1)


def filled(
    outlines: list | tuple,
    mask: np.ndarray,
    window: GridWindow | tuple[int, int],
    depth: float,
    dx: float,
    stop: np.ndarray | None = None,
) -> np.ndarray:
    """Outlines laid on a mask one after the other: each is added, or cut out.

    Parameters
    ----------
    outlines :
        of Outline.
    mask :
        0 to 1, float32 of the window's shape; not changed.
    window :
        GridWindow, or the shape (rows, columns) of a whole grid.
    depth :
        metres from north to south of the site, where rows begin.
    dx :
        metres between samples.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    0 to 1, float32 of the window's shape.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    window, out = GridWindow.of(window), mask.copy()
    for one in outlines:
        check(stop)
        p = np.asarray(one.points, np.float64)
        reach = max(one.feather, dx) + 1.5 * one.rough + dx
        (west, south), (east, north) = p.min(axis=0) - reach, p.max(axis=0) + reach
        top, bottom = max(window.top, int((depth - north) / dx)), int((depth - south) / dx) + 2
        left, right = max(window.left, int(west / dx)), int(east / dx) + 2
        bottom, right = min(bottom, window.top + window.height), min(right, window.left + window.width)
        if top >= bottom or left >= right:
            continue
        part = GridWindow.between(top, bottom, left, right, window.grid)
        distance = signed_distance(p, reach, part, depth, dx, stop)
        if one.rough > 0:
            place = (part, (0.0, depth), dx)
            noise = fractal(*place, one.rough_size, 4, gain=0.5, seed=one.seed, stop=stop, fine=UNFADED)
            # What is out of reach stays so: its distance is not known.
            far = np.abs(distance) >= np.float32(reach)
            distance = np.where(far, distance, distance + np.float32(one.rough) * np.clip(noise, -1.5, 1.5))
        into = slice(top - window.top, bottom - window.top), slice(left - window.left, right - window.left)
        shade = feathered(distance, one, dx)
        out[into] = np.minimum(out[into], 1 - shade) if one.cut else np.maximum(out[into], shade)
    return out
