"""Spurs and ravines that run down a slope, octave by octave: what gives a mountain flanks that water could have cut.

A pattern of ridges whose direction is free at every point: kernels on a jittered grid of cells hold waves across the
slope, the phase of their sum makes ridges of one height (phasor noise, Tricard et al. 2019), and every octave takes
the direction of the land that the ones before have made (Grenier et al. 2024), so that smaller spurs branch off larger
ones. Where waves of neighbouring kernels do not fit, ridges fork.
"""

from __future__ import annotations

import math

import numpy as np

from .bands import kernel, over_rows
from .grid_window import GridWindow
from .noise import hash2, unit

#: Size of a cell and reach of its kernel, in wavelengths; of kernels around a point, those of nine cells may reach it.
CELL = 1.3
#: Slope above which ridges grow no higher, rise over run.
STEEPEST = 1.2
#: Slope below which ridges are lower, rise over run: on a crest and in a valley's bed the way down turns round.
CREST = 0.25
#: What of that height nearly level ground does not show: it takes no time.
LEAST = 0.003
#: Length of the sum of waves below which a ridge dies out: there it forks.
FORKS = 0.35


@kernel
def _turn(t):
    """Sine of t turns, to one in a thousand, with no corner."""
    t -= math.floor(t + 0.5)
    rough = t * (8.0 - 16.0 * abs(t))
    return rough * (0.775 + 0.225 * abs(rough))


@kernel
def _angle(cosine):
    """Angle of a cosine as a share of half a turn (Abramowitz and Stegun 1964, 4.4.45)."""
    a = min(1.0, abs(cosine))
    found = math.sqrt(1.0 - a) * (0.5 - a * (0.0675396 - a * (0.0236377 - 0.0059623 * a)))
    return found if cosine >= 0.0 else 1.0 - found


@kernel
def _around(ix, iy, seed, there):
    """Places of the kernels of nine cells, in cells."""
    for k in range(9):
        i, j = ix + k % 3 - 1, iy + k // 3 - 1
        there[k, 0] = i + unit(hash2(i, j, seed))
        there[k, 1] = j + unit(hash2(i, j, seed + 7919))


@kernel
def _waves(px, py, ux, uy, there):
    """The sum of waves at a point, as (cosine, sine): of length about 1. px, py: in cells; ux, uy: across the
    slope."""
    re, im, total = 0.0, 0.0, 1e-12
    for k in range(9):
        dx, dy = px - there[k, 0], py - there[k, 1]
        d = dx * dx + dy * dy
        if d < 1.0:
            weight = (1.0 - d) * (1.0 - d)
            turns = CELL * (dx * ux + dy * uy)
            re += weight * _turn(turns + 0.25)
            im += weight * _turn(turns)
            total += weight
    return re / total, im / total


@kernel
def _octave(total, gx, gy, firm, x0, left, y, dx, wave, tall, follow, seed):
    """Adds spurs of one size to a row, and what they change of its slopes. x0, left: metres at the grid's edge and the
    row's first column; tall: height in metres for each rise over run; follow: as of spurs."""
    cell, there, known = wave * CELL, np.empty((9, 2)), np.int64(-(2**62))
    py = y / cell
    iy = math.floor(py)
    for c in range(len(total)):
        slope = math.sqrt(gx[c] * gx[c] + gy[c] * gy[c])
        if firm[c] <= 0.0 or slope < 1e-6:
            continue
        px = (x0 + (left + c) * dx) / cell
        ix = math.floor(px)
        if ix != known:
            _around(ix, iy, seed, there)
            known = ix
        ux, uy = -gy[c] / slope, gx[c] / slope
        re, im = _waves(px, py, ux, uy, there)
        length = max(math.sqrt(re * re + im * im), 1e-9)
        height = tall * firm[c] * min(1.0, length / FORKS)
        total[c] += height * (2.0 * _angle(re / length) - 1.0)
        turn = follow * 4.0 * height / wave * im / length
        gx[c] += turn * ux
        gy[c] += turn * uy


@kernel
def _spur_rows(out, row0, row1, top, left, x0, y0, dx, east, north, size, octaves, depth, gain, follow, seed):
    """Rows of spurs that run down the fall of a land, octave on octave."""
    columns = out.shape[1]
    gx, gy, total, firm = np.empty(columns), np.empty(columns), np.empty(columns), np.empty(columns)
    for r in range(row0, row1):
        for c in range(columns):
            gx[c], gy[c], total[c] = east[r, c], north[r, c], 0.0
            base = math.sqrt(gx[c] * gx[c] + gy[c] * gy[c])
            firm[c] = min(base, STEEPEST) * min(1.0, base / CREST) - LEAST
        wave, fraction = size, depth
        for o in range(octaves):
            fade = min(1.0, max(0.0, (wave / dx - 2.0) * 0.5))
            if fade > 0.0:
                y, tall = y0 - (top + r) * dx, fade * fraction * wave
                _octave(total, gx, gy, firm, x0, left, y, dx, wave, tall, follow, seed + 101 * o)
            fraction *= gain
            wave *= 0.5
        for c in range(columns):
            out[r, c] = total[c]


def spurs(
    window: GridWindow | tuple[int, int],
    origin: tuple[float, float],
    dx: float,
    east: np.ndarray,
    north: np.ndarray,
    size: float,
    octaves: int,
    depth: float,
    gain: float,
    seed: int,
    follow: float = 1.0,
    stop: np.ndarray | None = None,
) -> np.ndarray:
    """Spurs and ravines down a slope, in metres about none.

    Parameters
    ----------
    window :
        GridWindow, or the shape (rows, columns) of a whole grid.
    origin :
        (east, north) of the grid's north-west sample, metres.
    dx :
        metres between samples.
    east, north :
        float32 of the window's shape: rise over run of the land to the east and to the north.
    size :
        distance of the largest spurs, metres.
    octaves :
        how many; each is half as large as the one before.
    depth :
        height of the largest spurs over half their distance, for each rise over run of the land.
    gain :
        that of an octave as a share of the one before.
    seed :
        whole number; another one gives another result of the same kind.
    follow :
        how far smaller ones run down the sides of larger ones, 1, or down the land alone, 0.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    float32 of the window's shape, metres.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    Tricard, T. et al. (2019): Procedural phasor noise. Grenier, C., Guerin, E., Galin, E. and Sauvage, B. (2024):
    Real-time terrain enhancement with controlled procedural patterns.
    """
    window = GridWindow.of(window)
    out = np.empty(window.shape, np.float32)
    place = (window.top, window.left, float(origin[0]), float(origin[1]), float(dx))
    how = (float(size), int(octaves), float(depth), float(gain), float(follow), int(seed))
    over_rows(lambda a, b: _spur_rows(out, a, b, *place, east, north, *how), window.height, stop, 16)
    return out
