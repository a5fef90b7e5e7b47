"""Stones and boulders scattered on a jittered lattice, and pits of the same form.

Each is laid by itself on the samples that it covers, by bands of rows: most cells of the lattice hold none that is wide
enough to be seen, and what is the same for a whole stone is worked out once.

"""

from __future__ import annotations

import math

import numpy as np

from .bands import kernel, over_rows
from .grid_window import GridWindow
from .noise import hash2, unit

#: Radius in samples from which a stone begins to show: those narrower than about two samples are left out, like noise.
SEEN = 0.75


@kernel
def _broken(top, p, q, i, j, faces, seed):
    """A stone's height at p, q (in radii from its middle) after flat faces were broken off it: a lid and four
    sides, each at a chance slant."""
    lid = 0.62 + 0.3 * unit(hash2(i, j, seed + 6)) + 0.3 * p * (unit(hash2(i, j, seed + 7)) - 0.5)
    cut = min(top, lid)
    for k in range(4):
        angle = 1.5708 * (k + 0.8 * (unit(hash2(i, j, seed + 10 + k)) - 0.5))
        out = 0.45 + 0.4 * unit(hash2(i, j, seed + 20 + k))
        cut = min(cut, 1.9 * (0.15 + out - p * math.cos(angle) - q * math.sin(angle)))
    return max(0.0, top + faces * (cut - top))


@kernel
def _lay(out, shows, stone, cell, row0, row1, place, form, seed):
    """Lays one stone on the rows of a band. stone: its middle and radius in metres, its length in widths, its turn, the
    chance that its size came from. cell: of the lattice, and its side; a stone reaches to the next one at most."""
    a, b, radius, long, turn, u = stone
    i, j, side = cell
    top_row, left, y0, dx = place
    squat, rough, faces, reach = form
    cos, sin, everywhere = math.cos(turn), math.sin(turn), shows.size == 1
    tall = radius * squat
    risen = min(1.0, (radius / dx - SEEN) * 2.0)
    # A little further than is looked at below, and a sample more, as whole numbers are cut off towards 0.
    near = min(reach, 1.65 * radius) + dx
    first, last = max(row0, int((y0 - b - near) / dx) - top_row), min(row1, int((y0 - b + near) / dx) + 1 - top_row)
    west, east = max(0, int((a - near) / dx) - left), min(out.shape[1], int((a + near) / dx) + 1 - left)
    for r in range(first, last):
        y = y0 - (top_row + r) * dx
        if abs(int(math.floor(y / side)) - j) > 1 or abs(y - b) > reach:
            continue
        for c in range(west, east):
            if not everywhere and shows[r, c] <= 0.0:
                continue
            x = (left + c) * dx
            if (x - a) * (x - a) + (y - b) * (y - b) > 2.7 * radius * radius:
                continue
            if abs(int(math.floor(x / side)) - i) > 1 or abs(x - a) > reach:
                continue
            p, q = (x - a) * cos + (y - b) * sin, (y - b) * cos - (x - a) * sin
            p, q = p / (radius * long), q / (radius / long)
            d = p * p + q * q
            if d > 1.7:
                continue
            angle = math.atan2(q, p)
            edge = 1.0 + rough * (0.16 * math.sin(3.0 * angle + 6.0 * u) + 0.1 * math.sin(5.0 * angle + 11.0 * u))
            d = d / (edge * edge)
            if d < 1.0:
                top = math.sqrt(1.0 - d)
                if faces > 0.0:
                    top = _broken(top, p, q, i, j, faces, seed)
                out[r, c] = max(out[r, c], tall * top * risen)


@kernel
def _stone_rows(out, odds, chosen, shows, row0, row1, grid, place, sizes, form, seed):
    """Rows of stones: the tallest of those whose cells lie around each sample. odds: chance of a stone, 0 to 1; chosen,
    shows: whether a map of it is given."""
    top_row, left, y0, dx = place
    rows, columns = grid
    side, small, large = sizes
    has_odds = odds.size > 1
    out[row0:row1] = 0.0
    low = int(math.floor((y0 - (top_row + row1 - 1) * dx) / side)) - 1
    high = int(math.floor((y0 - (top_row + row0) * dx) / side)) + 2
    west = int(math.floor(left * dx / side)) - 1
    east = int(math.floor((left + out.shape[1] - 1) * dx / side)) + 2
    for j in range(low, high):
        for i in range(west, east):
            # Many small stones and few large ones: sizes fall off as a power of two (Rosin and Rammler 1933 for
            # broken rock).
            u = unit(hash2(i, j, seed + 3))
            radius = 0.5 * (small + (large - small) * u * u * u)
            if radius / dx <= SEEN:
                continue
            a, b = (i + unit(hash2(i, j, seed))) * side, (j + unit(hash2(i, j, seed + 1))) * side
            here = chosen
            if has_odds:
                q, p = int((y0 - b) / dx + 0.5), int(a / dx + 0.5)
                q, p = min(max(q, 0), rows - 1) - top_row, min(max(p, 0), columns - 1) - left
                here = odds[min(max(q, 0), odds.shape[0] - 1), min(max(p, 0), odds.shape[1] - 1)]
            if unit(hash2(i, j, seed + 2)) >= here:
                continue
            turn, long = 6.2832 * unit(hash2(i, j, seed + 4)), 0.75 + 0.5 * unit(hash2(i, j, seed + 5))
            _lay(out, shows, (a, b, radius, long, turn, u), (i, j, side), row0, row1, place, form, seed)


def stones(
    window: GridWindow,
    depth: float,
    dx: float,
    size: float,
    fraction: float,
    seed: int,
    stop: np.ndarray | None = None,
    shows: np.ndarray | None = None,
) -> np.ndarray:
    """Stones that lie side by side.

    Parameters
    ----------
    window :
        GridWindow, or the shape (rows, columns) of a whole grid.
    depth :
        metres from north to south of the site, where rows begin.
    dx :
        metres between samples.
    size :
        of the largest, metres.
    fraction :
        how many places hold one, 0 to 1.
    seed :
        whole number; another one gives another result of the same kind.
    stop :
        uint8[1] or None; set when a stop is asked for.
    shows :
        float32 of the window's shape: above 0 where stones are asked for, 0 is returned elsewhere; None: everywhere.

    Returns
    -------
    float32 of the window's shape, metres.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    As boulders.
    """
    return boulders(window, depth, dx, 0.9 * size, 0.35 * size, size, 0.5, 1.0, fraction, None, seed, stop, 0.8, shows)


def boulders(
    window: GridWindow,
    depth: float,
    dx: float,
    cell: float,
    small: float,
    large: float,
    squat: float,
    rough: float,
    fraction: float,
    odds,
    seed: int,
    stop: np.ndarray | None = None,
    faces: float = 0.0,
    shows: np.ndarray | None = None,
) -> np.ndarray:
    """Scattered boulders, or the depth of scattered pits; those narrower than about two samples are left out, as
    fine noise is.

    Parameters
    ----------
    window :
        GridWindow, or the shape (rows, columns) of a whole grid.
    depth :
        metres from north to south of the site, where rows begin.
    dx :
        metres between samples.
    cell :
        one at most in a square of so many metres.
    small, large :
        widths, metres; the first is at most the second.
    squat :
        height in radii.
    rough :
        how uneven outlines are, 0 to 1.
    fraction :
        how many of the squares hold one, 0 to 1.
    odds :
        mask of the window that says so instead, or None; looked up as far as ``large`` beyond a sample.
    seed :
        whole number; another one gives another result of the same kind.
    stop :
        uint8[1] or None; set when a stop is asked for.
    faces :
        0 round, 1 broken along flat faces.
    shows :
        as of stones.

    Returns
    -------
    float32 of the window's shape, metres.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    Rosin, P. and Rammler, E. (1933): The laws governing the fineness of powdered coal.
    """
    window = GridWindow.of(window)
    if 0.5 * large <= SEEN * dx:
        return np.zeros(window.shape, np.float32)
    out = np.empty(window.shape, np.float32)
    odds, shows = (
        np.zeros((1, 1), np.float32) if a is None else np.ascontiguousarray(a, np.float32) for a in (odds, shows)
    )
    place = (window.top, window.left, float(depth), float(dx))
    sizes = (float(cell), float(small), float(large))
    # Beyond the longest axis of the largest, with its waves.
    form = (float(squat), float(rough), float(faces), 0.82 * large)
    rest = (window.grid, place, sizes, form, int(seed))
    over_rows(lambda a, b: _stone_rows(out, odds, float(fraction), shows, a, b, *rest), window.height, stop)
    return out
