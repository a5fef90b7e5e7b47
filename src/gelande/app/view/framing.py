"""Which way one sees most from a place on the ground. No Qt."""

from __future__ import annotations

import numpy as np

#: Directions that are looked at, degrees apart that a picture is wide, and steps along each.
DIRECTIONS, WIDE, STEPS = 72, 60, 160


def widest_view(height: np.ndarray, dx: float, east: float, south: float, eye: float) -> float:
    """The heading in degrees in which most ground is seen.

    Parameters
    ----------
    height :
        (rows, columns), metres.
    dx :
        metres between samples.
    east, south :
        of the place, metres from the north-west corner.
    eye :
        metres over the ground.

    Returns
    -------
    Degrees clockwise from north, 0 to 360.
    """
    rows, columns = height.shape
    heading = np.arange(DIRECTIONS) * (2 * np.pi / DIRECTIONS)
    # steps grow with distance, as what is far takes less of the picture
    away = dx * np.geomspace(1.5, max(2.0, np.hypot(rows, columns)), STEPS)
    x = (east + np.sin(heading)[:, None] * away) / dx
    y = (south - np.cos(heading)[:, None] * away) / dx
    inside = (x >= 0) & (x <= columns - 1) & (y >= 0) & (y <= rows - 1)
    c, r = np.clip(np.rint(x), 0, columns - 1).astype(int), np.clip(np.rint(y), 0, rows - 1).astype(int)
    here = height[int(np.clip(round(south / dx), 0, rows - 1)), int(np.clip(round(east / dx), 0, columns - 1))] + eye
    rise = np.where(inside, (height[r, c] - here) / away, -np.inf)
    horizon = np.maximum.accumulate(rise, axis=1)
    seen = inside & (rise >= horizon)
    depth = (seen * away).max(axis=1) + (seen * np.gradient(away)).sum(axis=1)
    wide = max(1, round(WIDE / 360 * DIRECTIONS))
    around = np.concatenate([depth, depth[:wide]])
    sums = np.array([around[k : k + wide].sum() for k in range(DIRECTIONS)])
    return float((np.degrees(heading[int(np.argmax(sums))]) + (wide - 1) / 2 * 360 / DIRECTIONS) % 360)
