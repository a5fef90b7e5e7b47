"""A height-field ray caster: camera and max-mip pyramid to a G-buffer, G-buffer to pixels.

Rays are left unnormalised so that t is view depth. Each 8x8 block of pixels first follows one cone to a start that
is safe for all its rays; each ray then walks a pyramid of cell maxima (after Tevs, Ihrke and Seidel 2008) with
integer steps, and meets the exact bilinear surface of a cell.

"""

from __future__ import annotations

import math

import numpy as np

from .bands import kernel, over_rows
from .grain import grain

SKY, GROUND, WALL = 0, 1, 2
BLOCK = 8


@kernel
def _cell_max_rows(h, out, row0, row1):
    for r in range(row0, row1):
        for c in range(out.shape[1]):
            out[r, c] = max(max(h[r, c], h[r, c + 1]), max(h[r + 1, c], h[r + 1, c + 1]))


@kernel
def _fill_mips(flat, offsets, rows, columns):
    """Fills each level of the pyramid with maxima over 2 x 2 cells of the one below. offsets, rows, columns: of the
    levels."""
    for k in range(1, len(offsets)):
        a, b = offsets[k - 1], offsets[k]
        for r in range(rows[k]):
            for c in range(columns[k]):
                y, x = 2 * r, 2 * c
                y1, x1 = min(y + 1, rows[k - 1] - 1), min(x + 1, columns[k - 1] - 1)
                w = columns[k - 1]
                flat[b + r * columns[k] + c] = max(
                    max(flat[a + y * w + x], flat[a + y * w + x1]), max(flat[a + y1 * w + x], flat[a + y1 * w + x1])
                )


def max_pyramid(h: np.ndarray) -> tuple[np.ndarray, ...]:
    """Maxima of the height over cells, then over 2 x 2 of them, and so on to one.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.

    Returns
    -------
    (flat float32 maxima of all levels, their offsets, rows and columns of each).

    References
    ----------
    Tevs, A., Ihrke, I. and Seidel, H.-P. (2008): Maximum mipmaps for fast, accurate, and scalable dynamic height field
    rendering.
    """
    r, c = h.shape[0] - 1, h.shape[1] - 1
    # cells lie between samples, so there is one fewer each way
    rows, columns, offsets, total = [], [], [], 0
    while True:
        rows.append(r)
        columns.append(c)
        offsets.append(total)
        total += r * c
        if r == 1 and c == 1:
            break
        r, c = -(-r // 2), -(-c // 2)
    flat = np.empty(total, np.float32)
    first = flat[: rows[0] * columns[0]].reshape(rows[0], columns[0])
    over_rows(lambda a, b: _cell_max_rows(h, first, a, b), rows[0])
    dims = tuple(np.array(v, np.int64) for v in (offsets, rows, columns))
    _fill_mips(flat, *dims)
    return (flat, *dims)


@kernel
def _clip(ox, oy, oz, dx, dy, dz, width, depth, top):
    """Distances at which a ray enters and leaves the box over the site below ``top``: (t in, t out, 1 when it came in
    by the top)."""
    t0, t1, from_top = 0.0, 1e30, 0
    for axis in range(2):
        o, d, far = (ox, dx, width) if axis == 0 else (oy, dy, depth)
        # parallel to the walls: inside or never
        if abs(d) < 1e-12:
            if o < 0.0 or o > far:
                return 1.0, 0.0, 0
            continue
        a, b = -o / d, (far - o) / d
        if a > b:
            a, b = b, a
        t0, t1 = max(t0, a), min(t1, b)
    # coming from above, it enters by the lid and not by a wall
    if dz < 0.0 and oz + t0 * dz > top:
        t0, from_top = (top - oz) / dz, 1
    elif dz >= 0.0 and oz + t0 * dz > top:
        return 1.0, 0.0, 0
    elif dz > 0.0:
        t1 = min(t1, (top - oz) / dz)
    return t0, t1, from_top


@kernel
def height_at(h, x, y):
    """Bilinear height at column x and row y."""
    c, r = min(max(int(x), 0), h.shape[1] - 2), min(max(int(y), 0), h.shape[0] - 2)
    u, v = x - c, y - r
    return (h[r, c] * (1 - u) + h[r, c + 1] * u) * (1 - v) + (h[r + 1, c] * (1 - u) + h[r + 1, c + 1] * u) * v


@kernel
def _patch_hit(h, ci, cj, u, v, z, dx, dy, dz):
    """How much further a ray goes until it meets the land of a cell, -1 when it does not; u, v: where it is, in shares
    of the cell; z: metres."""
    # bilinear patch a + b u + c v + d u v: along the ray a quadratic q s^2 + p s + f
    a = h[cj, ci]
    b, c = h[cj, ci + 1] - a, h[cj + 1, ci] - a
    d = h[cj + 1, ci + 1] - a - b - c
    f = a + b * u + c * v + d * u * v - z
    if f >= 0.0:
        return 0.0
    q, p = d * dx * dy, b * dx + c * dy + d * (u * dy + v * dx) - dz
    disc = p * p - 4.0 * q * f
    if disc < 0.0:
        return -1.0
    under = -p - math.sqrt(disc)
    # the smaller root, in the form that does not cancel
    return 2.0 * f / under if under < 0.0 else -1.0


@kernel
def trace(h, flat, offsets, rows, columns, ox, oy, oz, dx, dy, dz, start, base):
    """Follows one ray (columns, rows, metres). Returns (kind, t). base: height of the block's underside."""
    width, depth = float(columns[0]), float(rows[0])
    top_level = len(offsets) - 1
    t, t1, from_top = _clip(ox, oy, oz, dx, dy, dz, width, depth, flat[offsets[top_level]] + 0.01)
    if t > t1:
        return 0, 0.0
    if start > t:
        t = start
        if t > t1:
            return 0, 0.0
    # entering by a wall below the land's surface shows the block's cut side
    elif not from_top:
        z = oz + t * dz
        if t > 0.0 and z < height_at(h, ox + t * dx, oy + t * dy):
            return (2, t) if z >= base else (0, 0.0)
    # walk of a quadtree of maxima: up a level after each clear cell, down one where the ray dips below its maximum
    ci = min(max(int(ox + t * dx), 0), columns[0] - 1)
    cj = min(max(int(oy + t * dy), 0), rows[0] - 1)
    ix, iy = (1.0 / dx if abs(dx) > 1e-12 else 1e30), (1.0 / dy if abs(dy) > 1e-12 else 1e30)
    level = min(3, top_level)
    for _ in range(20000):
        i, j = ci >> level, cj >> level
        # next wall of the cell in both directions
        bx = ((i + 1) << level) if dx > 0.0 else (i << level)
        by = ((j + 1) << level) if dy > 0.0 else (j << level)
        tx = (bx - ox) * ix if abs(dx) > 1e-12 else 1e30
        ty = (by - oy) * iy if abs(dy) > 1e-12 else 1e30
        out = max(t, min(tx, ty))
        # lowest point of the ray within the cell
        low = oz + (out if dz < 0.0 else t) * dz
        if low <= flat[offsets[level] + j * columns[level] + i]:
            if level > 0:
                level -= 1
                continue
            s = _patch_hit(h, ci, cj, ox + t * dx - ci, oy + t * dy - cj, oz + t * dz, dx, dy, dz)
            if 0.0 <= s <= out - t + 1e-9:
                return 1, t + s
        t = out
        if t >= t1:
            return 0, 0.0
        pi, pj = ci, cj
        if tx < ty:
            # step over the wall that is nearer, and stay within the cell along it
            ci = ((i + 1) << level) if dx > 0.0 else (i << level) - 1
            lo = j << level
            cj = min(max(int(oy + t * dy), lo), lo + (1 << level) - 1)
        else:
            cj = ((j + 1) << level) if dy > 0.0 else (j << level) - 1
            lo = i << level
            ci = min(max(int(ox + t * dx), lo), lo + (1 << level) - 1)
        if ci < 0 or cj < 0 or ci >= columns[0] or cj >= rows[0]:
            return 0, 0.0
        # a larger cell only once the ray has left the one that held it
        if level < top_level and (
            (ci >> (level + 1)) != (pi >> (level + 1)) or (cj >> (level + 1)) != (pj >> (level + 1))
        ):
            level += 1
    return 0, 0.0


@kernel
def _cone_start(flat, offsets, rows, columns, ox, oy, oz, dx, dy, dz, spread, spread_z):
    """A t that no ray of a block can hit before. spread, spread_z: the cone's growth a unit of t in cells and
    metres."""
    top_level = len(offsets) - 1
    peak = flat[offsets[top_level]]
    t, t1, _ = _clip(ox, oy, oz, dx, dy, dz, float(columns[0]), float(rows[0]), peak + 1e6)
    if t > 0.0:
        return 0.0  # the block may see the cut sides: no short cut
    t = 0.0
    for _ in range(200):
        x, y, z = ox + t * dx, oy + t * dy, oz + t * dz
        reach = 0.02 * (t + 1e-3) + 1e-9
        # steps grow with distance, as the cone does
        step = max(reach, 2.0 / max(math.hypot(dx, dy), 1e-9))
        r = spread * (t + step) + math.hypot(dx, dy) * step + 1.0
        level = 0
        # the level whose cells are as broad as the cone: nine of them cover it
        while level < top_level and (1 << level) < r:
            level += 1
        i, j = int(x) >> level, int(y) >> level
        high = -1e30
        for b in range(max(0, j - 1), min(rows[level], j + 2)):
            for a in range(max(0, i - 1), min(columns[level], i + 2)):
                high = max(high, flat[offsets[level] + b * columns[level] + a])
        low = min(z, oz + (t + step) * dz) - spread_z * (t + step)
        if low <= high or t > t1:
            return t
        t += step
    return t


@kernel
def cast_rows(
    h,
    flat,
    offsets,
    rows,
    columns,
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
    use_cone,
):
    """Casts pixel rows. eye and axes are in (columns, rows, metres); right and up reach the picture's edges at t =
    1."""
    height, width = depth.shape
    for y0 in range(row0, row1, 8):
        for x0 in range(0, width, 8):
            start = 0.0
            if use_cone:
                b, a = 1.0 - 2.0 * (y0 + 4.0) / height, 2.0 * (x0 + 4.0) / width - 1.0
                start = _cone_start(
                    flat,
                    offsets,
                    rows,
                    columns,
                    eye[0],
                    eye[1],
                    eye[2],
                    forward[0] + a * right[0] + b * up[0],
                    forward[1] + a * right[1] + b * up[1],
                    forward[2] + a * right[2] + b * up[2],
                    spread,
                    spread_z,
                )
            for y in range(y0, min(y0 + 8, row1)):
                b = 1.0 - 2.0 * (y + 0.5 + jitter_y) / height
                for x in range(x0, min(x0 + 8, width)):
                    a = 2.0 * (x + 0.5 + jitter_x) / width - 1.0
                    dx = forward[0] + a * right[0] + b * up[0]
                    dy = forward[1] + a * right[1] + b * up[1]
                    dz = forward[2] + a * right[2] + b * up[2]
                    k, t = trace(h, flat, offsets, rows, columns, eye[0], eye[1], eye[2], dx, dy, dz, start, base)
                    kind[y, x], depth[y, x] = k, t
                    hit_x[y, x], hit_y[y, x] = eye[0] + t * dx, eye[1] + t * dy


@kernel
def _fetch(flat, start, rows, columns, x, y):
    """Bilinear fetch of red, green and blue from a texture level held in a flat array."""
    x, y = min(max(x, 0.0), columns - 1.001), min(max(y, 0.0), rows - 1.001)
    c, r = int(x), int(y)
    u, v = x - c, y - r
    p = start + (r * columns + c) * 4
    w = p + columns * 4
    a, b, d, e = (1 - u) * (1 - v), u * (1 - v), (1 - u) * v, u * v
    return (
        flat[p] * a + flat[p + 4] * b + flat[w] * d + flat[w + 4] * e,
        flat[p + 1] * a + flat[p + 5] * b + flat[w + 1] * d + flat[w + 5] * e,
        flat[p + 2] * a + flat[p + 6] * b + flat[w + 2] * d + flat[w + 6] * e,
    )


@kernel
def _texel(tex, tex_at, tex_rows, tex_columns, x, y, footprint):
    """Trilinear fetch: ``footprint`` is the pixel's size in samples."""
    # two levels of the mip map, blended
    lod = min(math.log2(footprint), len(tex_at) - 1.0) if footprint > 1.0 else 0.0
    m = int(lod)
    f = lod - m
    scale = 1.0 / (1 << m)
    red, green, blue = _fetch(
        tex, tex_at[m], tex_rows[m], tex_columns[m], (x + 0.5) * scale - 0.5, (y + 0.5) * scale - 0.5
    )
    if f > 0.02 and m + 1 < len(tex_at):
        scale *= 0.5
        r2, g2, b2 = _fetch(
            tex, tex_at[m + 1], tex_rows[m + 1], tex_columns[m + 1], (x + 0.5) * scale - 0.5, (y + 0.5) * scale - 0.5
        )
        red, green, blue = red + (r2 - red) * f, green + (g2 - green) * f, blue + (b2 - blue) * f
    return red, green, blue


@kernel
def _contour(h, hit_x, hit_y, kind, x, y, z, interval):
    """Darkness 0-1 of a contour line at a pixel; lines closer than a few pixels fade away."""
    height, width = kind.shape
    x1, y1 = (x + 1 if x + 1 < width else x - 1), (y + 1 if y + 1 < height else y - 1)
    grad = 1e-6
    # metres between neighbouring pixels make lines equally thin everywhere
    if kind[y, x1] == 1:
        grad = max(grad, abs(height_at(h, hit_x[y, x1], hit_y[y, x1]) - z))
    if kind[y1, x] == 1:
        grad = max(grad, abs(height_at(h, hit_x[y1, x], hit_y[y1, x]) - z))
    nearest = math.floor(z / interval + 0.5)
    away = abs(z - nearest * interval) / grad
    heavy = int(nearest) % 5 == 0
    # fades where lines come closer than about three pixels; every fifth one stays longer
    crowd = min(1.0, max(0.0, (interval * (5.0 if heavy else 1.0) / grad - 2.5) / 4.0))
    return (0.7 if heavy else 0.42) * crowd * min(1.0, max(0.0, 1.3 - away))


@kernel
def _mesh(hit_x, hit_y, kind, x, y, px, py, footprint):
    """Darkness 0-1 of the mesh of samples at a pixel; every second, fourth ... line only where they would crowd.

    footprint: the pixel's size in samples as seen straight on."""
    height, width = kind.shape
    x1, y1 = (x + 1 if x + 1 < width else x - 1), (y + 1 if y + 1 < height else y - 1)
    gx = gy = 1e-4
    if kind[y, x1] == 1:
        gx, gy = max(gx, abs(hit_x[y, x1] - px)), max(gy, abs(hit_y[y, x1] - py))
    if kind[y1, x] == 1:
        gx, gy = max(gx, abs(hit_x[y1, x] - px)), max(gy, abs(hit_y[y1, x] - py))
    step = 1.0
    while step < 7.0 * footprint and step < 4096.0:
        step *= 2.0
    ax = abs(px - math.floor(px / step + 0.5) * step) / gx
    ay = abs(py - math.floor(py / step + 0.5) * step) / gy
    line_x = min(1.0, max(0.0, 1.1 - ax)) * min(
        1.0, max(0.0, step / gx - 1.5)
    )  # foreshortened lines fade before they fill
    line_y = min(1.0, max(0.0, 1.1 - ay)) * min(1.0, max(0.0, step / gy - 1.5))
    return 0.6 * max(line_x, line_y)


@kernel
def steepest(h, px, py):
    """Greatest difference between neighbouring samples of the cell at column px and row py, metres."""
    c, r = min(max(int(px), 0), h.shape[1] - 2), min(max(int(py), 0), h.shape[0] - 2)
    a, b, d, e = h[r, c], h[r, c + 1], h[r + 1, c], h[r + 1, c + 1]
    return max(max(abs(a - b), abs(d - e)), max(abs(a - d), abs(b - e)))


@kernel
def _count_steep(h, limit, out, row0, row1):
    for r in range(row0, row1):
        n = 0
        for c in range(h.shape[1] - 1):
            n += steepest(h, c, r) > limit
        out[r] = n


def steep_fraction(h: np.ndarray, limit: float) -> float:
    """Share of the cells in which neighbouring samples differ by more than a limit.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    limit :
        metres.

    Returns
    -------
    A share, 0 to 1.
    """
    counts = np.zeros(h.shape[0] - 1, np.int64)
    over_rows(lambda a, b: _count_steep(h, limit, counts, a, b), h.shape[0] - 1)
    return float(counts.sum()) / ((h.shape[0] - 1) * (h.shape[1] - 1))


@kernel
def _cut_side(h, px, py, z, span, tall):
    """Brightness of the cut sides: wavy bedding in absolute height, a turf line, darker below."""
    turned = min(px, h.shape[1] - 1 - px) < min(py, h.shape[0] - 1 - py)
    bed = math.sin((z + 0.02 * span * math.sin((px + py) * 24.0 / h.shape[1])) * (70.0 / span)) * 0.5 + 0.5
    under = max(0.0, height_at(h, px, py) - z)
    turf = 0.74 if under < 0.012 * span else 1.0
    return (0.86 if turned else 1.0) * turf * (0.92 + 0.08 * bed) * (1.0 - 0.3 * min(1.0, under / tall))


@kernel
def shade_rows(
    h, tex, tex_at, tex_rows, tex_columns, hit_x, hit_y, depth, kind, out, row0, row1, dx, look, axes_z, colours, weight
):
    """G-buffer rows to RGB bytes, added with this weight to out (float32, height x width x 3).

    look: haze distance (m), size of a pixel at t = 1 (m), contour interval (m, 0 for none), water level (m), relief
    (m), height of the block (m), 1 to draw the mesh of samples, step between samples that is warned of (m, 0 for
    none), rows of the picture above these, all its rows but one, and the strength of the grain. axes_z: heights of
    eye, forward, right and up. colours: rows sky top, sky low, ink, cut side, water, warning."""
    height, width = depth.shape
    far, pixel, interval, water_level, span, tall = look[0], look[1], look[2], look[3], look[4], look[5]
    mesh, steep = look[6] > 0.0, look[7]
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
            z = height_at(h, px, py)
            line = _contour(h, hit_x, hit_y, kind, x, y, z, interval) if interval > 0.0 and z >= water_level else 0.0
            if mesh:
                line = max(line, _mesh(hit_x, hit_y, kind, x, y, px, py, t * pixel / dx))
            warn = 0.0
            if steep > 0.0 and steepest(h, px, py) > steep:  # hatched, so that it is not told by colour alone
                warn = 0.75 if ((x + y) >> 2) & 1 else 0.4
            wet = 0.5 + 0.4 * min(1.0, (water_level - z) / (0.05 * span + 1e-3)) if z < water_level else 0.0
            red, green, blue = _texel(tex, tex_at, tex_rows, tex_columns, px, py, 0.75 * t * pixel / dx)
            at = min(int(py + 0.5), tex_rows[0] - 1) * tex_columns[0] + min(int(px + 0.5), tex_columns[0] - 1)
            if look[10] > 0.0 and tex[4 * at + 3] > 0:  # water is even
                e = math.exp(look[10] * grain(hit_x, hit_y, kind, x, y, px, py, dx, t * pixel, 0.9 * dx))
                red, green, blue = red * e, green * (1.0 + 0.96 * (e - 1.0)), blue * (1.0 + 0.85 * (e - 1.0))
            for q in range(3):
                v = red if q == 0 else (green if q == 1 else blue)
                v += (colours[4, q] - v) * wet
                v += (colours[5, q] - v) * warn
                v += (colours[2, q] - v) * line
                out[y, x, q] += weight * (v + (colours[1, q] - v) * haze)


@kernel
def to_bytes_rows(total, weight, out, row0, row1):
    """Averaged RGB to 32-bit pixels (blue, green, red, 255)."""
    for y in range(row0, row1):
        for x in range(total.shape[1]):
            # Half a step of ordered noise hides the bands that a quiet sky would show.
            n = ((((x * 73856093) ^ (y * 19349663)) & 255) / 255.0 - 0.5) * 0.9 + 0.5
            for q in range(3):
                out[y, x, 2 - q] = int(min(255.0, max(0.0, total[y, x, q] * weight + n)))
            out[y, x, 3] = 255
