"""Curves and colour ramps through points."""

from __future__ import annotations

import bisect

import numpy as np

from .bands import kernel, over_rows


def table(points: tuple[tuple, tuple], size: int = 2048) -> np.ndarray:
    """A curve through points, at places from x = 0 to 1; it never overshoots its points and is level beyond the
    ends.

    Parameters
    ----------
    points :
        (x, y) pairs, each 0 to 1.
    size :
        how many places.

    Returns
    -------
    (size,) float32.

    References
    ----------
    Fritsch, F. N. and Carlson, R. E. (1980): Monotone piecewise cubic interpolation.
    """
    xs, ys = _apart(points)
    return _monotone(xs, ys, np.linspace(0, 1, size)).astype(np.float32)


def _monotone(xs: np.ndarray, ys: np.ndarray, at: np.ndarray) -> np.ndarray:
    """Piecewise cubic Hermite curve with Fritsch and Butland's (1984) weighted harmonic slopes.

    Written out because importing the package that has it costs half a second of every start; a test compares the
    two."""
    h, d = np.diff(xs), np.diff(ys) / np.diff(xs)
    m = np.empty(len(xs))
    if len(xs) == 2:
        m[:] = d[0]
    else:
        w1, w2 = 2 * h[1:] + h[:-1], h[1:] + 2 * h[:-1]
        same = d[:-1] * d[1:] > 0
        safe = np.where(same, d[:-1], 1.0), np.where(same, d[1:], 1.0)
        m[1:-1] = np.where(same, (w1 + w2) / (w1 / safe[0] + w2 / safe[1]), 0.0)
        for end, (h0, h1, d0, d1) in ((0, (h[0], h[1], d[0], d[1])), (-1, (h[-1], h[-2], d[-1], d[-2]))):
            slope = ((2 * h0 + h1) * d0 - h0 * d1) / (h0 + h1)
            if np.sign(slope) != np.sign(d0):
                slope = 0.0
            elif np.sign(d0) != np.sign(d1) and abs(slope) > 3 * abs(d0):
                slope = 3 * d0
            m[end] = slope
    at = np.clip(at, xs[0], xs[-1])
    k = np.clip(np.searchsorted(xs, at, side="right") - 1, 0, len(h) - 1)
    t = (at - xs[k]) / h[k]
    return (
        (2 * t**3 - 3 * t**2 + 1) * ys[k]
        + (t**3 - 2 * t**2 + t) * h[k] * m[k]
        + (3 * t**2 - 2 * t**3) * ys[k + 1]
        + (t**3 - t**2) * h[k] * m[k + 1]
    )


def _apart(points: tuple) -> tuple[np.ndarray, np.ndarray]:
    """Points with strictly rising x."""
    xs: list[float] = []
    ys: list = []
    for x, *y in points:
        if not xs or x > xs[-1] + 1e-6:
            xs.append(x)
            ys.append(y if len(y) > 1 else y[0])
        else:
            ys[-1] = y if len(y) > 1 else y[0]
    if len(xs) == 1:
        xs, ys = [xs[0], xs[0] + 1e-3], ys * 2
    return np.array(xs), np.array(ys)


def through(points: tuple[tuple, tuple, tuple, tuple], x: float) -> float:
    """A curve through points at one place.

    Parameters
    ----------
    points :
        (x, y) pairs, each 0 to 1.
    x :
        the place, 0 to 1.

    Returns
    -------
    y at x.

    References
    ----------
    As table.
    """
    xs, ys = _apart(points)
    return float(_monotone(xs, ys, np.array([x]))[0])


def ramp_at(stops, x: float) -> tuple[float, float, float]:
    """The colour of a ramp at one place, by straight mixing of the stops beside it.

    Parameters
    ----------
    stops :
        (position, red, green, blue), sRGB 0 to 1, sorted.
    x :
        the place, 0 to 1.

    Returns
    -------
    (red, green, blue), sRGB 0 to 1.
    """
    k = bisect.bisect_left([s[0] for s in stops], x)
    if k == 0:
        return tuple(stops[0][1:])
    if k == len(stops):
        return tuple(stops[-1][1:])
    a, b = stops[k - 1], stops[k]
    t = (x - a[0]) / max(b[0] - a[0], 1e-9)
    return tuple(round(p + (q - p) * t, 4) for p, q in zip(a[1:], b[1:]))


def to_srgb(linear: np.ndarray) -> np.ndarray:
    """Linear light to sRGB.

    Parameters
    ----------
    linear :
        any shape, 0 to 1; what lies beyond is held at the ends.

    Returns
    -------
    The same shape, in the precision that comes in.

    References
    ----------
    IEC 61966-2-1:1999.
    """
    v = np.clip(linear, 0, 1)
    return np.where(v <= 0.0031308, 12.92 * v, 1.055 * np.power(v, 1 / 2.4, dtype=v.dtype) - 0.055)


def to_linear(srgb: np.ndarray) -> np.ndarray:
    """sRGB to linear light.

    Parameters
    ----------
    srgb :
        any shape, 0 to 1.

    Returns
    -------
    The same shape, float32.

    References
    ----------
    IEC 61966-2-1:1999.
    """
    return np.where(srgb <= 0.04045, srgb / 12.92, ((np.maximum(srgb, 0) + 0.055) / 1.055) ** 2.4).astype(np.float32)


def ramp_table(stops: tuple, size: int = 2048) -> np.ndarray:
    """A ramp as a table of colours, mixed in sRGB between stops as the editor shows it.

    Parameters
    ----------
    stops :
        (position, red, green, blue), sRGB 0 to 1, sorted.
    size :
        how many colours.

    Returns
    -------
    (size, 3) float32, linear RGB.
    """
    xs = [s[0] for s in stops]
    at = np.linspace(0, 1, size)
    return to_linear(np.stack([np.interp(at, xs, [s[k] for s in stops]) for k in (1, 2, 3)], 1))


@kernel
def _ramp_rows(data, lut, out, row0, row1, low, scale):
    """Rows of colours from a table, by values that begin at low."""
    top = lut.shape[0] - 1
    for r in range(row0, row1):
        for c in range(data.shape[1]):
            t = (data[r, c] - low) * scale * top + 0.5
            i = int(min(max(t, 0.0), top))
            for k in range(3):
                out[r, c, k] = lut[i, k]


def coloured(data: np.ndarray, lut: np.ndarray, low: float, high: float, stop: np.ndarray | None = None) -> np.ndarray:
    """Colours of a ramp's table for values from low to high; beyond them the ramp's ends.

    Parameters
    ----------
    data :
        (rows, columns) float32.
    lut :
        (size, 3) float32, linear RGB.
    low, high :
        the values of the table's ends.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (rows, columns, 3) float32, linear RGB.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    out = np.empty((*data.shape, 3), np.float32)
    span = high - low
    scale = 1.0 / (span if abs(span) > 1e-6 else 1.0)
    over_rows(lambda a, b: _ramp_rows(data, lut, out, a, b, float(low), scale), data.shape[0], stop)
    return out


@kernel
def _curve_rows(h, lut, out, row0, row1, low, span):
    """Rows of heights through a table over low to low + span; beyond its ends they go on as they are."""
    top = len(lut) - 1
    for r in range(row0, row1):
        for c in range(h.shape[1]):
            inside = min(max(h[r, c], low), low + span)
            t = (inside - low) / span * top
            i = min(int(t), top - 1)
            out[r, c] = low + (lut[i] + (lut[i + 1] - lut[i]) * (t - i)) * span + (h[r, c] - inside)


def remapped(h: np.ndarray, lut: np.ndarray, low: float, high: float, stop: np.ndarray | None = None) -> np.ndarray:
    """Heights through a curve's table that stands for low to high both ways; beyond them heights go on unchanged.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    lut :
        (size,) float32, 0 to 1.
    low, high :
        the heights of the table's ends, metres.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (rows, columns) float32, metres.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    out = np.empty(h.shape, np.float32)
    over_rows(lambda a, b: _curve_rows(h, lut, out, a, b, float(low), max(float(high - low), 1e-6)), h.shape[0], stop)
    return out
