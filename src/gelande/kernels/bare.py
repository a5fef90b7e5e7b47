"""Colours of ground that has none of its own: quiet tones that tell flat from steep, hollow from
crest, low from high."""

from __future__ import annotations

import math

import numpy as np

from .bands import kernel

#: Rows of a palette.
LOW, HIGH, HOLLOW, ROCK, CREST = range(5)
#: Palettes by name, as linear colours of low ground, high ground, hollows, steep rock and crests.
PALETTES = {
    "grass": (
        (0.235, 0.255, 0.135),
        (0.36, 0.33, 0.23),
        (0.135, 0.17, 0.09),
        (0.25, 0.225, 0.2),
        (0.46, 0.43, 0.35),
    ),
    "sand": ((0.47, 0.34, 0.21), (0.43, 0.25, 0.145), (0.31, 0.245, 0.16), (0.34, 0.155, 0.085), (0.56, 0.41, 0.27)),
    "ash": ((0.155, 0.18, 0.10), (0.145, 0.135, 0.125), (0.10, 0.125, 0.065), (0.085, 0.08, 0.08), (0.22, 0.205, 0.19)),
    "snow": ((0.60, 0.63, 0.66), (0.74, 0.76, 0.78), (0.50, 0.55, 0.60), (0.18, 0.185, 0.20), (0.80, 0.81, 0.82)),
}
#: The palette of a site that says no other.
USUAL = "grass"
#: Tangents of slopes at which rock begins to show and at which nothing else does.
SOIL, STEEP = 0.42, 1.0


def palette(name: str) -> np.ndarray:
    """Tones of bare ground.

    Parameters
    ----------
    name :
        one of PALETTES.

    Returns
    -------
    (5, 3) float64 linear colours, rows as LOW to CREST.
    """
    return np.array(PALETTES[name], np.float64)


@kernel
def bare(tones, share, rise, open_, bent, k):
    """Linear colour k (0 red to 2 blue) of bare ground. tones: a palette; share: how high it lies between the lowest
    and highest ground, 0 to 1; rise: tangent of its slope; open_: share of the sky that it sees; bent: how much the
    slope changes from sample to sample, tangents, above 0 in hollows."""
    v = tones[LOW, k] + (tones[HIGH, k] - tones[LOW, k]) * share * share * (3.0 - 2.0 * share)
    # even ground of this slope hides a part of the sky itself; what is missing beyond that is hidden by land around
    hidden = 1.0 - rise / math.sqrt(1.0 + rise * rise) / math.pi - open_
    hollow = min(1.0, max(0.0, 4.0 * hidden + 1.2 * bent))
    crest = min(1.0, max(0.0, -3.0 * bent - 1.5 * hidden))
    v += (tones[HOLLOW, k] - v) * 0.9 * hollow
    rock = min(1.0, max(0.0, (rise - SOIL + 0.35 * crest - 0.2 * hollow) / (STEEP - SOIL)))
    v += (tones[ROCK, k] - v) * rock * rock * (3.0 - 2.0 * rock)
    return v + (tones[CREST, k] - v) * 0.55 * crest
