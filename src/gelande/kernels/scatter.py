"""Fields of single forms on jittered lattices: drumlins, blocks."""

from __future__ import annotations

import math

import numpy as np

from .bands import kernel, over_rows
from .noise import hash2, unit


@kernel
def _drumlin_rows(out, row0, row1, y0, dx, width, length, tall, density, loose, sin, cos, seed):
    for r in range(row0, row1):
        for c in range(out.shape[1]):
            x, y = c * dx, y0 - r * dx
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


def drumlin_field(shape, depth, dx, width, length, tall, density, loose, direction, seed, stop=None):
    """Height of a field of drawn-out hills, metres. width, tall: metres; length in widths; density, loose: 0-1."""
    out, a = np.empty(shape, np.float32), math.radians(direction)
    over_rows(lambda r0, r1: _drumlin_rows(out, r0, r1, float(depth), float(dx), float(width), float(length), float(tall), float(density), float(loose),
                                           math.sin(a), math.cos(a), int(seed)), shape[0], stop, 16)
    return out


@kernel
def _cell_edge(u, v, jitter, seed):
    """(column, row) of the cell a point lies in, its distance to the cell's edge in cells, and the offset from the cell's point."""
    i0, j0 = int(math.floor(u)), int(math.floor(v))
    f1, bi, bj, bx, by = 1e9, i0, j0, 0.0, 0.0
    for j in range(j0 - 1, j0 + 2):
        shift = 0.5 * (1.0 - jitter) * (j & 1)
        for i in range(i0 - 1, i0 + 2):
            ax = i + 0.5 + shift * 0.5 + jitter * 0.9 * (unit(hash2(i, j, seed)) - 0.5) - u
            ay = j + 0.5 + jitter * 0.9 * (unit(hash2(i, j, seed + 1)) - 0.5) - v
            d = ax * ax + ay * ay
            if d < f1:
                f1, bi, bj, bx, by = d, i, j, ax, ay
    edge = 1e9
    for j in range(j0 - 1, j0 + 2):
        shift = 0.5 * (1.0 - jitter) * (j & 1)
        for i in range(i0 - 1, i0 + 2):
            if i == bi and j == bj:
                continue
            ax = i + 0.5 + shift * 0.5 + jitter * 0.9 * (unit(hash2(i, j, seed)) - 0.5) - u
            ay = j + 0.5 + jitter * 0.9 * (unit(hash2(i, j, seed + 1)) - 0.5) - v
            wx, wy = ax - bx, ay - by
            n = math.sqrt(wx * wx + wy * wy)
            if n > 1e-6:
                edge = min(edge, 0.5 * (ax + bx) * wx / n + 0.5 * (ay + by) * wy / n)
    return bi, bj, max(0.0, edge), -bx, -by


@kernel
def _block_rows(out, block, gaps, row0, row1, y0, dx, size, se, sn, tall, gap, jitter, up, tilt, layers, sin, cos, seed):
    has_gaps = gaps.shape[0] > 1
    soft = 0.09  # edges are rounded over a share of the block, not of the sampling, so that every detail shows the same
    for r in range(row0, row1):
        for c in range(out.shape[1]):
            x, y = c * dx, y0 - r * dx
            u, v = (x * cos - y * sin) / (size * se), (x * sin + y * cos) / (size * sn)
            half = 0.5 * gap * (gaps[r, c] * 2.0 if has_gaps else 1.0)
            height, shown = -tall * layers, 0.0
            for k in range(layers - 1, -1, -1):  # from the lowest layer up: higher blocks cover it
                i, j, edge, px, py = _cell_edge(u + 0.37 * k, v + 0.61 * k, jitter, seed + 97 * k)
                h = hash2(i, j, seed + 97 * k + 13)
                gx = (unit(hash2(i, j, seed + 97 * k + 17)) - 0.5) * 2.0 * tilt
                gy = (unit(hash2(i, j, seed + 97 * k + 19)) - 0.5) * 2.0 * tilt
                top = -tall * k - up * tall * unit(h) * (1.0 if k == 0 else 0.4) + (px * gx * se + py * gy * sn) * size
                t = min(1.0, max(0.0, (edge - half) / soft + 0.5))
                t = t * t * (3.0 - 2.0 * t)
                height += max(0.0, top - height) * t
                if k == 0:
                    shown = t
            out[r, c] = height + tall * layers
            block[r, c] = shown


def block_field(shape, depth, dx, gaps, size, stretch_east, stretch_north, tall, gap, jitter, jitter_up, tilt, layers, turn, seed, stop=None):
    """(height in metres over the lowest layer's foot, mask of the top layer's blocks). gaps: mask, or (1, 1) for none; tilt: a slope."""
    out, block, a = np.empty(shape, np.float32), np.empty(shape, np.float32), math.radians(turn)
    over_rows(lambda r0, r1: _block_rows(out, block, gaps, r0, r1, float(depth), float(dx), float(size), float(stretch_east), float(stretch_north),
                                         float(tall), float(gap), float(jitter), float(jitter_up), float(tilt), int(layers), math.sin(a), math.cos(a),
                                         int(seed)), shape[0], stop, 16)
    return out, block
