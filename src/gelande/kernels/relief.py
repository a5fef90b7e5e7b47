"""Forms of a surface at a size: which way it faces, how it bends, whether it stands out, how rough it is."""

from __future__ import annotations

import math

import numpy as np

from .bands import kernel, over_rows
from .measure import gaussian

PROFILE, PLAN, MEAN = "profile", "plan", "mean"
#: Radians in a degree.
TURN = math.pi / 180
#: Slopes in metres a metre below which a surface has no direction.
LEVEL = 1e-4


@kernel
def _at(h, r, c):
    """A sample, or beyond an edge the sample mirrored at the one on the edge, so that slopes go on."""
    rows, columns = h.shape
    y, x = min(max(r, 0), rows - 1), min(max(c, 0), columns - 1)
    v = h[y, x]
    if y != r or x != c:
        v = 2.0 * v - h[min(max(2 * y - r, 0), rows - 1), min(max(2 * x - c, 0), columns - 1)]
    return v


@kernel
def _bend(mid, north, south, west, east, f, dx, way):
    """Curvature of a row in one way (PROFILE, PLAN or MEAN), by a quadratic through nine samples."""
    d, e = (east + west - 2.0 * mid) / (2.0 * dx * dx), (south + north - 2.0 * mid) / (2.0 * dx * dx)
    if way == 0:
        return -(d + e)
    f, g, k = f / (4.0 * dx * dx), (east - west) / (2.0 * dx), (south - north) / (2.0 * dx)
    steep = g * g + k * k
    bend = d * g * g + e * k * k + f * g * k if way == 1 else d * k * k + e * g * g - f * g * k
    return -2.0 * bend / steep if steep > LEVEL * LEVEL else 0.0


@kernel
def _bend_rows(h, out, row0, row1, dx, way):
    """Rows of curvature, the edge taken from the sample beside it."""
    rows, columns = h.shape
    for r in range(row0, row1):
        inner = 0 < r < rows - 1
        for c in range(columns):
            if inner and 0 < c < columns - 1:
                if way == 0:
                    around = h[r, c - 1] + h[r, c + 1] + h[r - 1, c] + h[r + 1, c]
                    out[r, c] = (4.0 * h[r, c] - around) / (2.0 * dx * dx)
                    continue
                f = h[r + 1, c + 1] + h[r - 1, c - 1] - h[r + 1, c - 1] - h[r - 1, c + 1]
                out[r, c] = _bend(h[r, c], h[r - 1, c], h[r + 1, c], h[r, c - 1], h[r, c + 1], f, dx, way)
                continue
            f = _at(h, r + 1, c + 1) + _at(h, r - 1, c - 1) - _at(h, r + 1, c - 1) - _at(h, r - 1, c + 1)
            north, south, west, east = _at(h, r - 1, c), _at(h, r + 1, c), _at(h, r, c - 1), _at(h, r, c + 1)
            out[r, c] = _bend(h[r, c], north, south, west, east, f, dx, way)


def curvature(h: np.ndarray, dx: float, way: str, stop: np.ndarray | None = None) -> np.ndarray:
    """Curvature of a surface, by a quadratic through each sample and its neighbours.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres, without what is smaller than the size that is asked for.
    dx :
        metres between samples.
    way :
        PROFILE: down the slope; PLAN: across it; MEAN: of both directions, whatever the slope.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (rows, columns) float32, 1 / metres, positive where it is convex; 0 on level ground but for MEAN.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    Zevenbergen, L. W. and Thorne, C. R. (1987): Quantitative analysis of land surface topography. Wood, J. (1996): The
    geomorphological characterisation of digital elevation models.
    """
    out = np.empty(h.shape, np.float32)
    over_rows(lambda a, b: _bend_rows(h, out, a, b, float(dx), (MEAN, PROFILE, PLAN).index(way)), h.shape[0], stop)
    return out


def deviation(h: np.ndarray, sigma: float, least: float, stop=None) -> np.ndarray:
    """Height of a sample over its surroundings, in standard deviations of the heights there.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    sigma :
        of the surroundings, samples.
    least :
        metres that count as no deviation: even ground stays in the middle.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (rows, columns) float32: negative in valleys, positive on ridges.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    Weiss, A. (2001): Topographic position and landforms analysis. De Reu, J. et al. (2013): Application of the
    topographic position index to heterogeneous landscapes.
    """
    apart = h - gaussian(h, sigma, stop)
    return apart / np.sqrt(gaussian(apart * apart, sigma, stop) + np.float32(least * least))


def roughness(h: np.ndarray, sigma: float, stop=None) -> np.ndarray:
    """Spread of what is left of the heights when the broad form is taken away.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    sigma :
        of the broad form, samples.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (rows, columns) float32, metres.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    Riley, S. J. et al. (1999): A terrain ruggedness index that quantifies topographic heterogeneity.
    """
    apart = h - gaussian(h, sigma, stop)
    return np.sqrt(gaussian(apart * apart, sigma, stop))


@kernel
def _facing_rows(south, east, out, row0, row1, direction, end, softness, least):
    """Rows of how far ground faces a direction, fading at the sector's ends and on level ground."""
    # Most samples lie clearly within or beyond the limits: tangents and cosines tell that sooner than angles.
    full, none = math.tan(min(least, 89.9) * TURN) ** 2, math.tan(0.5 * min(least, 89.9) * TURN) ** 2
    x, y = math.sin(direction * TURN), math.cos(direction * TURN)
    inside, outside = math.cos(min(180.0, end) * TURN), math.cos(min(180.0, end + softness) * TURN)
    for r in range(row0, row1):
        for c in range(out.shape[1]):
            s, e = south[r, c], east[r, c]
            steep = s * s + e * e
            if steep <= none or steep == 0.0:
                out[r, c] = 0.0
                continue
            along = (s * y - e * x) / steep**0.5
            fraction = 1.0
            if along < outside:
                fraction = 0.0
            elif along < inside and softness > 0.0:
                t = 1.0 - (math.acos(min(1.0, max(-1.0, along))) / TURN - end) / softness
                t = min(1.0, max(0.0, t))
                fraction = t * t * (3.0 - 2.0 * t)
            if steep < full:
                fraction *= (math.atan(steep**0.5) / TURN - 0.5 * least) / max(0.5 * least, 1e-3)
            out[r, c] = fraction


def facing_fraction(
    south: np.ndarray, east: np.ndarray, direction: float, width: float, softness: float, least: float, stop=None
) -> np.ndarray:
    """Fraction to which ground faces a direction: that in which water runs.

    Parameters
    ----------
    south, east :
        (rows, columns) float32, rise a metre southward and eastward.
    direction :
        degrees clockwise from north.
    width, softness :
        degrees: of the sector that counts in full, and on either side of it over which that fades.
    least :
        slope in degrees from which ground faces somewhere in full; from half of it on it does in part.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (rows, columns) float32, 0 to 1.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    Horn, B. K. P. (1981): Hill shading and the reflectance map.
    """
    out = np.empty(south.shape, np.float32)
    sector = (float(direction), width / 2, float(softness), float(least))
    over_rows(lambda a, b: _facing_rows(south, east, out, a, b, *sector), len(out), stop)
    return out
