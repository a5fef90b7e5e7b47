"""The sun: where it stands in the course of a day, and how much of it reaches a land past its own hills."""

from __future__ import annotations

import math
from collections.abc import Callable

import numpy as np

from .bands import check, kernel, over_rows
from .light import sunlight

#: (azimuth, elevation, weight): degrees clockwise from north and above the horizon, and the share of the time.
Path = list[tuple[float, float, float]]


def day_path(latitude: float, day: int, places: int = 11) -> Path:
    """The sun's path from rise to set, in equal steps of time.

    Parameters
    ----------
    latitude :
        degrees, north above zero.
    day :
        of the year, 1 to 366.
    places :
        of the path that are looked at, in the middle of the steps.

    Returns
    -------
    Places with equal weights; none where the sun does not rise.

    References
    ----------
    Spencer, J. W. (1971): Fourier series representation of the position of the sun.
    """
    g = 2 * math.pi * (day - 1) / 365
    tilt = 0.006918 - 0.399912 * math.cos(g) + 0.070257 * math.sin(g) - 0.006758 * math.cos(2 * g)
    tilt += 0.000907 * math.sin(2 * g) - 0.002697 * math.cos(3 * g) + 0.00148 * math.sin(3 * g)
    phi = math.radians(min(max(latitude, -89.99), 89.99))
    cosine = -math.tan(phi) * math.tan(tilt)
    if cosine >= 1:
        return []
    half = math.pi if cosine <= -1 else math.acos(cosine)
    found: Path = []
    for k in range(places):
        hour = half * (2 * (k + 0.5) / places - 1)  # 0 at noon, in radians
        up = math.sin(phi) * math.sin(tilt) + math.cos(phi) * math.cos(tilt) * math.cos(hour)
        east = -math.cos(tilt) * math.sin(hour)
        north = math.cos(phi) * math.sin(tilt) - math.sin(phi) * math.cos(tilt) * math.cos(hour)
        elevation = math.degrees(math.asin(min(1.0, max(-1.0, up))))
        if elevation > 0.1:
            found.append((math.degrees(math.atan2(east, north)) % 360, elevation, 1.0))
    return found


@kernel
def _face_rows(east, south, x, y, z, weight, shade, out, row0, row1):
    """Rows of the sun that falls on slopes over the hours of a path. shade: of one hour, or of none."""
    for r in range(row0, row1):
        for c in range(out.shape[1]):
            e, s = east[r, c], south[r, c]
            face = (z - e * x + s * y) / (1.0 + e * e + s * s) ** 0.5
            if face > 0.0:
                out[r, c] += weight * face * (shade[r, c] if shade.size > 1 else 1.0)


_NO_SHADE = np.ones((1, 1), np.float32)


def faced(
    south: np.ndarray, east: np.ndarray, path: Path, shades: Callable | None = None, stop: np.ndarray | None = None
) -> np.ndarray:
    """Share of the sun that falls on slopes, of that which falls on what is always turned to it.

    Parameters
    ----------
    south, east :
        (rows, columns) float32, rise of the land in metres a metre.
    path :
        where the sun stands.
    shades :
        called with each place of the path; gives (rows, columns) float32, how much of its light no land holds back;
        None: no shadows are cast.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (rows, columns) float32, 0 to 1.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    out, total = np.zeros(south.shape, np.float32), max(sum(weight for _, _, weight in path), 1e-9)
    for place in path:
        check(stop)
        a, e = math.radians(place[0]), math.radians(place[1])
        light = (math.sin(a) * math.cos(e), math.cos(a) * math.cos(e), math.sin(e), place[2] / total)
        shade = _NO_SHADE if shades is None else shades(place)
        work = (east, south, *light, shade, out)
        over_rows(lambda r0, r1, work=work: _face_rows(*work, r0, r1), len(out), stop)
    return out


def sunshine(
    h: np.ndarray, south: np.ndarray, east: np.ndarray, dx: float, path: Path, stop: np.ndarray | None = None
) -> np.ndarray:
    """As faced, with the shadows that the land casts on itself.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    south, east :
        its rise, metres a metre.
    dx :
        metres between samples.
    path :
        where the sun stands.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (rows, columns) float32, 0 to 1.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    return faced(south, east, path, lambda place: sunlight(h, dx, place[0], place[1]), stop)
