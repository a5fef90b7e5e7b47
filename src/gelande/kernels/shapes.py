"""Coordinates and distances that landforms are made from."""

from __future__ import annotations

import math

import numpy as np

from .bands import kernel, over_rows
from .grid_window import GridWindow

#: Samples of a row that share the pieces of a line that may be nearest.
RUN = 32


def grid(
    window: GridWindow, site_width: float, site_depth: float, east: float = 0.5, north: float = 0.5
) -> tuple[np.ndarray, np.ndarray]:
    """Metres from a place given as shares of the site.

    Parameters
    ----------
    window :
        GridWindow, or the shape (rows, columns) of a whole grid.
    site_width, site_depth :
        metres.
    east, north :
        of the place, shares.

    Returns
    -------
    east (1, columns) and north (rows, 1), float32.
    """
    window = GridWindow.of(window)
    rows, columns = window.grid
    x = (np.linspace(0, 1, columns) - east) * site_width
    y = (np.linspace(1, 0, rows) - north) * site_depth
    x, y = x[window.left : window.left + window.width], y[window.top : window.top + window.height]
    return x[None].astype(np.float32), y[:, None].astype(np.float32)


def turned(x: np.ndarray, y: np.ndarray, degrees: float) -> tuple[np.ndarray, np.ndarray]:
    """A grid along and across a direction.

    Parameters
    ----------
    x, y :
        metres east and north, arrays that broadcast.
    degrees :
        of the direction, clockwise from north.

    Returns
    -------
    (along, across), metres; across points to the right.
    """
    a = np.radians(degrees)
    return x * np.float32(np.sin(a)) + y * np.float32(np.cos(a)), x * np.float32(np.cos(a)) - y * np.float32(np.sin(a))


def smoothstep(t: np.ndarray) -> np.ndarray:
    """3t² - 2t³ of t held between 0 and 1.

    Parameters
    ----------
    t :
        any shape.

    Returns
    -------
    The same shape, 0 to 1.
    """
    t = np.clip(t, 0, 1)
    return t * t * (3 - 2 * t)


@kernel
def _to_piece(x, y, ax, ay, bx, by):
    """Squared distance to the straight line from a to b, and how far along it the nearest point is (0-1)."""
    east, north = bx - ax, by - ay
    t = ((x - ax) * east + (y - ay) * north) / max(east * east + north * north, 1e-9)
    t = min(1.0, max(0.0, t))
    qx, qy = ax + t * east - x, ay + t * north - y
    return qx * qx + qy * qy, t


@kernel
def _near(px, py, x, y, reach, away, found):
    """The pieces of a polyline that may be the nearest of some place within reach of (x, y), in their order. Returns
    how many there are."""
    least = 1e30
    for k in range(len(px) - 1):
        away[k] = _to_piece(x, y, px[k], py[k], px[k + 1], py[k + 1])[0]
        least = min(least, away[k])
    bound, count = (math.sqrt(least) + 2.0 * reach) ** 2 * (1.0 + 1e-9) + 1e-9, 0
    for k in range(len(px) - 1):
        if away[k] <= bound:
            found[count] = k
            count += 1
    return count


@kernel
def _line_rows(px, py, along, out, where, row0, row1, top, left, y0, dx):
    """Distance to the nearest piece of a polyline, and how far along it that is (0-1)."""
    columns, away, found = out.shape[1], np.empty(len(px)), np.empty(len(px), np.int64)
    for r in range(row0, row1):
        y = y0 - (top + r) * dx
        for first in range(0, columns, RUN):
            after = min(first + RUN, columns)
            half = 0.5 * (after - 1 - first) * dx
            count = _near(px, py, (left + first) * dx + half, y, half, away, found)
            for c in range(first, after):
                x, best, at = (left + c) * dx, 1e30, 0.0
                for i in range(count):
                    k = found[i]
                    d, t = _to_piece(x, y, px[k], py[k], px[k + 1], py[k + 1])
                    if d < best:
                        best, at = d, along[k] + t * (along[k + 1] - along[k])
                out[r, c] = best**0.5
                where[r, c] = at


def to_line(
    points: np.ndarray, window: GridWindow, depth: float, dx: float, stop: np.ndarray | None = None
) -> tuple[np.ndarray, np.ndarray] | None:
    """Distance to a polyline, and how far along it that is.

    Parameters
    ----------
    points :
        (n, 2), east and north, metres.
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
    (distance in metres, place along the line 0 to 1), float32 of the window's shape.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    window, points = GridWindow.of(window), np.asarray(points, np.float64)
    steps = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(points, axis=0).T))])
    out, where = np.empty(window.shape, np.float32), np.empty(window.shape, np.float32)
    line = (points[:, 0].copy(), points[:, 1].copy(), steps / max(steps[-1], 1e-9))
    place = (window.top, window.left, float(depth), float(dx))
    over_rows(lambda a, b: _line_rows(*line, out, where, a, b, *place), window.height, stop, 16)
    return out, where


def winding_line(
    width: float, depth: float, direction: float, winding: float, offset: float, seed: int, pieces: int = 48
) -> np.ndarray:
    """A line across the whole site in a direction, swinging aside.

    Parameters
    ----------
    width, depth :
        of the site, metres.
    direction :
        degrees clockwise from north.
    winding :
        how far it swings, as a share of half the site.
    offset :
        moves it off the middle, as a share.
    seed :
        whole number; another one gives another result of the same kind.
    pieces :
        of the line.

    Returns
    -------
    (pieces + 1, 2), east and north, metres.
    """
    draw = np.random.default_rng(seed)
    t = np.linspace(-0.62, 0.62, pieces + 1)
    reach = float(np.hypot(width, depth))
    side = np.zeros_like(t)
    for k, size in enumerate((1.0, 0.5, 0.28)):
        side += size * np.sin(2 * np.pi * (t * (1.1 + 1.3 * k) + draw.random()))
    a = np.radians(direction)
    across = offset * 0.5 * min(width, depth) + side * winding * 0.17 * reach
    return np.stack(
        [
            width / 2 + t * reach * np.sin(a) + across * np.cos(a),
            depth / 2 + t * reach * np.cos(a) - across * np.sin(a),
        ],
        1,
    )


def curve_through(points: np.ndarray | tuple[tuple, tuple], pieces: int = 12) -> np.ndarray:
    """A smooth line through points, which makes no loops; two points give the straight line.

    Parameters
    ----------
    points :
        (n, 2).
    pieces :
        between two points.

    Returns
    -------
    ((n - 1) * pieces + 1, 2).

    References
    ----------
    Yuksel, C., Schaefer, S. and Keyser, J. (2011): Parameterization and applications of Catmull-Rom curves.
    """
    p = np.asarray(points, np.float64)
    p = p[np.concatenate([[True], np.hypot(*np.diff(p, axis=0).T) > 1e-6])]
    if len(p) < 3:
        return np.stack([np.linspace(p[0, k], p[-1, k], pieces + 1) for k in range(2)], 1)
    padded = np.concatenate([[2 * p[0] - p[1]], p, [2 * p[-1] - p[-2]]])
    knots = np.concatenate([[0.0], np.cumsum(np.sqrt(np.hypot(*np.diff(padded, axis=0).T)))])
    found = []
    for k in range(1, len(padded) - 2):
        a, b, c, d = padded[k - 1 : k + 3]
        ta, tb, tc, td = knots[k - 1 : k + 3]
        t = np.linspace(tb, tc, pieces, endpoint=False)[:, None]
        ab, bc, cd = (
            a + (b - a) * (t - ta) / (tb - ta),
            b + (c - b) * (t - tb) / (tc - tb),
            c + (d - c) * (t - tc) / (td - tc),
        )
        abc, bcd = ab + (bc - ab) * (t - ta) / (tc - ta), bc + (cd - bc) * (t - tb) / (td - tb)
        found.append(abc + (bcd - abc) * (t - tb) / (tc - tb))
    return np.concatenate([*found, p[-1:]])


def closed_curve(points: list[tuple] | tuple, pieces: int = 12) -> np.ndarray:
    """A smooth closed line through points, as curve_through.

    Parameters
    ----------
    points :
        (n, 2), n at least 3; the last one is joined to the first.
    pieces :
        between two points.

    Returns
    -------
    (m, 2), at most n * pieces; the last one is joined to the first.
    """
    p = np.asarray(points, np.float64)
    p = p[np.hypot(*(p - np.roll(p, 1, axis=0)).T) > 1e-6]
    if len(p) < 3:
        return p
    around = curve_through(np.concatenate([p[-2:], p, p[:2]]), pieces)
    return around[2 * pieces : (2 + len(p)) * pieces]


def corners(form_round: bool, east: float, north: float, width: float, length: float, turn: float) -> np.ndarray:
    """An ellipse or a box as a closed line.

    Parameters
    ----------
    form_round :
        an ellipse; else a box.
    east, north :
        of the middle, metres.
    width, length :
        across and along, metres.
    turn :
        degrees clockwise from north, of what runs along.

    Returns
    -------
    (n, 2), east and north, metres; an ellipse's pieces lie within 0.01 % of its size.
    """
    if form_round:
        a = 2 * np.pi * np.arange(256) / 256
        across, along = np.cos(a), np.sin(a)
    else:
        across, along = np.array([1.0, -1.0, -1.0, 1.0]), np.array([1.0, 1.0, -1.0, -1.0])
    across, along, a = across * width / 2, along * length / 2, np.radians(turn)
    return np.stack([east + across * np.cos(a) + along * np.sin(a), north - across * np.sin(a) + along * np.cos(a)], 1)


def uneven(t: np.ndarray, amount: float, seed: int) -> np.ndarray:
    """A rising function whose unit steps differ in length; its slope stays above a third.

    Parameters
    ----------
    t :
        any shape.
    amount :
        how much they differ, 0 to 1.
    seed :
        whole number; another one gives another result of the same kind.

    Returns
    -------
    The same shape.
    """
    k = np.floor(t)
    f = (t - k).astype(np.float32)
    table = np.random.default_rng(seed).random(4096).astype(np.float32) - np.float32(0.5)
    a, b = table[(k.astype(np.int64)) % 4096], table[(k.astype(np.int64) + 1) % 4096]
    s = f * f * (3 - 2 * f)
    return t + np.float32(0.62 * amount) * (a + (b - a) * s)
