"""The step function of terraces."""

from __future__ import annotations

import math

import numpy as np

from .bands import kernel, over_rows
from .noise import GRADIENT, hash2, noise_at, unit


@kernel
def _edge(k, x, y, irregularity, seed):
    """How far the edge below bed k lies from its even place, in beds: by chance for all of it, and by noise along it,
    so that risers come together and part again. At most 0.31 either way."""
    chance = unit(hash2(k, 17, seed)) - 0.5
    along = min(0.5, max(-0.5, noise_at(GRADIENT, x, y, seed + 7 * k)))
    return (0.34 * chance + 0.28 * along) * irregularity


@kernel
def _uneven(t, x, y, irregularity, seed):
    """A smooth rising function of bed number: beds get thicker and thinner. Its slope stays above a third. x, y: place
    in sizes of the noise along edges."""
    k = math.floor(t)
    f = t - k
    a, b = _edge(int(k), x, y, irregularity, seed), _edge(int(k) + 1, x, y, irregularity, seed)
    s = f * f * (3.0 - 2.0 * f)
    return t + a + (b - a) * s


@kernel
def _step_rows(h, broad, beds, out, riser, row0, row1, place, tall, gain, irregularity, follow, seed):
    top, left, step, north = place
    for r in range(row0, row1):
        y = north - (top + r) * step
        for c in range(h.shape[1]):
            detail = h[r, c] - broad[r, c]
            t0 = (broad[r, c] + beds[r, c]) / tall
            t = _uneven(t0, (left + c) * step, y, irregularity, seed)
            k = math.floor(t)
            f = t - k
            up, down = f**gain, (1.0 - f) ** gain
            s = up / (up + down)
            # How much steeper than the land the profile is here, as a share of the steepest.
            inner = max(f * (1.0 - f), 1e-6)
            steep = gain * s * (1.0 - s) / inner
            # Treads level what is narrow, too, but risers leave it as high as it is: as much steeper as they are it
            # would be slits and teeth.
            d = (k + s - t) * tall - detail * (1.0 - min(1.0, steep))
            out[r, c] = h[r, c] + d * (1.0 - follow)
            riser[r, c] = min(1.0, max(0.0, (steep - 1.0) / max(gain - 1.0, 0.2)))


def step_land(
    h: np.ndarray,
    broad: np.ndarray,
    beds: np.ndarray,
    place: tuple[float, float, float, float],
    tall: float,
    sharpness: float,
    irregularity: float,
    follow: float,
    seed: int,
    stop=None,
):
    """Steps cut into a land.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    broad :
        the same without what is narrow: what is cut into steps.
    beds :
        metres added before cutting: dip and wander.
    place :
        (first row, first column, spacing of samples, northing of row 0), the last two in sizes of the noise by which
        edges of beds wander.
    tall :
        mean height of a step, metres.
    sharpness, irregularity, follow :
        0 to 1.
    seed :
        whole number; another one gives another result of the same kind.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (height in metres, mask of risers), float32.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    out, riser = np.empty(h.shape, np.float32), np.empty(h.shape, np.float32)
    gain = 1.0 + 9.0 * float(sharpness) ** 1.5
    beds = np.ascontiguousarray(np.broadcast_to(beds, h.shape), np.float32)
    place = (float(place[0]), float(place[1]), float(place[2]), float(place[3]))
    over_rows(
        lambda a, b: _step_rows(
            h, broad, beds, out, riser, a, b, place, float(tall), gain, float(irregularity), float(follow), int(seed)
        ),
        h.shape[0],
        stop,
    )
    return out, riser
