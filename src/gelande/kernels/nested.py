"""Rays through a land whose samples are finer in some rectangles, each within the one before; what they meet shaded
from the finest that is there.

All grids lie one after the other in flat arrays. ``grids`` has a row of integers for each, coarsest first: where its
heights begin, its columns and rows of samples, its first level of maxima and how many, its first texture and how many.
``places`` has its samples for one of the coarsest grid's, and the column and row, in samples of its own, at which it
begins. Distances along a ray are the same on every grid. A hit is told in columns and rows of the coarsest one."""

from __future__ import annotations

import math

import numpy as np

from .air import shore
from .bands import kernel
from .caster import _clip, _cone_start, _cut_side, _texel
from .caster import trace as coarse_trace
from .grain import grain

HEIGHTS, COLUMNS, ROWS, MAXIMA, LEVELS, TEXTURE, TEXTURES = range(7)


@kernel
def _height(heights, first, columns, rows, x, y):
    """Bilinear height of a grid at its column x and row y."""
    c, r = min(max(int(x), 0), columns - 2), min(max(int(y), 0), rows - 2)
    u, v, p = x - c, y - r, first + r * columns + c
    return (heights[p] * (1 - u) + heights[p + 1] * u) * (1 - v) + (
        heights[p + columns] * (1 - u) + heights[p + columns + 1] * u
    ) * v


@kernel
def _walk(heights, first, wide, flat, offsets, rows, columns, base, levels, ox, oy, oz, dx, dy, dz, t, end):
    """Follows a ray on one grid from t to end, as kernels.caster.trace. Returns t of the hit, or -1."""
    across, down = columns[base], rows[base]
    ci = min(max(int(ox + t * dx), 0), across - 1)
    cj = min(max(int(oy + t * dy), 0), down - 1)
    ix, iy = (1.0 / dx if abs(dx) > 1e-12 else 1e30), (1.0 / dy if abs(dy) > 1e-12 else 1e30)
    top = levels - 1
    level = min(3, top)
    for _ in range(20000):
        i, j = ci >> level, cj >> level
        bx = ((i + 1) << level) if dx > 0.0 else (i << level)
        by = ((j + 1) << level) if dy > 0.0 else (j << level)
        tx = (bx - ox) * ix if abs(dx) > 1e-12 else 1e30
        ty = (by - oy) * iy if abs(dy) > 1e-12 else 1e30
        out = max(t, min(tx, ty))
        low = oz + (out if dz < 0.0 else t) * dz
        if low <= flat[offsets[base + level] + j * columns[base + level] + i]:
            if level > 0:
                level -= 1
                continue
            p = first + cj * wide + ci
            u, v, a = ox + t * dx - ci, oy + t * dy - cj, heights[p]
            b, c = heights[p + 1] - a, heights[p + wide] - a
            d = heights[p + wide + 1] - a - b - c
            f = a + b * u + c * v + d * u * v - (oz + t * dz)
            if f >= 0.0:
                return t
            q, s = d * dx * dy, b * dx + c * dy + d * (u * dy + v * dx) - dz
            disc = s * s - 4.0 * q * f
            if disc >= 0.0:
                under = -s - math.sqrt(disc)
                away = 2.0 * f / under if under < 0.0 else -1.0
                if 0.0 <= away <= out - t + 1e-9:
                    return t + away
        t = out
        if t >= end:
            return -1.0
        pi, pj = ci, cj
        if tx < ty:
            ci = ((i + 1) << level) if dx > 0.0 else (i << level) - 1
            lo = j << level
            cj = min(max(int(oy + t * dy), lo), lo + (1 << level) - 1)
        else:
            cj = ((j + 1) << level) if dy > 0.0 else (j << level) - 1
            lo = i << level
            ci = min(max(int(ox + t * dx), lo), lo + (1 << level) - 1)
        if ci < 0 or cj < 0 or ci >= across or cj >= down:
            return -1.0
        if level < top and ((ci >> (level + 1)) != (pi >> (level + 1)) or (cj >> (level + 1)) != (pj >> (level + 1))):
            level += 1
    return -1.0


@kernel
def _inside(grids, places, k, ox, oy, dx, dy, t, end):
    """Part of a ray's way from t to end that lies over a grid: (from, to), the second less when there is none."""
    s, left, top = places[k, 0], places[k, 1], places[k, 2]
    for axis in range(2):
        o, d = (ox, dx) if axis == 0 else (oy, dy)
        near = (left if axis == 0 else top) / s
        far = near + (grids[k, COLUMNS] - 1 if axis == 0 else grids[k, ROWS] - 1) / s
        if abs(d) < 1e-12:
            if o <= near or o >= far:
                return 1.0, 0.0
            continue
        a, b = (near - o) / d, (far - o) / d
        t, end = max(t, min(a, b)), min(end, max(a, b))
    return t, end


@kernel
def trace(heights, flat, offsets, rows, columns, grids, places, ways, ox, oy, oz, dx, dy, dz, start, base):
    """Follows one ray, in columns and rows of the coarsest grid and metres. The coarsest maxima know of the finer
    grids' heights. ways: room for a (from, to) for each grid. Returns (kind, t) as kernels.caster.trace."""
    peak = flat[offsets[grids[0, LEVELS] - 1]] + 0.01
    t, end, from_top = _clip(ox, oy, oz, dx, dy, dz, float(columns[0]), float(rows[0]), peak)
    if t > end:
        return 0, 0.0
    if start > t:
        t = start
        if t > end:
            return 0, 0.0
    elif not from_top and t > 0.0:
        z = oz + t * dz
        if z < _height(heights, 0, grids[0, COLUMNS], grids[0, ROWS], ox + t * dx, oy + t * dy):
            return (2, t) if z >= base else (0, 0.0)
    ways[0, 0], ways[0, 1] = t, end
    deep = 0
    for k in range(1, len(grids)):
        a, b = _inside(grids, places, k, ox, oy, dx, dy, ways[deep, 0], ways[deep, 1])
        if a >= b:
            break
        deep += 1
        ways[deep, 0], ways[deep, 1] = a, b
    # on each grid to the next finer one, down to the finest that it meets, and on each out of it again
    for step in range(2 * deep + 1):
        k = step if step <= deep else 2 * deep - step
        to = ways[k + 1, 0] if step < deep else ways[k, 1]
        if to <= t:
            continue
        s, left, top = places[k, 0], places[k, 1], places[k, 2]
        first, wide, maxima, levels = grids[k, HEIGHTS], grids[k, COLUMNS], grids[k, MAXIMA], grids[k, LEVELS]
        ray = (ox * s - left, oy * s - top, oz, dx * s, dy * s, dz)
        hit = _walk(heights, first, wide, flat, offsets, rows, columns, maxima, levels, *ray, t, to)
        if hit >= 0.0:
            return 1, hit
        t = to
    return 0, 0.0


@kernel
def cast_rows(
    h,
    heights,
    flat,
    offsets,
    rows,
    columns,
    grids,
    places,
    eye,
    forward,
    right,
    up,
    base,
    jitter_x,
    jitter_y,
    depth,
    hit_x,
    hit_y,
    kind,
    row0,
    row1,
    spread,
    spread_z,
):
    """Casts pixel rows, as kernels.caster.cast_rows. h: the coarsest heights, for rays that meet no finer grid, which
    cost half as much."""
    height, width = depth.shape
    ways, n = np.empty((len(grids) + 1, 2)), grids[0, LEVELS]
    coarse = (flat, offsets[:n], rows[:n], columns[:n])
    for y0 in range(row0, row1, 8):
        for x0 in range(0, width, 8):
            b, a = 1.0 - 2.0 * (y0 + 4.0) / height, 2.0 * (x0 + 4.0) / width - 1.0
            fx, fy = forward[0] + a * right[0] + b * up[0], forward[1] + a * right[1] + b * up[1]
            fz = forward[2] + a * right[2] + b * up[2]
            start = _cone_start(*coarse, eye[0], eye[1], eye[2], fx, fy, fz, spread, spread_z)
            for y in range(y0, min(y0 + 8, row1)):
                b = 1.0 - 2.0 * (y + 0.5 + jitter_y) / height
                for x in range(x0, min(x0 + 8, width)):
                    a = 2.0 * (x + 0.5 + jitter_x) / width - 1.0
                    dx = forward[0] + a * right[0] + b * up[0]
                    dy = forward[1] + a * right[1] + b * up[1]
                    dz = forward[2] + a * right[2] + b * up[2]
                    ray = (eye[0], eye[1], eye[2], dx, dy, dz, start, base)
                    a0, a1 = _inside(grids, places, 1, eye[0], eye[1], dx, dy, 0.0, 1e30)
                    if a0 >= a1:
                        k, t = coarse_trace(h, *coarse, *ray)
                    else:
                        k, t = trace(heights, flat, offsets, rows, columns, grids, places, ways, *ray)
                    kind[y, x], depth[y, x] = k, t
                    hit_x[y, x], hit_y[y, x] = eye[0] + t * dx, eye[1] + t * dy


@kernel
def _share(grids, places, k, px, py, rim):
    """How much of a grid is seen at a place of the coarsest one, 0 to 1: it comes in over so many samples from its
    rim."""
    x, y = px * places[k, 0] - places[k, 1], py * places[k, 0] - places[k, 2]
    away = min(min(x, grids[k, COLUMNS] - 1 - x), min(y, grids[k, ROWS] - 1 - y))
    return min(1.0, max(0.0, away / rim))


@kernel
def raised(flat, offsets, rows, columns, fine, scale, left, top):
    """Raises the coarsest grid's maxima to what a finer one has there. fine: (rows, columns) of its own maxima, over as
    many cells as one coarse one has in a row."""
    for r in range(fine.shape[0]):
        for c in range(fine.shape[1]):
            y, x = (top + r) // scale, (left + c) // scale
            for k in range(len(offsets)):
                p = offsets[k] + (y >> k) * columns[k] + (x >> k)
                if flat[p] >= fine[r, c]:
                    break
                flat[p] = fine[r, c]


@kernel
def join_rim(h, parent, width):
    """Near its rim a finer grid becomes its parent's surface, heights of which are given at its own samples."""
    rows, columns = h.shape
    for r in range(rows):
        for c in range(columns):
            away = min(min(r, rows - 1 - r), min(c, columns - 1 - c))
            if away < width:
                f = away / width
                f = f * f * (3.0 - 2.0 * f)
                h[r, c] = parent[r, c] + (h[r, c] - parent[r, c]) * f


@kernel
def stand_rows(heights, grids, places, dx, depth, times, rows, field_east, field_north, field_foot, row0, row1):
    """Feet of things on the finest grid that is under them, metres as drawn."""
    for i in range(row0, row1):
        px, py = rows[i, field_east] / dx, (depth - rows[i, field_north]) / dx
        for k in range(len(grids) - 1, 0, -1):
            x, y = px * places[k, 0] - places[k, 1], py * places[k, 0] - places[k, 2]
            if 0.0 <= x <= grids[k, COLUMNS] - 1 and 0.0 <= y <= grids[k, ROWS] - 1:
                foot = _height(heights, grids[k, HEIGHTS], grids[k, COLUMNS], grids[k, ROWS], x, y)
                rows[i, field_foot] = foot * times
                break


@kernel
def _finest(heights, grids, places, tex, tex_at, px, py, rim):
    """Height of the finest grid that is seen at a place of the coarsest one, and whether there is water on it."""
    k = len(grids) - 1
    while k > 0 and _share(grids, places, k, px, py, rim) <= 0.0:
        k -= 1
    x, y = px * places[k, 0] - places[k, 1], py * places[k, 0] - places[k, 2]
    rows, columns = grids[k, ROWS], grids[k, COLUMNS]
    sample = min(int(y + 0.5), rows - 1) * columns + min(int(x + 0.5), columns - 1)
    wet = tex[tex_at[grids[k, TEXTURE]] + 4 * sample + 3] == 0
    return _height(heights, grids[k, HEIGHTS], columns, rows, x, y), wet


@kernel
def wet_rows(heights, grids, places, tex, tex_at, level, kind, hit_x, hit_y, wet, row0, row1, rim):
    """As kernels.air.wet_rows, by the finest grid that is seen."""
    for y in range(row0, row1):
        for x in range(kind.shape[1]):
            if kind[y, x] != 1:
                continue
            px, py, k = hit_x[y, x], hit_y[y, x], len(grids) - 1
            while k > 0 and _share(grids, places, k, px, py, rim) <= 0.0:
                k -= 1
            u, v = px * places[k, 0] - places[k, 1], py * places[k, 0] - places[k, 2]
            rows, columns = grids[k, ROWS], grids[k, COLUMNS]
            wet[y, x] = shore(tex, tex_at[grids[k, TEXTURE]], rows, columns, u, v)
            if wet[y, x] <= 0.0 and _height(heights, grids[k, HEIGHTS], columns, rows, u, v) < level:
                wet[y, x] = 2.0


@kernel
def _colour(grids, places, tex, tex_at, tex_rows, tex_columns, px, py, footprint, rim):
    """Red, green and blue at a place of the coarsest grid: of the finest there, near its rim mixed with coarser ones.
    footprint: the pixel's size in samples of the coarsest."""
    red, green, blue, left = 0.0, 0.0, 0.0, 1.0
    for back in range(len(grids)):
        k = len(grids) - 1 - back
        share = _share(grids, places, k, px, py, rim) if k > 0 else 1.0
        if share <= 0.0:
            continue
        s, x, y = places[k, 0], px * places[k, 0] - places[k, 1], py * places[k, 0] - places[k, 2]
        a, e = grids[k, TEXTURE], grids[k, TEXTURE] + grids[k, TEXTURES]
        r, g, b = _texel(tex, tex_at[a:e], tex_rows[a:e], tex_columns[a:e], x, y, footprint * s)
        w = left * share
        red, green, blue = red + w * r, green + w * g, blue + w * b
        left -= w
        if left < 0.004:
            break
    return red, green, blue


@kernel
def shade_rows(
    h,
    heights,
    grids,
    places,
    tex,
    tex_at,
    tex_rows,
    tex_columns,
    hit_x,
    hit_y,
    depth,
    kind,
    out,
    row0,
    row1,
    dx,
    look,
    axes_z,
    colours,
    weight,
    rim,
):
    """G-buffer rows to RGB, as kernels.caster.shade_rows without contours, mesh and steepness; colours of a finer grid
    come in over ``rim`` of its samples. h: the coarsest heights."""
    height, width = depth.shape
    far, pixel, water_level, span, tall = look[0], look[1], look[3], look[4], look[5]
    for y in range(row0, row1):
        g = (look[8] + y) / look[9]
        b = 1.0 - 2.0 * (y + 0.5) / height
        for x in range(width):
            k = kind[y, x]
            if k == 0:
                for q in range(3):
                    out[y, x, q] += weight * (colours[0, q] + (colours[1, q] - colours[0, q]) * g)
                continue
            t, px, py = depth[y, x], hit_x[y, x], hit_y[y, x]
            haze = 0.7 * (1.0 - math.exp(-(t / far) * (t / far)))
            if k == 2:
                z = axes_z[0] + t * (axes_z[1] + (2.0 * (x + 0.5) / width - 1.0) * axes_z[2] + b * axes_z[3])
                side = _cut_side(h, px, py, z, span, tall)
                for q in range(3):
                    v = colours[3, q] * side
                    out[y, x, q] += weight * (v + (colours[1, q] - v) * haze)
                continue
            z, wet = _finest(heights, grids, places, tex, tex_at, px, py, rim)
            foot = 0.75 * t * pixel / dx
            red, green, blue = _colour(grids, places, tex, tex_at, tex_rows, tex_columns, px, py, foot, rim)
            if look[10] > 0.0 and not wet:
                e = math.exp(look[10] * grain(hit_x, hit_y, kind, x, y, px, py, dx, t * pixel, 0.9 * dx))
                red, green, blue = red * e, green * (1.0 + 0.96 * (e - 1.0)), blue * (1.0 + 0.85 * (e - 1.0))
            sea = 0.5 + 0.4 * min(1.0, (water_level - z) / (0.05 * span + 1e-3)) if z < water_level else 0.0
            for q in range(3):
                v = red if q == 0 else (green if q == 1 else blue)
                v += (colours[4, q] - v) * sea
                out[y, x, q] += weight * (v + (colours[1, q] - v) * haze)
