"""Light on a height: shadow, sky visibility, and both baked with albedo into one texture and its mip levels."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from .bands import kernel, over_items, over_rows
from .bare import USUAL, bare, palette

#: Share of the sky's light that upright ground has, and light that other ground throws back where no sky is.
AMBIENT, BOUNCE = 0.55, 0.06


@kernel
def _shadow_sweep(h, out, step_c, drop, softness):
    """Shadow height carried from row 0 downwards: s = max(h, s_before - drop); out gets lit share added (0 to 1/4)."""
    rows, columns = h.shape
    s, before = np.empty(columns, np.float32), np.empty(columns, np.float32)
    for c in range(columns):
        before[c] = h[0, c]
        out[0, c] += 0.25
    whole = int(math.floor(step_c))
    part = step_c - whole
    for r in range(1, rows):
        for c in range(columns):
            a = c + whole
            if 0 <= a < columns - 1:
                v = before[a] * (1.0 - part) + before[a + 1] * part - drop
            else:
                v = -1e30
            lit = 1.0 - (v - h[r, c]) / softness
            out[r, c] += 0.25 * min(1.0, max(0.0, lit))
            s[c] = max(h[r, c], v)
        s, before = before, s


def sunlight(h: np.ndarray, dx: float, azimuth: float, elevation: float) -> np.ndarray:
    """Sunlight that reaches the ground past other ground.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    dx :
        metres between samples.
    azimuth, elevation :
        of the sun, degrees, clockwise from north and above the horizon.

    Returns
    -------
    (rows, columns) float32, 0 in shade to 1.
    """
    a = math.radians(azimuth)
    east, south = math.sin(a), -math.cos(a)  # where the sun stands, in columns and rows
    turned = abs(east) > abs(south)
    field = h.T if turned else h
    along, across = (east, south) if turned else (south, east)
    if along > 0:  # the sun stands at high row numbers: sweep from there
        field = field[::-1]
    field = np.ascontiguousarray(field, np.float32)
    shift, length = across / max(abs(along), 1e-6), math.hypot(1.0, across / max(abs(along), 1e-6)) * dx
    sums = [np.zeros(field.shape, np.float32) for _ in range(2)]

    def one(k: int) -> None:
        for spread in ((-1.5, 0.5), (-0.5, 1.5))[k]:
            drop = length * math.tan(math.radians(max(2.0, elevation + 1.4 * spread)))
            _shadow_sweep(field, sums[k], shift, np.float32(drop), np.float32(0.35 * dx))

    over_items(one, range(2))
    out = sums[0] + sums[1]
    if along > 0:
        out = out[::-1]
    return np.ascontiguousarray(out.T if turned else out)


@kernel
def _raise(best, here, there, per):
    """Raises best to the slopes up from samples of a row to those of another."""
    for c in range(len(best)):
        best[c] = max(best[c], (there[c] - here[c]) * per)


@kernel
def _sky_rows(sheets, columns, out, row0, row1, dx, reach, dirs):
    """sheets: every so many columns of the heights, from the first, the second ... on."""
    stride, rows, _ = sheets.shape
    count, one = out.shape[1], np.float32(1.0)
    best, total, fraction = np.empty(count, np.float32), np.empty(count, np.float32), np.float32(1.0 / len(dirs))
    for r in range(row0, row1):
        y = r * stride
        here = sheets[0, y]
        total[:] = 0.0
        for k in range(len(dirs)):
            best[:] = 0.0
            far = dx * stride
            while far < reach:
                south, east = math.floor(dirs[k, 0] * far / dx + 0.5), math.floor(dirs[k, 1] * far / dx + 0.5)
                if y + south < 0 or y + south >= rows:
                    break
                # whole rows at once, as far as what they look at is on the grid
                there, move = sheets[east % stride, y + south], east // stride
                a, b = max(0, -move), min(count, (columns - 1 - east) // stride + 1)
                if a < b:
                    _raise(best[a:b], here[a:b], there[a + move : b + move], np.float32(1.0 / far))
                far *= 1.7
            for c in range(count):
                total[c] += one - best[c] / math.sqrt(one + best[c] * best[c])
        for c in range(count):
            out[r, c] = total[c] * fraction


def sky_view(h: np.ndarray, dx: float, reach: float, stride: int = 1) -> np.ndarray:
    """Share of the sky that is open, from horizons in 12 directions.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    dx :
        metres between samples.
    reach :
        how far hills are looked for, metres.
    stride :
        every so many samples.

    Returns
    -------
    (rows / stride, columns / stride) float32, 0 to 1.

    References
    ----------
    Dozier, J. and Frew, J. (1990): Rapid calculation of terrain parameters for radiation modeling from digital
    elevation data.
    """
    angles = np.arange(12) * (2 * np.pi / 12) + 0.13
    dirs = np.stack([np.sin(angles), np.cos(angles)], 1)
    shape = (-(-h.shape[0] // stride), -(-h.shape[1] // stride))
    out = np.empty(shape, np.float32)
    sheets = np.zeros((stride, h.shape[0], shape[1]), np.float32)  # what is looked at lies side by side in memory
    for k in range(stride):
        part = h[:, k::stride]
        sheets[k, :, : part.shape[1]] = part
    where = (float(dx), float(reach), dirs)
    over_rows(lambda a, b: _sky_rows(sheets, h.shape[1], out, a, b, *where), shape[0], None, 16)
    return out


@kernel
def _tone(v):
    """Linear light to an sRGB byte, with a soft shoulder."""
    v = v * (1.0 + v * 0.12) / (1.0 + v * 0.42)
    v = min(1.0, max(0.0, v))
    s = 12.92 * v if v <= 0.0031308 else 1.055 * v**0.4166667 - 0.055
    return s * 255.0 + 0.5


@kernel
def tone_table():
    """_tone for linear values 0 to 4 in 4096 steps."""
    table = np.empty(4096, np.uint8)
    for i in range(4096):
        table[i] = int(_tone(i / 1024.0))
    return table


@kernel
def _bake_rows(
    h,
    water,
    albedo,
    tones,
    sun,
    sky,
    stride,
    table,
    out,
    row0,
    row1,
    dx,
    light,
    sun_rgb,
    sky_rgb,
    wide,
    low,
    high,
):
    """Rows of lit colours: sun past shadows, sky, and water over the ground. albedo: a single one
    for land without colours. wide, low, high: of the whole site."""
    rows, columns = h.shape
    span = max(high - low, 1e-3)
    has_water, film = water.size > 1, 0.0006 * wide + 0.05
    for r in range(row0, row1):
        a, b = max(0, r - 1), min(rows - 1, r + 1)
        for c in range(columns):
            w, e = max(0, c - 1), min(columns - 1, c + 1)
            gx, gy = (h[r, e] - h[r, w]) / ((e - w) * dx), (h[a, c] - h[b, c]) / ((b - a) * dx)
            n = 1.0 / math.sqrt(1.0 + gx * gx + gy * gy)
            direct = max(0.0, (light[2] - gx * light[0] - gy * light[1]) * n) * sun[r, c]
            fy, fx = r / stride, c / stride
            y, x = min(int(fy), sky.shape[0] - 1), min(int(fx), sky.shape[1] - 1)
            y1, x1 = min(y + 1, sky.shape[0] - 1), min(x + 1, sky.shape[1] - 1)
            ty, tx = fy - y, fx - x
            open_ = (sky[y, x] * (1 - tx) + sky[y, x1] * tx) * (1 - ty) + (
                sky[y1, x] * (1 - tx) + sky[y1, x1] * tx
            ) * ty
            ambient = open_ * (AMBIENT + (1.0 - AMBIENT) * n)
            if albedo.size <= 3:
                rise, share = math.sqrt(gx * gx + gy * gy), (h[r, c] - low) / span
                bent = 0.5 * ((h[r, e] + h[r, w] + h[a, c] + h[b, c]) - 4.0 * h[r, c]) / dx
                cr = bare(tones, share, rise, open_, bent, 0)
                cg = bare(tones, share, rise, open_, bent, 1)
                cb = bare(tones, share, rise, open_, bent, 2)
            else:
                cr, cg, cb = albedo[r, c, 0], albedo[r, c, 1], albedo[r, c, 2]
            shine = 0.0
            if has_water and water[r, c] > 0.0:
                # Shallow water shows its bed, deep water its own dark blue and the sky that it mirrors.
                clear = math.exp(-water[r, c] / film)
                wet = 0.75 * min(1.0, water[r, c] / (0.12 * film)) * (1.0 - 0.45 * clear) + 0.2 * (1.0 - clear)
                cr, cg, cb = cr + (0.035 - cr) * wet, cg + (0.085 - cg) * wet, cb + (0.125 - cb) * wet
                shine = 0.16 * wet
            bounce = BOUNCE * (1.0 - open_)
            for k in range(3):
                base = cr if k == 0 else (cg if k == 1 else cb)
                v = base * (sun_rgb[k] * direct + sky_rgb[k] * ambient + bounce) + shine * sky_rgb[k] * open_
                out[r, c, k] = table[min(4095, int(v * 1024.0))]
            out[r, c, 3] = 255 if not has_water or water[r, c] <= 0.0 else 0


@kernel
def _halve_rows(a, out, row0, row1):
    """Rows of a texture of half the size: means of 2 x 2."""
    for r in range(row0, row1):
        for c in range(out.shape[1]):
            for k in range(4):
                total = 0
                for j in range(2):
                    y = min(2 * r + j, a.shape[0] - 1)
                    total += int(a[y, min(2 * c, a.shape[1] - 1), k]) + int(a[y, min(2 * c + 1, a.shape[1] - 1), k])
                out[r, c, k] = (total + 2) >> 2


def _halved(finest: np.ndarray) -> list[np.ndarray]:
    """A texture and its coarser levels, each half the size of the one before."""
    levels = [finest]
    while min(levels[-1].shape[:2]) > 8 and len(levels) < 9:
        fine = levels[-1]
        coarse = np.empty((-(-fine.shape[0] // 2), -(-fine.shape[1] // 2), 4), np.uint8)
        over_rows(lambda r0, r1: _halve_rows(fine, coarse, r0, r1), coarse.shape[0])
        levels.append(coarse)
    return levels


class Light(NamedTuple):
    """Light on a land, whatever its colour: sunlight past other ground, and sky on a coarser grid of every
    ``stride`` samples."""

    sun: np.ndarray
    sky: np.ndarray
    stride: int


def light_on(h: np.ndarray, dx: float, azimuth: float, elevation: float, reach: float) -> Light:
    """The light that falls on a land.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    dx :
        metres between samples.
    azimuth, elevation :
        of the sun, degrees, clockwise from north and above the horizon.
    reach :
        how far hills shade the sky, metres.

    Returns
    -------
    Light.
    """
    stride = max(1, (max(h.shape) - 1) // 256)
    return Light(sunlight(h, dx, azimuth, elevation), sky_view(h, dx, reach, stride), stride)


#: Degrees of the sun's height below which its light reddens, and the exponent by which a picture of a low sun is
#: exposed for longer: less than in full, so that an evening stays darker than a noon.
REDDENS, EXPOSED = 25.0, 0.62


def sun_and_sky(azimuth: float, elevation: float, natural: bool = False) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """The light of a sun.

    Parameters
    ----------
    azimuth, elevation :
        of the sun, degrees, clockwise from north and above the horizon.
    natural :
        a low sun is redder, and the picture is exposed for it, as an eye or a camera does; off where land is measured.

    Returns
    -------
    A unit vector to the sun (east, north, up), and the colours of sun and sky: linear red, green and blue, a low sun
    warmer.
    """
    a, e = math.radians(azimuth), math.radians(elevation)
    warm = min(1.0, elevation / 50)
    sun, sky = np.array([1.95, 1.72 + 0.14 * warm, 1.38 + 0.32 * warm]), np.array([0.50, 0.58, 0.70])
    if natural:
        low = max(0.0, 1.0 - elevation / REDDENS) ** 2
        sun = sun * (1.0, 1.0 - 0.26 * low, 1.0 - 0.58 * low)
        # light on level ground, against that of the survey's sun at 34 degrees
        level = (sun.mean() * math.sin(e) + sky.mean()) / 1.58
        exposed = min(1.9, max(1.0, level**-EXPOSED))
        sun, sky = sun * exposed, sky * exposed
    return np.array([math.sin(a) * math.cos(e), math.cos(a) * math.cos(e), math.sin(e)]), sun, sky


def lit_textures(
    h: np.ndarray,
    dx: float,
    azimuth: float,
    elevation: float,
    albedo: np.ndarray | None,
    reach: float,
    water: np.ndarray | None = None,
    known: Light | None = None,
    before: np.ndarray | None = None,
    changed: tuple[int, int] = (0, 0),
    site: tuple[float, float, float] | None = None,
    bare_as: str = USUAL,
    natural: bool = False,
) -> list[np.ndarray]:
    """The lit ground as textures.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    dx :
        metres between samples.
    azimuth, elevation :
        of the sun, degrees, clockwise from north and above the horizon.
    albedo :
        linear RGB (rows, columns, 3), or None for bare ground.
    reach :
        how far hills shade the sky, metres.
    water :
        depth in metres of the water whose surface h then is, or None.
    known :
        the light that falls on it, where that is known.
    before :
        the finest texture of the same land with other colours, of which only some rows are worked out anew.
    changed :
        those rows: (first, after the last).
    site :
        metres that the whole site is wide, and its lowest and highest ground, where h is a part of it.
    bare_as :
        the palette of bare ground (bare.PALETTES).
    natural :
        as for ``sun_and_sky``.

    Returns
    -------
    RGBA8 arrays, finest first, each half the size of the one before; alpha is 0 on water, 255 elsewhere.
    """
    sun, sky, stride = known or light_on(h, dx, azimuth, elevation, reach)
    light, sun_rgb, sky_rgb = sun_and_sky(azimuth, elevation, natural)
    out = np.empty((*h.shape, 4), np.uint8) if before is None else before.copy()
    first, after = (0, h.shape[0]) if before is None else changed
    tones = palette(bare_as)
    # read only, whether given or not, so that the kernel is compiled for one kind of array
    ground = np.zeros((1, 1, 3), np.float32) if albedo is None else albedo.view()
    pools = np.zeros((1, 1), np.float32) if water is None else np.ascontiguousarray(water, np.float32).view()
    ground.flags.writeable = pools.flags.writeable = False
    table, of_site = tone_table(), site or (float(h.shape[1] * dx), float(h.min()), float(h.max()))
    over_rows(
        lambda r0, r1: _bake_rows(
            *(h, pools, ground, tones, sun, sky, stride, table, out, first + r0, first + r1),
            *(float(dx), light, sun_rgb, sky_rgb, *of_site),
        ),
        after - first,
    )
    return _halved(out)
