"""Things that stand on the ground, drawn as upright pictures that are lit by their normals.

A thing is a row: metres east, north and height of its foot, size, kind, lot 0-1, sunlight at its foot and layer. A
picture of a kind is seven bytes a texel: alpha, normal to the right, up and to the viewer, and the root of red, green
and blue.
"""

from __future__ import annotations

import math

import numpy as np

from .bands import kernel
from .caster import height_at
from .light import AMBIENT, BOUNCE

EAST, NORTH, FOOT, SIZE, KIND, LOT, LIT, LAYER = range(8)
FIELDS = 8
#: Bytes of a texel.
TEXEL = 7
#: Pixels below which a thing is one pixel, and from which it casts a shadow.
ONE_PIXEL, CASTS = 2.5, 4.0
#: Longest shadow, metres: a low sun's would reach over all the land.
LONGEST = 60.0


@kernel
def ellipsoids(parts, alpha, normal, colour):
    """Draws ellipsoids as they are seen from the front.

    parts: (n, 9) middle x, y, z, radii, and red, green and blue; x from -1/2 to 1/2, y up from 0 to 1, z towards the
    viewer. alpha (rows, columns), normal and colour (rows, columns, 3) are filled."""
    rows, columns = alpha.shape
    front = np.full((rows, columns), -1e9)
    for k in range(parts.shape[0]):
        x, y, z, rx, ry, rz = parts[k, 0], parts[k, 1], parts[k, 2], parts[k, 3], parts[k, 4], parts[k, 5]
        top, bottom = int((1.0 - y - ry) * rows) - 1, int((1.0 - y + ry) * rows) + 2
        left, right = int((0.5 + x - rx) * columns) - 1, int((0.5 + x + rx) * columns) + 2
        for r in range(max(0, top), min(rows, bottom)):
            v = (1.0 - (r + 0.5) / rows - y) / ry
            for c in range(max(0, left), min(columns, right)):
                u = ((c + 0.5) / columns - 0.5 - x) / rx
                d = u * u + v * v
                if d >= 1.0:
                    continue
                w = math.sqrt(1.0 - d)
                if z + w * rz <= front[r, c]:
                    continue
                front[r, c], alpha[r, c] = z + w * rz, 1.0
                nx, ny, nz = u / rx, v / ry, w / rz
                length = math.sqrt(nx * nx + ny * ny + nz * nz)
                normal[r, c, 0], normal[r, c, 1], normal[r, c, 2] = nx / length, ny / length, nz / length
                for q in range(3):
                    colour[r, c, q] = parts[k, 6 + q]


@kernel
def stand_on(h, sun, dx, depth, times, things, row0, row1):
    """Puts things on the land and tells the sunlight at their feet. times: how much higher the land is drawn."""
    for i in range(row0, row1):
        x, y = things[i, EAST] / dx, (depth - things[i, NORTH]) / dx
        things[i, FOOT] = height_at(h, x, y) * times
        things[i, LIT] = height_at(sun, x, y)


@kernel
def project(things, eye, forward, right, up, shift_x, shift_y, sizes, seen):
    """Where things are in a picture.

    eye, forward, right and up: metres; right and up reach the picture's edges at depth 1. shift_x, shift_y: of the
    pass, pixels. sizes: metres tall and wide of each kind at size 1. seen: (n, 5) column and row of the foot, depth,
    pixels tall and wide; 0 wide when out of sight; the last row holds the picture's width and height when called."""
    width, height = seen[-1, 0], seen[-1, 1]
    rr = right[0] ** 2 + right[1] ** 2 + right[2] ** 2
    uu = up[0] ** 2 + up[1] ** 2 + up[2] ** 2
    per = 0.5 * height / math.sqrt(uu)
    for i in range(things.shape[0]):
        x, y, z = things[i, EAST] - eye[0], things[i, NORTH] - eye[1], things[i, FOOT] - eye[2]
        t = x * forward[0] + y * forward[1] + z * forward[2]
        seen[i, 4] = 0.0
        if t < 0.3:
            continue
        k = int(things[i, KIND])
        tall, wide = sizes[k, 0] * things[i, SIZE] * per / t, sizes[k, 1] * things[i, SIZE] * per / t
        a = (x * right[0] + y * right[1] + z * right[2]) / (rr * t)
        b = (x * up[0] + y * up[1] + z * up[2]) / (uu * t)
        column, row = (a + 1.0) * 0.5 * width - shift_x, (1.0 - b) * 0.5 * height - shift_y
        if column + wide < 0 or column - wide > width or row < -2 or row - tall > height:
            continue
        seen[i, 0], seen[i, 1], seen[i, 2], seen[i, 3], seen[i, 4] = column, row, t, tall, wide


@kernel
def _draw(x, y, i, salt):
    """A number 0-1 of a pixel, a thing and a pass."""
    n = np.uint32(x * 73856093 ^ y * 19349663 ^ i * 83492791 ^ salt * 6291469)
    n = np.uint32((n ^ (n >> np.uint32(13))) * np.uint32(1274126177))
    n = np.uint32(n ^ (n >> np.uint32(16)))
    return float(n & np.uint32(65535)) / 65536.0


@kernel
def _shadow_box(thing, tall, wide, reach, sun_x, sun_y, eye, forward, right, up, width, height):
    """Pixels (left, right, top, bottom) within which a thing's shadow lies, on ground that is not too steep."""
    rr = right[0] ** 2 + right[1] ** 2 + right[2] ** 2
    uu = up[0] ** 2 + up[1] ** 2 + up[2] ** 2
    x0, x1, y0, y1 = 1e9, -1e9, 1e9, -1e9
    for corner in range(8):
        along = -reach if corner & 1 else 0.25 * wide
        side = 0.5 * wide if corner & 2 else -0.5 * wide
        rise = (0.12 if corner & 4 else -0.2) * (reach if corner & 1 else 0.1 * reach)
        px = thing[EAST] + sun_x * along - sun_y * side - eye[0]
        py = thing[NORTH] + sun_y * along + sun_x * side - eye[1]
        pz = thing[FOOT] + rise - eye[2]
        t = max(0.5, px * forward[0] + py * forward[1] + pz * forward[2])
        qx = ((px * right[0] + py * right[1] + pz * right[2]) / (rr * t) + 1.0) * 0.5 * width
        qy = (1.0 - (px * up[0] + py * up[1] + pz * up[2]) / (uu * t)) * 0.5 * height
        x0, x1, y0, y1 = min(x0, qx), max(x1, qx), min(y0, qy), max(y1, qy)
    # pixels beyond the picture are no numbers that fit
    x0, x1 = max(0.0, x0 - 1.0), min(float(width), x1 + 2.0)
    y0, y1 = max(0.0, y0 - 1.0), min(float(height), y1 + 2.0)
    return int(x0), int(x1), int(y0), int(y1)


@kernel
def shadow_rows(
    things, seen, order, sizes, atlas, at, dims, kind, depth, hit_x, hit_y, dx, frame, view, sun, shade, row0, row1
):
    """Shadow of things on the ground: a pixel looks along the sun to the upright plane through the thing that faces it.

    order: the things that cast one. at: where pictures of kind and form begin, by level; dims: texels of each level.
    frame: depth of the site in metres, where these pixels begin in the picture, and its width and height. view: rows
    eye, forward, right, up in metres. sun: to the sun, a unit vector. shade: filled, 0 none to 1."""
    left, top, width, height = frame[1], frame[2], frame[3], frame[4]
    eye, forward, right, up = view[0], view[1], view[2], view[3]
    level_sun = max(1e-6, math.hypot(sun[0], sun[1]))
    sun_x, sun_y, rise = sun[0] / level_sun, sun[1] / level_sun, max(0.02, sun[2] / level_sun)
    forms, rows, columns = at.shape[0] // sizes.shape[0], dims[1], dims[1]
    for o in range(order.shape[0]):
        i = order[o]
        k = int(things[i, KIND])
        tall, wide = sizes[k, 0] * things[i, SIZE], sizes[k, 1] * things[i, SIZE]
        reach = min(tall / rise, LONGEST)
        xa, xb, ya, yb = _shadow_box(things[i], tall, wide, reach, sun_x, sun_y, eye, forward, right, up, width, height)
        base = at[k * forms + int(things[i, LOT] * forms), 1]
        for y in range(max(row0, ya - int(top)), min(row1, yb - int(top))):
            b = 1.0 - 2.0 * (y + top + 0.5) / height
            for x in range(max(0, xa - int(left)), min(shade.shape[1], xb - int(left))):
                if kind[y, x] != 1:
                    continue
                east, north = hit_x[y, x] * dx - things[i, EAST], frame[0] - hit_y[y, x] * dx - things[i, NORTH]
                # a soft spot at the foot, whatever the sun
                near = (east * east + north * north) / (0.3 * wide * wide)
                dark = 0.45 * (1.0 - near) if near < 1.0 else 0.0
                away, u = -(east * sun_x + north * sun_y), (north * sun_x - east * sun_y) / wide + 0.5
                if 0.0 <= u < 1.0 and -0.3 * wide < away < 1.3 * reach:
                    a = 2.0 * (x + left + 0.5) / width - 1.0
                    z = eye[2] + depth[y, x] * (forward[2] + a * right[2] + b * up[2]) - things[i, FOOT]
                    v = (z + away * rise) / tall
                    if 0.0 <= v < 1.0:
                        p = base + (int((1.0 - v) * rows) * columns + int(u * columns)) * TEXEL
                        dark = max(dark, atlas[p] / 255.0)
                shade[y, x] = max(shade[y, x], dark)


@kernel
def darken_rows(total, shade, kind, hit_x, hit_y, h, sun, dx, light, sun_rgb, sky_rgb, row0, row1):
    """Takes the sun's part of the light from shaded ground. light: to the sun, a unit vector."""
    mean_sun, mean_sky = sun_rgb.mean(), sky_rgb.mean()
    for y in range(row0, row1):
        for x in range(total.shape[1]):
            if shade[y, x] <= 0.0 or kind[y, x] != 1:
                continue
            c = min(max(int(hit_x[y, x]), 0), h.shape[1] - 2)
            r = min(max(int(hit_y[y, x]), 0), h.shape[0] - 2)
            gx = (h[r, c + 1] - h[r, c] + h[r + 1, c + 1] - h[r + 1, c]) / (2 * dx)
            gy = (h[r, c] - h[r + 1, c] + h[r, c + 1] - h[r + 1, c + 1]) / (2 * dx)
            n = 1.0 / math.sqrt(1.0 + gx * gx + gy * gy)
            direct = max(0.0, (light[2] - gx * light[0] - gy * light[1]) * n) * mean_sun
            direct *= height_at(sun, hit_x[y, x], hit_y[y, x])
            around = (AMBIENT + (1.0 - AMBIENT) * n) * mean_sky + BOUNCE
            # colours are roots of light, nearly
            f = max(0.02, 1.0 - shade[y, x] * direct / (direct + around)) ** 0.4545
            for q in range(3):
                total[y, x, q] *= f + (0.08 * (1.0 - f) if q == 2 else 0.0)


@kernel
def _haze(t, far):
    """Share of the haze's colour at a depth; as on the ground (caster.py)."""
    return 0.7 * (1.0 - math.exp(-(t / far) * (t / far)))


@kernel
def _far_pixel(place, i, thing, tint, mean, lights, table, haze, low, salt, depth, out, row0, row1):
    """A thing that is too far away for a picture: one pixel, as often as it would cover it."""
    column, foot, t, tall, wide = place[0], place[1], place[2], place[3], place[4]
    if foot < 0.5 * tall or column < 0:
        return
    y, x = int(foot - 0.5 * tall), int(column)
    if not (row0 <= y < row1 and x < depth.shape[1]) or depth[y, x] < t * 0.9995 - 1.0:
        return
    if _draw(x, y, i, salt) > min(1.0, tall * wide * mean[3]):
        return
    depth[y, x] = t
    direct = (0.5 * max(0.0, lights[0, 1]) + 0.28) * thing[LIT]
    bright = 0.8 + 0.4 * ((thing[LOT] * 17.0) % 1.0)
    for q in range(3):
        v = mean[q] * tint[q] * bright * (lights[1, q] * direct + 0.62 * lights[2, q])
        c = float(table[min(4095, int(v * 1024.0))])
        out[y, x, q] = c + (low[q] - c) * haze


@kernel
def _picture(place, i, thing, tint, slack, texels, n, lights, table, haze, low, salt, depth, out, row0, row1):
    """A thing's picture. texels: of its form, n along each side; slack: metres by which ground may stand before it."""
    column, foot, t, tall, wide = place[0], place[1], place[2], place[3], place[4]
    lot, lit, flip = thing[LOT], thing[LIT], thing[LOT] * 2.0 % 1.0 > 0.5
    bright = 0.8 + 0.4 * ((lot * 17.0) % 1.0)
    left, right = math.ceil(column - 0.5 * wide - 0.5), math.ceil(column + 0.5 * wide - 0.5)
    for y in range(max(row0, math.ceil(foot - tall - 0.5)), min(row1, math.ceil(foot - 0.5))):
        v = (y + 0.5 - foot + tall) / tall
        for x in range(max(0, left), min(depth.shape[1], right)):
            if depth[y, x] < t - slack:
                continue
            # nearer than its texels a lot takes one of the four around, so that passes make edges soft and not square
            soft = 0.5 if tall > n else 0.0
            r = v * n + soft * (2.0 * _draw(x, y, i, salt + 101) - 1.0)
            c = ((x + 0.5 - column) / wide + 0.5) * n + soft * (2.0 * _draw(x, y, i, salt + 211) - 1.0)
            r, c = min(n - 1, max(0, int(r))), min(n - 1, max(0, int(c)))
            p = (r * n + (n - 1 - c if flip else c)) * TEXEL
            alpha = texels[p]
            if alpha < 8 or (alpha < 248 and alpha / 255.0 < _draw(x, y, i, salt)):
                continue
            nx = (texels[p + 1] - 128.0) / 127.0 * (-1.0 if flip else 1.0)
            ny, nz = (texels[p + 2] - 128.0) / 127.0, (texels[p + 3] - 128.0) / 127.0
            # light shines through leaves a little, and less sky is seen low down
            direct = (max(0.0, nx * lights[0, 0] + ny * lights[0, 1] + nz * lights[0, 2]) + 0.18) * lit
            around = max(0.0, 0.42 + 0.42 * ny + 0.16 * (1.0 - v))
            for q in range(3):
                w = texels[p + 4 + q] / 255.0
                w = w * w * tint[q] * bright * (lights[1, q] * direct + lights[2, q] * around)
                b = float(table[min(4095, int(w * 1024.0))])
                out[y, x, q] = b + (low[q] - b) * haze
            depth[y, x] = t


@kernel
def draw_rows(
    things, seen, order, sizes, tints, texels, at, dims, mean, depth, out, lights, table, far, low, salt, row0, row1
):
    """Draws things into rows of a pass, near ones first.

    tints: factors of red, green and blue of each layer. mean: red, green, blue and alpha of each kind. depth: of what
    is seen, lowered where something stands. lights: rows to the sun (to the right, up and to the viewer), and the
    colours of sun and sky. table: light to bytes. far: metres at which haze sets in; low: its colour. salt: of the
    pass."""
    forms = at.shape[0] // sizes.shape[0]
    for o in range(order.shape[0]):
        i = order[o]
        foot, t, tall = seen[i, 1], seen[i, 2], seen[i, 3]
        if foot < row0 or foot - tall > row1:
            continue
        thing, k, haze = things[i], int(things[i, KIND]), _haze(t, far)
        tint = tints[int(thing[LAYER])]
        if tall < ONE_PIXEL:
            _far_pixel(seen[i], i, thing, tint, mean[k], lights, table, haze, low, salt, depth, out, row0, row1)
            continue
        level = 0
        while level < len(dims) - 1 and dims[level] > 1.4 * tall:
            level += 1
        begin = at[k * forms + int(thing[LOT] * forms), level]
        own = texels[begin : begin + dims[level] * dims[level] * TEXEL]
        slack = 5e-4 * t + 0.25 * sizes[k, 1] * thing[SIZE]
        _picture(
            seen[i], i, thing, tint, slack, own, dims[level], lights, table, haze, low, salt, depth, out, row0, row1
        )


@kernel
def map_rows(things, order, sizes, tints, mean, place, kind, out, lights, table, row0, row1):
    """Draws things into rows of a map, as discs as wide as they are. order: higher ones last. place: metres east and
    north of the picture's corner, and metres of a pixel."""
    height, width = kind.shape
    for o in range(order.shape[0]):
        i = order[o]
        thing, k = things[i], int(things[i, KIND])
        x, y = (thing[EAST] - place[0]) / place[2], (place[1] - thing[NORTH]) / place[2]
        radius = 0.5 * sizes[k, 1] * thing[SIZE] / place[2]
        if y + radius < row0 or y - radius >= row1 or x + radius < 0 or x - radius >= width:
            continue
        tint, bright = tints[int(thing[LAYER])], 0.8 + 0.4 * ((thing[LOT] * 17.0) % 1.0)
        small = radius < 0.6
        r = 0.5 if small else radius
        for py in range(max(row0, int(y - r)), min(row1, int(y + r) + 1)):
            for px in range(max(0, int(x - r)), min(width, int(x + r) + 1)):
                dx, dy = (px + 0.5 - x) / r, (py + 0.5 - y) / r
                d = dx * dx + dy * dy
                if kind[py, px] != 1 or (not small and d > 1.0):
                    continue
                if small:
                    if int(x) != px or int(y) != py or _draw(px, py, i, 0) > 3.1416 * radius * radius:
                        continue
                    d = 0.3
                up = math.sqrt(max(0.0, 1.0 - d))
                # a dome, lit from its side; x to the east, y to the south
                direct = (max(0.0, lights[0, 0] * dx - lights[0, 1] * dy + lights[0, 2] * up) + 0.18) * thing[LIT]
                for q in range(3):
                    v = mean[k, q] * tint[q] * bright * (lights[1, q] * direct + 0.7 * lights[2, q])
                    out[py, px, q] = table[min(4095, int(v * 1024.0))]
