"""Sand: crescents that stand apart, and where ridges of sand fork."""

from __future__ import annotations

import math

import numpy as np

from .bands import kernel, over_rows
from .noise import hash2, unit

#: Squares, in spacings, of which each may hold a crescent or a fork; how far around a fork ridges bend, in spacings.
CRESCENTS, FORKS, BENDS = 1.15, 4.0, 3.9
#: Height of a crescent by its width (Hersen 2004 measured about a tenth), and the slope of its lee side.
TALL, LEE = 0.11, math.tan(math.radians(33.0))


@kernel
def _crescent(u, v, size, height):
    """Height of a crescent at u along and v across the wind from its middle, metres; its horns point down the wind."""
    b = 0.5 * size
    if abs(v) >= b or abs(u) > 1.6 * size:
        return 0.0
    w = v / b
    tall = height * (1.0 - w * w) ** 1.15
    crest = 0.5 * size * w * w  # the horns run on ahead of the middle
    if u > crest:
        return max(0.0, tall - (u - crest) * LEE)
    back = 0.3 * size + 0.45 * size * math.sqrt(1.0 - w * w)
    t = min(1.0, max(0.0, (u - crest + back) / back))
    return tall * t * t * (3.0 - 2.0 * t)


@kernel
def _crescent_rows(out, moved, row0, row1, spacing, tall, fraction, irregular, sin, cos, x0, y0, dx, seed):
    """Rows of crescent dunes: the tallest of those whose cells lie around each sample."""
    side = CRESCENTS * spacing
    for r in range(row0, row1):
        for c in range(out.shape[1]):
            x, y = x0 + c * dx, y0 - r * dx
            u, v = x * sin + y * cos, x * cos - y * sin
            u += moved[r, c]
            i0, j0 = int(math.floor(u / side)), int(math.floor(v / side))
            best = 0.0
            for j in range(j0 - 2, j0 + 3):
                for i in range(i0 - 2, i0 + 3):
                    if unit(hash2(i, j, seed)) > fraction:
                        continue
                    a = (i + 0.5 + 0.9 * irregular * (unit(hash2(i, j, seed + 1)) - 0.5)) * side
                    b = (j + 0.5 * (i & 1) + 0.9 * irregular * (unit(hash2(i, j, seed + 2)) - 0.5)) * side
                    size = spacing * (1.0 - 0.65 * irregular * unit(hash2(i, j, seed + 3)))
                    best = max(best, _crescent(u - a, v - b, size, tall * size / spacing))
            out[r, c] = best


def _window_terms(window, place, dx, towards):
    """(sine, cosine) of a direction, x and y of a window's first sample, metres between samples."""
    a = math.radians(towards)
    return math.sin(a), math.cos(a), float(place[0] + window.left * dx), float(place[1] - window.top * dx), float(dx)


def crescents(window, place, dx, spacing, tall, fraction, irregular, towards, moved, seed, stop=None):
    """Crescent dunes that stand apart on bare ground.

    Parameters
    ----------
    window :
        kernels.window.GridWindow.
    place :
        (x, y) of the whole grid's north-west sample, metres.
    dx :
        metres between samples.
    spacing :
        from one to the next about, and the width of the largest, metres.
    tall :
        height of the largest, metres.
    fraction :
        of the places that hold one, 0 to 1.
    irregular :
        how unlike places and sizes are, 0 to 1.
    towards :
        where the wind blows to, degrees clockwise from north.
    moved :
        metres along the wind by which each place is looked up elsewhere, float32 of the window's shape.
    seed :
        whole number; another one gives another result of the same kind.
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
    Hersen, P. (2004): On the crescentic shape of barchan dunes.
    """
    out, how = np.empty(window.shape, np.float32), (float(spacing), float(tall), float(fraction), float(irregular))
    rest = (*_window_terms(window, place, dx, towards), int(seed))
    over_rows(lambda r0, r1: _crescent_rows(out, moved, r0, r1, *how, *rest), window.height, stop, 16)
    return out


@kernel
def _fork_rows(out, row0, row1, spacing, fraction, sin, cos, x0, y0, dx, seed):
    """Rows of where crests of ridges end and join, so that they are not all the same."""
    side = FORKS * spacing
    for r in range(row0, row1):
        for c in range(out.shape[1]):
            x, y = x0 + c * dx, y0 - r * dx
            u, v = x * sin + y * cos, x * cos - y * sin
            i0, j0 = int(math.floor(u / side)), int(math.floor(v / side))
            total = 0.0
            for j in range(j0 - 1, j0 + 2):
                for i in range(i0 - 1, i0 + 2):
                    if unit(hash2(i, j, seed)) > fraction:
                        continue
                    a = (i + 0.2 + 0.6 * unit(hash2(i, j, seed + 1))) * side
                    b = (j + 0.2 + 0.6 * unit(hash2(i, j, seed + 2))) * side
                    apart = (1.4 + 1.8 * unit(hash2(i, j, seed + 3))) * spacing
                    angle = 6.2832 * unit(hash2(i, j, seed + 4))
                    p, q = 0.5 * apart * math.cos(angle), 0.5 * apart * math.sin(angle)
                    far = math.hypot(u - a, v - b) / spacing
                    if far >= BENDS:
                        continue
                    turn = math.atan2(v - b - q, u - a - p) - math.atan2(v - b + q, u - a + p)
                    turn /= 6.283185307179586
                    turn -= math.floor(turn + 0.5)
                    t = 1.0 - far / BENDS
                    total += turn * min(1.0, t * t * (3.0 - 2.0 * t) * 1.6)
            out[r, c] = total


def forks(window, place, dx, spacing, fraction, towards, seed, stop=None):
    """By how many ridges a field of parallel ridges is shifted at each place so that some fork: pairs of dislocations,
    around each of which one ridge more is counted.

    Parameters
    ----------
    window :
        kernels.window.GridWindow.
    place :
        (x, y) of the whole grid's north-west sample, metres.
    dx :
        metres between samples.
    spacing :
        from ridge to ridge, metres.
    fraction :
        of the places that hold a pair of forks, 0 to 1.
    towards :
        across the ridges, degrees clockwise from north.
    seed :
        whole number; another one gives another result of the same kind.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    float32 of the window's shape, ridges; between the two of a pair it jumps by a whole one, which is not seen.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    Werner, B. T. (1995): Eolian dunes: computer simulations and attractor interpretation.
    """
    out = np.empty(window.shape, np.float32)
    how = (float(spacing), float(fraction), *_window_terms(window, place, dx, towards), int(seed))
    over_rows(lambda r0, r1: _fork_rows(out, r0, r1, *how), window.height, stop, 16)
    return out
