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
from .frame import Frame
from .noise import hash2, unit

#: Size of a cell and reach of its kernel, in wavelengths; of kernels around a point, those of nine cells may reach it.
CELL = 1.3
#: Slope above which ridges grow no higher, rise over run.
STEEPEST = 1.2
#: Slope below which ridges are lower, rise over run: on a crest and in a valley's bed the way down turns round.
CREST = 0.25
#: Length of the sum of waves below which a ridge dies out: there it forks.
FORKS = 0.35


@kernel
def _waves(x, y, ux, uy, size, seed):
    """The sum of waves at a point, as (cosine, sine): of length about 1. ux, uy: across the slope."""
    cell = size * CELL
    px, py = x / cell, y / cell
    ix, iy = math.floor(px), math.floor(py)
    rate = 2.0 * math.pi * CELL
    re, im, total = 0.0, 0.0, 0.0
    for j in range(-1, 2):
        for i in range(-1, 2):
            h = hash2(ix + i, iy + j, seed)
            dx = px - (ix + i + unit(h))
            dy = py - (iy + j + unit(hash2(ix + i, iy + j, seed + 7919)))
            d = dx * dx + dy * dy
            if d < 1.0:
                weight = (1.0 - d) * (1.0 - d)
                phase = rate * (dx * ux + dy * uy)
                re += weight * math.cos(phase)
                im += weight * math.sin(phase)
                total += weight
    return (re / total, im / total) if total > 0.0 else (0.0, 0.0)


@kernel
def _spur_rows(out, row0, row1, top, left, x0, y0, dx, east, north, size, octaves, depth, gain, seed):
    for r in range(row0, row1):
        y = y0 - (top + r) * dx
        for c in range(out.shape[1]):
            x = x0 + (left + c) * dx
            gx, gy, total, wave, share = east[r, c], north[r, c], 0.0, size, depth
            base = math.sqrt(gx * gx + gy * gy)
            firm = min(base, STEEPEST) * min(1.0, base / CREST)
            for o in range(octaves):
                fade = min(1.0, max(0.0, (wave / dx - 2.0) * 0.5))
                slope = math.sqrt(gx * gx + gy * gy)
                if fade <= 0.0 or slope < 1e-6:
                    break
                ux, uy = -gy / slope, gx / slope
                re, im = _waves(x, y, ux, uy, wave, seed + 101 * o)
                length = math.sqrt(re * re + im * im)
                sure = min(1.0, length / FORKS)
                tall = fade * share * wave * firm * sure
                total += tall * (2.0 * abs(math.atan2(im, re)) / math.pi - 1.0)
                turn = 4.0 * tall / wave * im / max(length, 1e-9)
                gx += turn * ux
                gy += turn * uy
                share *= gain
                wave *= 0.5
            out[r, c] = total


def spurs(frame, origin, dx, east, north, size, octaves, depth, gain, seed, stop=None):
    """Spurs and ravines down a slope, in metres about none.

    Parameters
    ----------
    frame :
        Frame, or the shape (rows, columns) of a whole grid.
    origin :
        (east, north) of the grid's north-west sample, metres.
    dx :
        metres between samples.
    east, north :
        float32 of the frame's shape: rise over run of the land to the east and to the north.
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
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    float32 of the frame's shape, metres.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    Tricard, T. et al. (2019): Procedural phasor noise. Grenier, C., Guerin, E., Galin, E. and Sauvage, B. (2024):
    Real-time terrain enhancement with controlled procedural patterns.
    """
    frame = Frame.of(frame)
    out = np.empty(frame.shape, np.float32)
    place = (frame.top, frame.left, float(origin[0]), float(origin[1]), float(dx))
    how = (float(size), int(octaves), float(depth), float(gain), int(seed))
    over_rows(lambda a, b: _spur_rows(out, a, b, *place, east, north, *how), frame.height, stop, 16)
    return out
