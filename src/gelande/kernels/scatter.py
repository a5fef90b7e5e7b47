"""Fields of single forms on jittered lattices: drumlins, blocks."""

from __future__ import annotations

import math

import numpy as np

from .bands import kernel, over_rows
from .grid_window import GridWindow
from .noise import hash2, unit


@kernel
def _drumlin_rows(out, row0, row1, top, left, y0, dx, width, length, tall, density, loose, sin, cos, seed):
    """Rows of drumlins: the tallest of those whose cells lie around each sample."""
    for r in range(row0, row1):
        for c in range(out.shape[1]):
            x, y = (left + c) * dx, y0 - (top + r) * dx
            u, v = (x * sin + y * cos) / (width * length), (x * cos - y * sin) / width
            i0, j0 = int(math.floor(u)), int(math.floor(v))
            best = 0.0
            for j in range(j0 - 1, j0 + 2):
                for i in range(i0 - 1, i0 + 2):
                    if unit(hash2(i, j, seed)) > density:
                        continue
                    a = i + 0.5 + 0.5 * (j & 1) - 0.25 + loose * 0.7 * (unit(hash2(i, j, seed + 1)) - 0.5)
                    b = j + 0.5 + loose * 0.7 * (unit(hash2(i, j, seed + 2)) - 0.5)
                    size = 1.0 - 0.45 * loose * unit(hash2(i, j, seed + 3))
                    turn = 0.25 * loose * (unit(hash2(i, j, seed + 4)) - 0.5)
                    p, q = (u - a) * length, v - b
                    along, across = (p + q * turn) / (0.62 * length * size), (q - p * turn) / (0.62 * size)
                    if along > 0.0:  # tapering tail down-ice
                        across *= 1.0 + 0.55 * along
                    else:
                        along *= 1.45
                    d = along * along + across * across
                    if d < 1.0:
                        best = max(best, (1.0 - d) * (1.0 - d) * size * (1.0 + 0.6 * (1.0 - d)))
            out[r, c] = best * tall / 1.6


def drumlin_field(window, depth, dx, width, length, tall, density, loose, direction, seed, stop=None):
    """A field of hills that ice drew out.

    Parameters
    ----------
    window :
        GridWindow, or the shape (rows, columns) of a whole grid.
    depth :
        metres from north to south of the site, where rows begin.
    dx :
        metres between samples.
    width :
        of a hill, metres.
    length :
        in widths.
    tall :
        height of the larger hills, metres.
    density, loose :
        how closely they lie and how much they differ, 0 to 1.
    direction :
        of the ice, degrees clockwise from north.
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
    Chorley, R. J. (1959): The shape of drumlins.
    """
    window, a = GridWindow.of(window), math.radians(direction)
    out = np.empty(window.shape, np.float32)
    place = (window.top, window.left, float(depth), float(dx))
    hills = (
        float(width),
        float(length),
        float(tall),
        float(density),
        float(loose),
        math.sin(a),
        math.cos(a),
        int(seed),
    )
    over_rows(lambda r0, r1: _drumlin_rows(out, r0, r1, *place, *hills), window.height, stop, 16)
    return out


@kernel
def _nine(i0, j0, jitter, seed, px, py):
    """The feature points of the nine cells about a cell, in cells."""
    n = 0
    for j in range(j0 - 1, j0 + 2):
        shift = 0.5 * (1.0 - jitter) * (j & 1)
        for i in range(i0 - 1, i0 + 2):
            px[n] = i + 0.5 + shift * 0.5 + jitter * 0.9 * (unit(hash2(i, j, seed)) - 0.5)
            py[n] = j + 0.5 + jitter * 0.9 * (unit(hash2(i, j, seed + 1)) - 0.5)
            n += 1


@kernel
def _one_layer(height, shown, k, maps, r, place, sizes, ways, seed, work):
    """Lays one layer of blocks over a row. What is the same for a whole cell or block is worked out when it is
    entered."""
    gaps, east, north = maps
    size, se, sn, tall = sizes
    gap, jitter, up, tilt, sin, cos = ways
    px, py, away, half_width = work
    has_gaps, moved = gaps.size > 1, east.size > 1
    soft = 0.09  # edges are rounded over a share of the block, not of the sampling, so that every detail shows the same
    seed += 97 * k
    held_i, held_j, held = -(1 << 60), 0, -1
    raise_by = gx = gy = 0.0
    across, along = 1.0 / (size * se), 1.0 / (size * sn)
    top_row, left, y0, dx = place
    y_row = y0 - (top_row + r) * dx
    u_row, v_row = 0.37 * k - y_row * sin * across, 0.61 * k + y_row * cos * along
    u_step, v_step = dx * cos * across, dx * sin * along
    for c in range(height.shape[0]):
        u, v = u_row + (left + c) * u_step, v_row + (left + c) * v_step
        if moved:
            u += (east[r, c] * cos - north[r, c] * sin) * across
            v += (east[r, c] * sin + north[r, c] * cos) * along
        i0, j0 = int(math.floor(u)), int(math.floor(v))
        if i0 != held_i or j0 != held_j:
            _nine(i0, j0, jitter, seed, px, py)
            held_i, held_j, held = i0, j0, -1
        for n in range(9):
            ax, ay = px[n] - u, py[n] - v
            away[n] = ax * ax + ay * ay
        b = held if held >= 0 else 4  # most often the block of the sample before
        best = away[b]
        for n in range(9):
            if away[n] < best:
                best, b = away[n], n
        if b != held:
            held = b
            i, j = i0 - 1 + b % 3, j0 - 1 + b // 3
            raise_by = up * tall * unit(hash2(i, j, seed + 13)) * (1.0 if k == 0 else 0.4)
            gx = (unit(hash2(i, j, seed + 17)) - 0.5) * 2.0 * tilt
            gy = (unit(hash2(i, j, seed + 19)) - 0.5) * 2.0 * tilt
            for n in range(9):
                half_width[n] = (
                    0.5 / max(1e-9, math.sqrt((px[n] - px[b]) ** 2 + (py[n] - py[b]) ** 2)) if n != b else 1.0
                )
        edge = 1e9  # to the nearest border: (|a|² - |b|²) / 2|a - b| is the distance to the bisector of a and b
        away[b] = 1e18
        for n in range(9):
            apart = (away[n] - best) * half_width[n]
            edge = apart if apart < edge else edge
        top = -tall * k - raise_by + ((u - px[b]) * gx * se + (v - py[b]) * gy * sn) * size
        half = 0.5 * gap * (gaps[r, c] * 2.0 if has_gaps else 1.0)
        t = (edge - half) * (1.0 / soft) + 0.5
        t = 1.0 if t > 1.0 else (0.0 if t < 0.0 else t * t * (3.0 - 2.0 * t))
        if top > height[c]:
            height[c] += (top - height[c]) * t
        shown[c] = t


@kernel
def _block_rows(out, block, maps, row0, row1, place, sizes, ways, layers, seed):
    """Rows of fields of blocks, layer on layer, each block a rotated box."""
    columns, tall = out.shape[1], sizes[3]
    height, shown = np.empty(columns), np.empty(columns)
    work = (np.empty(9), np.empty(9), np.empty(9), np.empty(9))
    for r in range(row0, row1):
        for c in range(columns):
            height[c] = -tall * layers
        for k in range(layers - 1, -1, -1):  # from the lowest layer up: higher blocks cover it
            _one_layer(height, shown, k, maps, r, place, sizes, ways, seed, work)
        for c in range(columns):
            out[r, c] = height[c] + tall * layers
            block[r, c] = shown[c]


def block_field(
    window,
    depth,
    dx,
    gaps,
    size,
    stretch_east,
    stretch_north,
    tall,
    gap,
    jitter,
    jitter_up,
    tilt,
    layers,
    turn,
    seed,
    stop=None,
    moves=None,
):
    """Layers of blocks with gaps between them, cut from above.

    Parameters
    ----------
    window :
        GridWindow, or the shape (rows, columns) of a whole grid.
    depth :
        metres from north to south of the site, where rows begin.
    dx :
        metres between samples.
    gaps :
        mask that widens gaps, or (1, 1) for none.
    size :
        of a block, metres.
    stretch_east, stretch_north :
        widths as shares of the size.
    tall :
        of a layer, metres.
    gap :
        as a share of the size.
    jitter, jitter_up :
        of outlines and of tops, 0 to 1.
    tilt :
        slope of tops at most.
    layers :
        how many.
    turn :
        degrees clockwise from north.
    seed :
        whole number; another one gives another result of the same kind.
    stop :
        uint8[1] or None; set when a stop is asked for.
    moves :
        (east, north) metres by which each place is looked up elsewhere, or None.

    Returns
    -------
    (height in metres over the lowest layer's foot, mask of the top layer's blocks), float32 of the window's shape.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    Worley, S. (1996): A cellular texture basis function.
    """
    window, a = GridWindow.of(window), math.radians(turn)
    out, block = np.empty(window.shape, np.float32), np.empty(window.shape, np.float32)
    maps = (gaps, *(moves or (np.zeros((1, 1), np.float32),) * 2))
    place = (window.top, window.left, float(depth), float(dx))
    sizes = (float(size), float(stretch_east), float(stretch_north), float(tall))
    ways = (float(gap), float(jitter), float(jitter_up), float(tilt), math.sin(a), math.cos(a))
    rest = (place, sizes, ways, int(layers), int(seed))
    over_rows(lambda r0, r1: _block_rows(out, block, maps, r0, r1, *rest), window.height, stop, 16)
    return out, block
