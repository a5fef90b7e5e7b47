"""Air and water of a picture that shows a land as one stands in it: the sky with its sun, haze over far ground, and
still water that mirrors both. Each is laid over a pass of the ray caster (caster.py), so that a picture without them is
what it was.

Directions are unit vectors (east, north, up); ``colours`` are rows of sRGB 0-255: the sky above, the sky low down, and
the glow around the sun."""

from __future__ import annotations

import math

from .bands import kernel
from .caster import _texel, height_at, trace
from .grain import _noise

#: How fast the sky's colour changes upwards.
SKY_FADES = 2.6
#: Widths (as 1 / (1 - cosine)) and strengths of the sun's glow: all over its side of the sky, near it, and its disc.
GLOW = ((7.0, 0.34), (60.0, 0.34), (6000.0, 0.9))
#: Standard slope of ripples on still water, and the least of the reflectance that they leave (Bruneton et al. 2010).
RIPPLES = 0.07
#: Light that water mirrors when looked at straight down (Schlick 1994).
STRAIGHT = 0.02
#: Slope from which on water falls and mirrors nothing.
FALLS = 0.07
#: Metres of a ripple, long and short.
LONG, SHORT = 3.1, 0.83


@kernel
def sky(colours, sun, x, y, z, glow):
    """Red, green and blue of the sky in a direction. glow: how strong the sun's is, 0 to 1."""
    up = 1.0 - math.exp(-SKY_FADES * max(z, 0.0))
    away = x * sun[0] + y * sun[1] + z * sun[2] - 1.0
    near = 0.0
    for k in range(len(GLOW)):
        near += GLOW[k][1] * math.exp(away * GLOW[k][0])
    near = min(1.0, near) * glow
    red = colours[1, 0] + (colours[0, 0] - colours[1, 0]) * up
    green = colours[1, 1] + (colours[0, 1] - colours[1, 1]) * up
    blue = colours[1, 2] + (colours[0, 2] - colours[1, 2]) * up
    red, green = red + (colours[2, 0] - red) * near, green + (colours[2, 1] - green) * near
    return red, green, blue + (colours[2, 2] - blue) * near


@kernel
def _thickness(z0, z1, length, low, fall):
    """Metres of air as thick as at ``low`` along a way of a length between two heights: air thins out by a factor of e
    every ``fall`` metres."""
    a, b = max(0.0, z0 - low) / fall, max(0.0, z1 - low) / fall
    if abs(a - b) < 1e-4:
        return length * math.exp(-a)
    return length * (math.exp(-min(a, b)) - math.exp(-max(a, b))) / abs(a - b)


@kernel
def _haze(air, z0, z1, length):
    """Fraction of what is seen that is air. air: metres over which it covers 63 %, height where it is thickest, metres
    of height by which it thins out, and how much of it there is, 0 to 1."""
    return air[3] * (1.0 - math.exp(-_thickness(z0, z1, length, air[1], air[2]) / air[0]))


@kernel
def lay_rows(out, depth, axes, air, colours, sun, row0, row1):
    """Lays air over rows of a pass, and draws its sky.

    Parameters
    ----------
    out : (rows, columns, 3) float32, sRGB 0-255, this pass alone.
    depth : (rows, columns) float32, along the view; over 1e8 where there is nothing but sky.
    axes : rows eye, forward, right and up, metres east, north and up; right and up reach the picture's edges at 1.
    air : as in ``_haze``.
    """
    height, width = depth.shape
    for y in range(row0, row1):
        b = 1.0 - 2.0 * (y + 0.5) / height
        for x in range(width):
            a = 2.0 * (x + 0.5) / width - 1.0
            dx = axes[1, 0] + a * axes[2, 0] + b * axes[3, 0]
            dy = axes[1, 1] + a * axes[2, 1] + b * axes[3, 1]
            dz = axes[1, 2] + a * axes[2, 2] + b * axes[3, 2]
            length, t = math.sqrt(dx * dx + dy * dy + dz * dz), depth[y, x]
            much = air[3]
            if t < 1e8:
                much = _haze(air, axes[0, 2], axes[0, 2] + t * dz, t * length)
                dz = 0.25 * max(dz, 0.0)  # far ground is seen through the air low down
                red, green, blue = sky(colours, sun, dx / length, dy / length, dz / length, 0.7)
            else:
                red, green, blue = sky(colours, sun, dx / length, dy / length, dz / length, 1.0)
            out[y, x, 0] += (red - out[y, x, 0]) * much
            out[y, x, 1] += (green - out[y, x, 1]) * much
            out[y, x, 2] += (blue - out[y, x, 2]) * much


@kernel
def _falls(h, px, py):
    """Metres by which a surface h falls from sample to sample at column px and row py. Beside a shore only the water's
    own side counts."""
    c, r = min(max(int(px + 0.5), 1), h.shape[1] - 2), min(max(int(py + 0.5), 1), h.shape[0] - 2)
    here = h[r, c]
    across = min(abs(h[r, c + 1] - here), abs(here - h[r, c - 1]))
    along = min(abs(h[r + 1, c] - here), abs(here - h[r - 1, c]))
    return math.hypot(across, along)


@kernel
def _mirrored(facing):
    """Fraction of light that rippled water mirrors, by the cosine between the view and straight up (Bruneton, Neyret
    and Holzschuch 2010, after Schlick 1994)."""
    power = 5.0 * math.exp(-2.69 * RIPPLES)
    return STRAIGHT + (1.0 - STRAIGHT) * (1.0 - facing) ** power / (1.0 + 22.7 * RIPPLES**1.5)


@kernel
def _ripple(east, south, vx, vy, metre, lot):
    """Slope of still water at a place in metres, seen along vx, vy by pixels that are so many metres long on it.
    Smaller ripples blur along the view: each pass, by its lot, looks a little higher or lower."""
    seen = 1.0 / (1.0 + (metre / LONG) ** 2)
    swell = 0.22 * RIPPLES * seen
    u, v, fine_u, fine_v = east / LONG, south / LONG, east / SHORT, south / SHORT
    tilt_x = swell * (_noise(u, v) + 0.7 * _noise(fine_v, fine_u))
    tilt_y = swell * (_noise(17.3 + v, u) + 0.7 * _noise(fine_u, 9.1 + fine_v))
    blur = 0.3 * RIPPLES * (1.0 - 0.6 * seen) * lot / max(1e-6, math.hypot(vx, vy))
    return tilt_x + blur * vx, tilt_y + blur * vy


@kernel
def _reflected(vx, vy, vz, tilt_x, tilt_y):
    """Direction in which light that comes along vx, vy, vz leaves water of a slope, and the cosine between the two and
    the water's own up; never below the horizon."""
    facing = max(0.0, -(vx * tilt_x + vy * tilt_y + vz) / math.sqrt(1.0 + tilt_x * tilt_x + tilt_y * tilt_y))
    rx, ry = vx + 2.0 * facing * tilt_x, vy + 2.0 * facing * tilt_y
    rz = max(0.004, vz + 2.0 * facing)
    norm = math.sqrt(rx * rx + ry * ry + rz * rz)
    return rx / norm, ry / norm, rz / norm, facing


@kernel
def _met(
    h, flat, offsets, rows, columns, tex, tex_at, tex_rows, tex_columns,
    px, py, pz, rx, ry, rz, far, pixel, scale, base, air, colours, sun,
):  # fmt: skip
    """Red, green and blue of what a ray from column px, row py and height pz meets: ground through its air, or sky.
    far: metres that it has come already; pixel: size of one at depth 1 (m); base: height of the block's underside."""
    dx, times = scale[0], scale[1]
    kind, s = trace(
        h, flat, offsets, rows, columns, px, py, pz + 0.03 + 2e-4 * far, rx / dx, -ry / dx, rz / times, 1.2 * dx, base
    )
    if kind != 1:
        return sky(colours, sun, rx, ry, rz, 1.0)
    hx, hy = px + s * rx / dx, py - s * ry / dx
    footprint = max(1.5, 1.5 * (far + s) * pixel / dx)
    red, green, blue = _texel(tex, tex_at, tex_rows, tex_columns, hx, hy, footprint)
    haze = _haze(air, pz * times, height_at(h, hx, hy) * times, s)
    r2, g2, b2 = sky(colours, sun, rx, ry, 0.0, 0.5)
    return red + (r2 - red) * haze, green + (g2 - green) * haze, blue + (b2 - blue) * haze


@kernel
def mirror_rows(
    h, flat, offsets, rows, columns, tex, tex_at, tex_rows, tex_columns,
    wet, kind, depth, out, row0, row1, eye, forward, right, up, scale, jitter, look, air, colours, sun,
):  # fmt: skip
    """Lays what still water mirrors over rows of a pass.

    One ray goes up from each pixel of water, on the coarsest grid.

    Parameters
    ----------
    h, flat, offsets, rows, columns : surface in metres (ground and water), and its pyramid of maxima.
    wet : (rows, columns) float32: how much of a pixel is water over the ground, 0 to 1; 2 for the sea.
    eye, forward, right, up : of the camera, in (columns, rows, metres), as in ``caster.cast_rows``.
    scale : metres between samples, and how many times as high heights are drawn.
    jitter : of the pass within a pixel, right and down, and its number.
    look : level of the sea in metres, size of a pixel at depth 1 (m), height of the block's underside.
    """
    height, width = kind.shape
    dx, times = scale[0], scale[1]
    lot = 2.0 * ((0.5 + 0.6180339887 * jitter[2]) % 1.0) - 1.0
    for y in range(row0, row1):
        b = 1.0 - 2.0 * (y + 0.5 + jitter[1]) / height
        for x in range(width):
            if wet[y, x] <= 0.0 or kind[y, x] != 1:
                continue
            a = 2.0 * (x + 0.5 + jitter[0]) / width - 1.0
            gx = forward[0] + a * right[0] + b * up[0]
            gy = forward[1] + a * right[1] + b * up[1]
            gz = forward[2] + a * right[2] + b * up[2]
            t, calm = depth[y, x], min(1.0, wet[y, x])
            if gz >= 0.0:
                continue
            if wet[y, x] > 1.0:
                t = min(t, (look[0] - eye[2]) / gz)  # the sea's surface lies over what the ray meets
                if t <= 0.0:
                    continue
            px, py, pz = eye[0] + t * gx, eye[1] + t * gy, eye[2] + t * gz
            if wet[y, x] <= 1.0:
                calm *= 1.0 - _falls(h, px, py) / (FALLS * dx)
                if calm <= 0.0:
                    continue
            # the way of the light in metres
            vx, vy, vz = gx * dx, -gy * dx, gz * times
            length = math.sqrt(vx * vx + vy * vy + vz * vz)
            vx, vy, vz = vx / length, vy / length, vz / length
            metre = t * length * look[1]
            tilt_x, tilt_y = _ripple(px * dx, py * dx, vx, vy, metre / max(0.08, -vz), lot)
            rx, ry, rz, facing = _reflected(vx, vy, vz, tilt_x, tilt_y)
            red, green, blue = _met(
                h, flat, offsets, rows, columns, tex, tex_at, tex_rows, tex_columns,
                px, py, pz, rx, ry, rz, metre / look[1], look[1], scale, look[2], air, colours, sun,
            )  # fmt: skip
            share = _mirrored(facing) * calm
            out[y, x, 0] += (red - out[y, x, 0]) * share
            out[y, x, 1] += (green - out[y, x, 1]) * share
            out[y, x, 2] += (blue - out[y, x, 2]) * share


@kernel
def shore(tex, begin, rows, columns, x, y):
    """How much of the ground around column x and row y is water, 0 to 1, from the alpha of a texture's finest level
    that begins at so many bytes; it comes in over a sample, so that shores have no corners."""
    x, y = min(max(x, 0.0), columns - 1.001), min(max(y, 0.0), rows - 1.001)
    c, r = int(x), int(y)
    u, v = x - c, y - r
    p = begin + 4 * (r * columns + c) + 3
    w = p + 4 * columns
    dry = (tex[p] * (1 - u) + tex[p + 4] * u) * (1 - v) + (tex[w] * (1 - u) + tex[w + 4] * u) * v
    f = min(1.0, max(0.0, 1.25 - 1.5 * dry / 255.0))
    return f * f * (3.0 - 2.0 * f)


@kernel
def wet_rows(h, tex, columns, level, kind, hit_x, hit_y, wet, row0, row1):
    """Marks water in rows of a picture: up to 1 over the ground, by the texture's alpha, 2 below the level of the sea.

    tex: the finest texture, RGBA8 in one flat array, so many columns wide."""
    for y in range(row0, row1):
        for x in range(kind.shape[1]):
            if kind[y, x] == 1:
                px, py = hit_x[y, x], hit_y[y, x]
                wet[y, x] = shore(tex, 0, h.shape[0], columns, px, py)
                if wet[y, x] <= 0.0 and height_at(h, px, py) < level:
                    wet[y, x] = 2.0
