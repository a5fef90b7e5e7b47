"""Uneven colour of the ground between its samples, as a picture shows it: it tells near ground from far, and changes no
height."""

from __future__ import annotations

import math

import numpy as np

from .bands import kernel

#: Metres of the largest grain, and how strong it is: patches of ground that one steps over. Larger ones would be taken
#: for form, and ones that follow the samples would change where finer samples begin.
LARGEST, FIRST = 2.4, 0.5


@kernel
def _noise(x, y):
    """Value noise, -1 to 1."""
    i, j = math.floor(x), math.floor(y)
    u, v = x - i, y - j
    u, v = u * u * (3 - 2 * u), v * v * (3 - 2 * v)
    total = 0.0
    for b in range(2):
        for a in range(2):
            n = np.uint32((int(i) + a) * 73856093 ^ (int(j) + b) * 19349663)
            n = np.uint32((n ^ (n >> np.uint32(13))) * np.uint32(1274126177))
            n = np.uint32(n ^ (n >> np.uint32(16)))
            total += (float(n & np.uint32(65535)) / 32767.5 - 1.0) * (u if a else 1 - u) * (v if b else 1 - v)
    return total


@kernel
def grain(hit_x, hit_y, kind, x, y, px, py, dx, metre, cell):
    """Unevenness of the ground's colour between its samples, about -2 to 2: octaves from cells of at most so many
    metres, about the spacing of the coarsest samples, down to what a pixel still shows. metre: a pixel's size straight
    on; it fades where a pixel reaches far along the ground."""
    height, width = kind.shape
    x1, y1 = (x + 1 if x + 1 < width else x - 1), (y + 1 if y + 1 < height else y - 1)
    along = metre
    if kind[y, x1] == 1:
        along = max(along, math.hypot(hit_x[y, x1] - px, hit_y[y, x1] - py) * dx)
    if kind[y1, x] == 1:
        along = max(along, math.hypot(hit_x[y1, x] - px, hit_y[y1, x] - py) * dx)
    # an eye within the ground sees it at no distance
    least = max(1e-3, 0.65 * metre + 0.35 * min(along, 12.0 * metre))
    total, strength, cell = 0.0, FIRST, min(cell, LARGEST)
    while cell > 0.02:
        fade = min(1.0, 0.5 * (cell / least - 1.0))
        if fade <= 0.0:
            break
        total += strength * fade * _noise(px * dx / cell, py * dx / cell)
        cell *= 0.4
        strength = min(1.0, 1.12 * strength)
    return total
