"""Steps cut into land: treads and risers that part and come together.

Where land is steep, steps of the mean height would stand closer than a grid can show; there two, four or eight of them
are one. The risers of higher steps are some of those of lower ones, so risers run together on steep ground instead of
coming as close as contour lines."""

from __future__ import annotations

import math

import numpy as np

from .bands import kernel, over_rows
from .noise import GRADIENT, hash2, noise_at, unit

#: How often steps are doubled at most.
DOUBLED = 4
#: How much of the riser's sharpness its foot has: talus lies there, a cliff stands above it.
FOOT = 0.45
#: Sizes of the noise along edges in which risers fade out and come back, and the noise at which half of one is left.
FADES, HALF = 2.2, -0.08
#: How much of a riser is gone at most for each share of irregularity.
FADED = 1.8


@kernel
def _edge(k, x, y, irregularity, seed):
    """Offset of the edge below bed k from its even place, in beds: by chance for all of it, and by noise along it,
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
def _shown(k, x, y, irregularity, seed):
    """Fraction of a riser that stands here: risers of irregular steps fade out along the slope."""
    n = noise_at(GRADIENT, x / FADES, y / FADES, seed + 5003 + 11 * k)
    s = min(1.0, max(0.0, 0.5 + 3.0 * (n - HALF)))
    return 1.0 - min(1.0, FADED * irregularity) * (1.0 - s * s * (3.0 - 2.0 * s))


@kernel
def _step(t, times, x, y, gain, irregularity, seed):
    """(how far a step's profile lies above the land, how much steeper it is than it, as a share of the steepest), in
    steps and once. times: how many steps are one."""
    v = (t + 0.5 * (times - 1)) / times
    k = math.floor(v)
    f = v - k
    foot = 1.0 + (gain - 1.0) * FOOT
    if f < 0.5:
        s, steep = 0.5 * (2.0 * f) ** foot, foot * (2.0 * f) ** (foot - 1.0)
    else:
        s, steep = 1.0 - 0.5 * (2.0 - 2.0 * f) ** gain, gain * (2.0 - 2.0 * f) ** (gain - 1.0)
    shown = _shown(int(k) * times, x, y, irregularity, seed)
    return (s - f) * times * shown, 1.0 + (steep - 1.0) * shown


@kernel
def _step_rows(h, broad, beds, merged, out, riser, row0, row1, place, tall, gain, irregularity, follow, seed):
    """Rows of a land in steps: each sample's bed, its riser and its tread."""
    top, left, step, north = place
    for r in range(row0, row1):
        y = north - (top + r) * step
        for c in range(h.shape[1]):
            x, detail = (left + c) * step, h[r, c] - broad[r, c]
            t = _uneven((broad[r, c] + beds[r, c]) / tall, x, y, irregularity, seed)
            level = min(max(merged[r, c], 0.0), DOUBLED - 1e-3)
            low = int(level)
            part = level - low
            part = part * part * (3.0 - 2.0 * part)
            d, steep = _step(t, 1 << low, x, y, gain, irregularity, seed)
            if part > 0.0:
                e, more = _step(t, 2 << low, x, y, gain, irregularity, seed)
                d, steep = d + (e - d) * part, steep + (more - steep) * part
            # Treads level what is narrow, too, but risers leave it as high as it is: as much steeper as they are it
            # would be slits and teeth.
            d = d * tall - detail * (1.0 - min(1.0, steep))
            out[r, c] = h[r, c] + d * (1.0 - follow)
            riser[r, c] = min(1.0, max(0.0, (steep - 1.0) / max(0.6 * (gain - 1.0), 0.2)))


def step_land(
    h: np.ndarray,
    broad: np.ndarray,
    beds: np.ndarray,
    merged: np.ndarray,
    place: tuple[float, float, float, float],
    tall: float,
    sharpness: float,
    irregularity: float,
    follow: float,
    seed: int,
    stop: np.ndarray | None = None,
) -> tuple[np.ndarray, np.ndarray]:
    """Steps cut into a land.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    broad :
        the same without what is narrow: what is cut into steps.
    beds :
        metres added before cutting: dip and wander.
    merged :
        how often steps are doubled, 0 to DOUBLED.
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
    how = (place, float(tall), gain, float(irregularity), float(follow), int(seed))
    over_rows(lambda a, b: _step_rows(h, broad, beds, merged, out, riser, a, b, *how), h.shape[0], stop)
    return out, riser
