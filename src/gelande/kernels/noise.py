"""Lattice noise evaluated at site coordinates, so that every level samples the same function.

Gradient noise after Perlin (1985, 2002: quintic fade), value noise, two-dimensional simplex noise after Perlin (2001)
and Gustavson (2005), summed in octaves (fractional Brownian motion; Musgrave 1994 for the ridged sum). Octaves
whose lattice cell is shorter than two samples are left out; between two and four samples they fade in.

Each octave's lattice is turned by an angle of its own: lattices that lie alike show as ridges along two directions
of the map. A row of samples crosses a lattice cell in one run, in which each corner's part is linear, so that the
samples of a run are interpolated side by side.

"""

from __future__ import annotations

import math

import numpy as np

from .bands import kernel, over_rows
from .grid_window import GridWindow
from .kept import Kept

GRADIENT, VALUE, SIMPLEX = 0, 1, 2
#: Noise of up to so many samples is kept, in how many bytes: while a person slides a control, most of the noise of a
#: recipe is the same again.
SHORT, ROOM = 300_000, 96_000_000
_kept: Kept[np.ndarray] = Kept(ROOM)
PLAIN, RIDGED, BILLOW = 0, 1, 2
#: Unit gradients in 256 directions: a table is several times faster than a sine and a cosine a lattice point.
GRADIENT_X = np.cos((np.arange(256) + 0.5) * (2 * np.pi / 256))
GRADIENT_Y = np.sin((np.arange(256) + 0.5) * (2 * np.pi / 256))


@kernel
def hash2(x, y, seed):
    """A 32-bit hash of a lattice point (avalanche steps after Wellons' low-bias search)."""
    h = np.uint32(np.uint32(x) * np.uint32(0x9E3779B1)) ^ np.uint32(np.uint32(y) * np.uint32(0x85EBCA77))
    h = np.uint32(h ^ np.uint32(np.uint32(seed) * np.uint32(0xC2B2AE3D)))
    h = np.uint32(h ^ np.uint32(h >> np.uint32(16)))
    h = np.uint32(h * np.uint32(0x7FEB352D))
    h = np.uint32(h ^ np.uint32(h >> np.uint32(15)))
    h = np.uint32(h * np.uint32(0x846CA68B))
    return np.uint32(h ^ np.uint32(h >> np.uint32(16)))


@kernel
def unit(h):
    """A hash as a number from 0 up to 1."""
    return h * 2.3283064365386963e-10


@kernel
def _fade(t):
    return t * t * t * (t * (t * 6.0 - 15.0) + 10.0)


#: Simplex cells are this much larger, so that hills are as broad as with the other bases.
SIMPLEX_SIZE = 0.57
#: Lattices of following octaves are turned by the golden angle, radians, so that no two of them lie alike.
TURNS = 0.6 + 2.399963229728653 * np.arange(32)
TURN_X, TURN_Y = np.cos(TURNS), np.sin(TURNS)


@kernel
def _corner(kind, ix, iy, seed):
    """Gradient and level of one lattice point."""
    h = hash2(ix, iy, seed)
    if kind == 1:
        return 0.0, 0.0, 2.0 * unit(h) - 1.0
    a = h & np.uint32(255)
    return GRADIENT_X[a], GRADIENT_Y[a], 0.0


@kernel
def _run(wave, first, f, g, sx, sy, kind, ix, iy, seed):
    """Noise of consecutive samples in one lattice cell. f, g: where the run's first sample lies in the cell; sx, sy:
    step to the next; first: how many samples of the run lie before those that are wanted."""
    ax, ay, a = _corner(kind, ix, iy, seed)
    bx, by, b = _corner(kind, ix + 1, iy, seed)
    cx, cy, c = _corner(kind, ix, iy + 1, seed)
    dx, dy, d = _corner(kind, ix + 1, iy + 1, seed)
    a0, b0 = a + ax * f + ay * g, b + bx * (f - 1.0) + by * g
    c0, d0 = c + cx * f + cy * (g - 1.0), d + dx * (f - 1.0) + dy * (g - 1.0)
    a1, b1, c1, d1 = ax * sx + ay * sy, bx * sx + by * sy, cx * sx + cy * sy, dx * sx + dy * sy
    for k in range(len(wave)):
        t = np.float64(first + k)
        x, y = f + t * sx, g + t * sy
        u = x * x * x * (x * (x * 6.0 - 15.0) + 10.0)
        v = y * y * y * (y * (y * 6.0 - 15.0) + 10.0)
        low, high = a0 + t * a1, c0 + t * c1
        low += u * (b0 + t * b1 - low)
        high += u * (d0 + t * d1 - high)
        wave[k] = low + v * (high - low)


@kernel
def _lattice_row(wave, skip, x, y, sx, sy, kind, seed):
    """Noise along a straight line of samples: from (x, y), stepping by (sx, sy), in lattice cells. skip: samples at
    its beginning that are not wanted; runs begin where they do on the whole line, so that a part of it is the same."""
    count, c = skip + len(wave), 0
    while c < count:
        px, py = x + c * sx, y + c * sy
        ix, iy = math.floor(px), math.floor(py)
        f, g = px - ix, py - iy
        run = count - c  # samples until the line leaves the cell
        if sx != 0.0:
            run = min(run, int(((1.0 if sx > 0.0 else 0.0) - f) / sx) + 1)
        if sy != 0.0:
            run = min(run, int(((1.0 if sy > 0.0 else 0.0) - g) / sy) + 1)
        if c + run > skip:
            first = max(c, skip)
            _run(wave[first - skip : c + run - skip], first - c, f, g, sx, sy, kind, int(ix), int(iy), seed)
        c += run


@kernel
def lattice_at(kind, x, y, seed):
    """Gradient or value noise at one point, the same function as along a row."""
    ix, iy = math.floor(x), math.floor(y)
    f, g, total = x - ix, y - iy, 0.0
    u, v = _fade(f), _fade(g)
    for j in range(2):
        for i in range(2):
            gx, gy, level = _corner(kind, int(ix) + i, int(iy) + j, seed)
            total += (u if i else 1.0 - u) * (v if j else 1.0 - v) * (level + gx * (f - i) + gy * (g - j))
    return total


@kernel
def simplex_at(x, y, seed):
    """Two-dimensional simplex noise at one point, about -1..1."""
    skew = (x + y) * 0.3660254037844386
    i, j = math.floor(x + skew), math.floor(y + skew)
    back = (i + j) * 0.21132486540518713
    x0, y0 = x - (i - back), y - (j - back)
    i1 = 1 if x0 > y0 else 0
    total = 0.0
    for corner in range(3):
        di = 0 if corner == 0 else (i1 if corner == 1 else 1)
        dj = 0 if corner == 0 else (1 - i1 if corner == 1 else 1)
        cx = x0 - di + (di + dj) * 0.21132486540518713
        cy = y0 - dj + (di + dj) * 0.21132486540518713
        t = 0.5 - cx * cx - cy * cy
        if t > 0.0:
            a = hash2(int(i) + di, int(j) + dj, seed) & np.uint32(255)
            total += t * t * t * t * (GRADIENT_X[a] * cx + GRADIENT_Y[a] * cy)
    return 99.0 * total


@kernel
def noise_at(kind, x, y, seed):
    """One octave of any basis at one point, scaled to about -1..1."""
    if kind == 2:
        return simplex_at(x * SIMPLEX_SIZE, y * SIMPLEX_SIZE, seed)
    return lattice_at(kind, x, y, seed) * (1.25 if kind == 1 else 1.5)


@kernel
def octave_offset(seed, octave, axis):
    """Moves each octave's lattice, so that the zeros of two octaves do not fall on the same points."""
    return unit(hash2(octave * 2 + axis, 7919, seed)) * 256.0


@kernel
def fold(form, n, sharp):
    """One octave as it enters the sum: plain, ridged (1 - |n|)^sharp, billow 2|n| - 1."""
    if form == 1:
        r = 1.0 - min(1.0, abs(n))
        return 2.0 * (r if sharp == 1.0 else r * r if sharp == 2.0 else r**sharp) - 1.0
    if form == 2:
        return 2.0 * min(1.0, abs(n)) - 1.0
    return n


@kernel
def fractal_at(kind, form, x, y, size, octaves, lacunarity, gain, sharp, seed, dx):
    """The octave sum at one point in metres, about -1..1. dx: sample spacing for the fade of fine octaves."""
    total, norm, amplitude, cell, carry = 0.0, 0.0, 1.0, size, 1.0
    for o in range(octaves):
        norm += amplitude
        w = min(1.0, max(0.0, (cell / dx - 2.0) * 0.5))
        if w > 0.0:
            along, across = TURN_X[o & 31] / cell, TURN_Y[o & 31] / cell
            n = noise_at(
                kind,
                x * along + y * across + octave_offset(seed, o, 0),
                y * along - x * across + octave_offset(seed, o, 1),
                seed + o * 101,
            )
            n = fold(form, n, sharp)
            total += w * amplitude * carry * n
            if form == 1:
                carry = min(1.0, max(0.0, 0.35 + 0.65 * (n * 0.5 + 0.5) * 1.6))
        amplitude *= gain
        cell /= lacunarity
    return total / norm


#: A spacing so small that no octave is faded.
UNFADED = 1e-6


@kernel
def _add_octave(total, carry, wave, weight, scale, form, sharp):
    """Adds an octave of noise to a row, folded as the form says. carry: the octave before, by which ridges carry on."""
    if form == 0:
        weight *= scale
        for c in range(len(total)):
            total[c] += weight * wave[c]
        return
    for c in range(len(total)):
        n = fold(form, scale * wave[c], sharp)
        total[c] += weight * carry[c] * n
        if form == 1:
            carry[c] = min(1.0, max(0.0, 0.35 + 0.65 * (n * 0.5 + 0.5) * 1.6))


@kernel
def _fractal_rows(
    out, row0, row1, top, left, x0, y0, dx, fine, kind, form, size, octaves, lacunarity, gain, sharp, seed
):
    """Rows of fractal noise, each sample at its place on the whole grid."""
    columns = out.shape[1]
    carry, total, wave = np.empty(columns), np.empty(columns), np.empty(columns)
    scale = 1.25 if kind == 1 else 1.5
    for r in range(row0, row1):
        y = y0 - (top + r) * dx
        total[:] = 0.0
        carry[:] = 1.0
        norm, amplitude, cell = 0.0, 1.0, size
        for o in range(octaves):
            norm += amplitude
            w = min(1.0, max(0.0, (cell / fine - 2.0) * 0.5))
            if w > 0.0:
                along, across = TURN_X[o & 31] / cell, TURN_Y[o & 31] / cell
                _lattice_row(
                    wave,
                    left,
                    x0 * along + y * across + octave_offset(seed, o, 0),
                    y * along - x0 * across + octave_offset(seed, o, 1),
                    dx * along,
                    -dx * across,
                    kind,
                    seed + o * 101,
                )
                _add_octave(total, carry, wave, w * amplitude, scale, form, sharp)
            amplitude *= gain
            cell /= lacunarity
        for c in range(columns):
            out[r, c] = total[c] / norm


@kernel
def _fractal_points(
    out,
    row0,
    row1,
    top,
    left,
    x0,
    y0,
    dx,
    fine,
    kind,
    form,
    size,
    octaves,
    lacunarity,
    gain,
    sharp,
    seed,
    move_x,
    move_y,
    warp,
):
    """As _fractal_rows for simplex noise or a warped domain: each sample is moved by move * warp before it is
    looked up."""
    for r in range(row0, row1):
        for c in range(out.shape[1]):
            x, y = x0 + (left + c) * dx, y0 - (top + r) * dx
            if warp > 0.0:
                x, y = x + move_x[r, c] * warp, y + move_y[r, c] * warp
            out[r, c] = fractal_at(kind, form, x, y, size, octaves, lacunarity, gain, sharp, seed, fine)


def fractal(
    window: GridWindow | tuple[int, int],
    origin: list[float] | tuple[float, float],
    dx: float,
    size: float,
    octaves: int,
    lacunarity: float = 2.0,
    gain: float = 0.5,
    seed: int = 1,
    kind: int = GRADIENT,
    form: int = PLAIN,
    sharp: float = 1.0,
    warp: float = 0.0,
    stop: np.ndarray | None = None,
    fine: float | None = None,
) -> np.ndarray:
    """Sum of octaves of noise, about -1 to 1; octaves that the grid cannot show are left out.

    Parameters
    ----------
    window :
        GridWindow, or the shape (rows, columns) of a whole grid.
    origin :
        (east, north) of the grid's north-west sample, metres.
    dx :
        metres between samples.
    size :
        cell of the first octave, metres.
    octaves :
        how many.
    lacunarity :
        how much smaller each octave's cell is.
    gain :
        height of each octave as a share of the one before.
    seed :
        whole number; another one gives another result of the same kind.
    kind :
        GRADIENT, VALUE or SIMPLEX.
    form :
        PLAIN, RIDGED or BILLOW.
    sharp :
        sharpness of ridges.
    warp :
        how far the domain is moved by noise, metres.
    stop :
        uint8[1] or None; set when a stop is asked for.
    fine :
        the spacing that octaves are faded for, dx when left out; noise that moves other things is not faded, or they
        would stand elsewhere at every detail.

    Returns
    -------
    float32 of the window's shape.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    Perlin, K. (1985, 2002): An image synthesizer; Improving noise. Gustavson, S. (2005): Simplex noise demystified.
    Musgrave, F. K. (1994), in Ebert et al.: Texturing and modeling.
    """
    window = GridWindow.of(window)
    out = np.empty(window.shape, np.float32)
    place = (window.top, window.left, float(origin[0]), float(origin[1]), float(dx), float(fine or dx))
    sums = (int(kind), int(form), float(size), int(octaves), float(lacunarity), float(gain), float(sharp), int(seed))
    key = (window.shape, place, sums, float(warp))
    known = _kept.get(key) if out.size <= SHORT else None
    if known is not None:
        return known.copy()
    _sum_octaves(out, window, place, sums, float(warp), stop)
    if out.size <= SHORT:
        _kept.put(key, out.copy(), out.nbytes)
    return out


def forget() -> None:
    """Forgets the noise that is kept: for tests and measurements that want it worked out.

    Returns
    -------
    None.
    """
    _kept.clear()


def _sum_octaves(
    out: np.ndarray, window: GridWindow, place: tuple, sums: tuple, warp: float, stop: np.ndarray | None
) -> None:
    """Fills out with the noise that fractal() describes."""
    _, _, *origin, dx, _ = place
    kind, _, size, *_, seed = sums
    if kind == SIMPLEX or warp > 0:
        moves = [np.zeros((1, 1), np.float32)] * 2
        if warp > 0:
            moves = [fractal(window, origin, dx, size, 3, seed=seed + k, stop=stop, fine=UNFADED) for k in (5003, 9011)]
        over_rows(lambda a, b: _fractal_points(out, a, b, *place, *sums, *moves, warp), window.height, stop, 16)
    else:
        over_rows(lambda a, b: _fractal_rows(out, a, b, *place, *sums), window.height, stop)


@kernel
def _feature_row(iy, first, count, seed, jitter, px, py, value):
    """Feature points of a row of cells, by a hash of each cell."""
    for i in range(count):
        h = hash2(first + i, iy, seed)
        g = hash2(first + i, iy, seed + 71)
        px[i] = first + i + 0.5 + jitter * (unit(h) - 0.5)
        py[i] = iy + 0.5 + jitter * (unit(g) - 0.5)
        value[i] = unit(hash2(first + i, iy, seed + 173))


@kernel
def _sorted_nine(px, py, value, cell, y, metric, near_x, rest, near_value):
    """The nine feature points about a cell by their distance across the row (squared for Euclidean), nearest first."""
    n = 0
    for j in range(3):
        for k in range(cell - 1, cell + 2):
            away = abs(py[j, k] - y)
            if metric == 0:
                away *= away
            at = n
            while at > 0 and rest[at - 1] > away:
                rest[at], near_x[at], near_value[at] = rest[at - 1], near_x[at - 1], near_value[at - 1]
                at -= 1
            rest[at], near_x[at], near_value[at] = away, px[j, k], value[j, k]
            n += 1


@kernel
def _cell_rows(first_out, second_out, value_out, row0, row1, top, left, x0, y0, dx, size, jitter, metric, seed):
    """Rows of the distances to the nearest and the second feature point, and of the nearest cell's own number."""
    columns = first_out.shape[1]
    ox, step = x0 / size, dx / size
    first = int(math.floor(ox + left * step)) - 1
    count = int(math.floor(ox + (left + columns - 1) * step)) - first + 3
    px, py, value = np.empty((3, count)), np.empty((3, count)), np.empty((3, count))
    near_x, rest, near_value = np.empty(9), np.empty(9), np.empty(9)
    held = -(1 << 60)
    for r in range(row0, row1):
        y = (y0 - (top + r) * dx) / size
        iy = int(math.floor(y))
        if iy != held:
            for j in range(3):
                _feature_row(iy - 1 + j, first, count, seed, jitter, px[j], py[j], value[j])
            held = iy
        border = -1e30
        for c in range(columns):
            x = ox + (left + c) * step
            if x >= border:  # the samples of a cell have the same nine neighbours
                cell = int(math.floor(x))
                border = cell + 1.0
                _sorted_nine(px, py, value, cell - first, y, metric, near_x, rest, near_value)
            f1, f2, best = 1e18, 1e18, 0.0
            for k in range(9):
                if rest[k] >= f2:
                    break  # all that follow lie farther off across the row alone
                a = abs(near_x[k] - x)
                d = a * a + rest[k] if metric == 0 else (a + rest[k] if metric == 1 else max(a, rest[k]))
                if d < f1:
                    f2, f1, best = f1, d, near_value[k]
                elif d < f2:
                    f2 = d
            if metric == 0:
                f1, f2 = math.sqrt(f1), math.sqrt(f2)
            first_out[r, c] = f1
            second_out[r, c] = f2
            value_out[r, c] = best


def cells(window, origin, dx, size, jitter: float = 1.0, metric: int = 0, seed: int = 1, stop=None):
    """Cell noise: distances to one feature point a square cell.

    Parameters
    ----------
    window :
        GridWindow, or the shape (rows, columns) of a whole grid.
    origin :
        (east, north) of the grid's north-west sample, metres.
    dx :
        metres between samples.
    size :
        of a cell, metres.
    jitter :
        how far points are moved in their cells, 0 to 1.
    metric :
        0 Euclidean, 1 Manhattan, 2 Chebyshev.
    seed :
        whole number; another one gives another result of the same kind.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (distance to the nearest point, to the second, the nearest one's value 0 to 1), distances in cells, each float32 of
    the window's shape.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    Worley, S. (1996): A cellular texture basis function.
    """
    window = GridWindow.of(window)
    outs = tuple(np.empty(window.shape, np.float32) for _ in range(3))
    place = (window.top, window.left, float(origin[0]), float(origin[1]), float(dx))
    how = (float(size), float(jitter), int(metric), int(seed))
    over_rows(lambda a, b: _cell_rows(*outs, a, b, *place, *how), window.height, stop)
    return outs
