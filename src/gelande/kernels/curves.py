"""Curves and colour ramps through points."""

from __future__ import annotations

import bisect

import numpy as np
from scipy.interpolate import PchipInterpolator


def table(points, size: int = 2048) -> np.ndarray:
    """A curve through points (x, y) at ``size`` places from x = 0 to 1, float32.

    Monotone cubic pieces (Fritsch and Carlson 1980): the curve never overshoots its points. Level beyond the ends."""
    xs, ys = _apart(points)
    return PchipInterpolator(xs, ys)(np.clip(np.linspace(0, 1, size), xs[0], xs[-1])).astype(np.float32)


def _apart(points):
    """Points with strictly rising x."""
    xs, ys = [], []
    for x, *y in points:
        if not xs or x > xs[-1] + 1e-6:
            xs.append(x)
            ys.append(y if len(y) > 1 else y[0])
        else:
            ys[-1] = y if len(y) > 1 else y[0]
    if len(xs) == 1:
        xs, ys = [xs[0], xs[0] + 1e-3], ys * 2
    return np.array(xs), np.array(ys)


def through(points, x: float) -> float:
    """The curve at one place."""
    xs, ys = _apart(points)
    return float(PchipInterpolator(xs, ys)(min(max(x, xs[0]), xs[-1])))


def ramp_at(stops, x: float) -> tuple[float, float, float]:
    """The ramp's sRGB colour at one place, by straight mixing of the stops beside it."""
    k = bisect.bisect_left([s[0] for s in stops], x)
    if k == 0:
        return tuple(stops[0][1:])
    if k == len(stops):
        return tuple(stops[-1][1:])
    a, b = stops[k - 1], stops[k]
    t = (x - a[0]) / max(b[0] - a[0], 1e-9)
    return tuple(round(p + (q - p) * t, 4) for p, q in zip(a[1:], b[1:]))


def to_linear(srgb: np.ndarray) -> np.ndarray:
    """sRGB 0-1 to linear light (IEC 61966-2-1)."""
    return np.where(srgb <= 0.04045, srgb / 12.92, ((np.maximum(srgb, 0) + 0.055) / 1.055) ** 2.4).astype(np.float32)


def ramp_table(stops, size: int = 2048) -> np.ndarray:
    """The ramp as (size, 3) linear RGB, mixed in sRGB between stops as the editor shows it."""
    xs = [s[0] for s in stops]
    at = np.linspace(0, 1, size)
    return to_linear(np.stack([np.interp(at, xs, [s[k] for s in stops]) for k in (1, 2, 3)], 1))
