"""Forms of a surface at a size: which way it faces, how it bends, whether it stands out, how rough it is."""

from __future__ import annotations

import numpy as np

from .measure import gaussian, gradient

PROFILE, PLAN, MEAN = "Profile", "Plan", "Mean"
#: Slopes in metres a metre below which a surface has no direction.
LEVEL = 1e-4


def aspect(h: np.ndarray, dx: float, stop=None) -> tuple[np.ndarray, np.ndarray]:
    """Which way ground faces, and how steeply.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    dx :
        metres between samples.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (direction that water runs, degrees clockwise from north; slope in degrees), each (rows, columns) float32.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    Horn, B. K. P. (1981): Hill shading and the reflectance map.
    """
    return directions(*gradient(h, dx, stop))


def directions(south: np.ndarray, east: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """Which way ground of a rise faces, and how steeply.

    Parameters
    ----------
    south, east :
        rise a metre southward and eastward.

    Returns
    -------
    (direction that water runs, degrees clockwise from north; slope in degrees), each float32 of the same shape.
    """
    facing = np.degrees(np.arctan2(-east, south)) % np.float32(360)
    return facing.astype(np.float32), np.degrees(np.arctan(np.hypot(south, east))).astype(np.float32)


def curvature(h: np.ndarray, dx: float, way: str) -> np.ndarray:
    """How a surface bends, by a quadratic through each sample and its neighbours.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres, without what is smaller than the size that is asked for.
    dx :
        metres between samples.
    way :
        PROFILE: down the slope; PLAN: across it; MEAN: of both directions, whatever the slope.

    Returns
    -------
    (rows, columns) float32, 1 / metres, positive where it is convex; 0 on level ground but for MEAN.

    References
    ----------
    Zevenbergen, L. W. and Thorne, C. R. (1987): Quantitative analysis of land surface topography. Wood, J. (1996): The
    geomorphological characterisation of digital elevation models.
    """
    z = np.pad(h, 1, mode="reflect", reflect_type="odd")
    mid = z[1:-1, 1:-1]
    d = (z[1:-1, 2:] + z[1:-1, :-2] - 2 * mid) / np.float32(2 * dx * dx)
    e = (z[2:, 1:-1] + z[:-2, 1:-1] - 2 * mid) / np.float32(2 * dx * dx)
    if way == MEAN:
        return -(d + e)
    f = (z[2:, 2:] + z[:-2, :-2] - z[2:, :-2] - z[:-2, 2:]) / np.float32(4 * dx * dx)
    g, k = (z[1:-1, 2:] - z[1:-1, :-2]) / np.float32(2 * dx), (z[2:, 1:-1] - z[:-2, 1:-1]) / np.float32(2 * dx)
    steep = g * g + k * k
    if way == PROFILE:
        bend = d * g * g + e * k * k + f * g * k
    else:
        bend = d * k * k + e * g * g - f * g * k
    return np.where(steep > LEVEL**2, -2 * bend / np.maximum(steep, LEVEL**2), 0).astype(np.float32)


def deviation(h: np.ndarray, sigma: float, least: float, stop=None) -> np.ndarray:
    """How far a sample stands out of its surroundings, in standard deviations of the heights there.

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


def turned_from(degrees: np.ndarray, direction: float) -> np.ndarray:
    """Angles between directions.

    Parameters
    ----------
    degrees :
        any shape, clockwise from north.
    direction :
        degrees clockwise from north.

    Returns
    -------
    The same shape, 0 to 180 degrees.
    """
    return np.abs((degrees - np.float32(direction) + np.float32(540)) % np.float32(360) - np.float32(180))


def facing_share(
    faces: np.ndarray, slope: np.ndarray, direction: float, width: float, softness: float, least: float
) -> np.ndarray:
    """How much ground counts as facing a direction.

    Parameters
    ----------
    faces, slope :
        of the ground, degrees, as directions() gives them.
    direction :
        degrees clockwise from north.
    width, softness :
        degrees: of the sector that counts in full, and on either side of it over which that fades.
    least :
        slope in degrees from which ground faces somewhere in full; from half of it on it does in part.

    Returns
    -------
    The same shape, float32, 0 to 1.
    """
    half = np.float32(0.5 * least)
    steep = np.clip((slope - half) / np.float32(max(0.5 * least, 1e-3)), 0, 1)
    return fade(turned_from(faces, direction), width / 2, softness) * steep


def fade(values: np.ndarray, end: float, softness: float) -> np.ndarray:
    """1 up to an end, falling smoothly to 0 over a softness beyond it.

    Parameters
    ----------
    values :
        any shape.
    end, softness :
        in the values' unit; a softness of 0 makes a hard edge.

    Returns
    -------
    The same shape, float32, 0 to 1.
    """
    if softness <= 0:
        return (values <= end).astype(np.float32)
    t = np.clip(1 - (values - np.float32(end)) / np.float32(softness), 0, 1)
    return (t * t * (3 - 2 * t)).astype(np.float32)
