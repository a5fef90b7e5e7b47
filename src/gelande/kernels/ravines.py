"""Ravines that weather and water cut into steep ground between its gullies, closer together than a level's own water
could find."""

from __future__ import annotations

import math

import numpy as np

from .bands import by_rows
from .measure import gaussian, gradient
from .shapes import smoothstep
from .spurs import spurs

#: Distance of the largest ravines in gully spacings, and the least of it in samples; how many sizes there are, and how
#: far the smaller ones run down the sides of the larger.
SIZE, CLOSEST, SIZES, FOLLOW = 1.2, 9.2, 2, 0.59
#: How much steeper the sides of each size are than those of the one before, on land that is still steep and in addition
#: where rain has worn it down.
STEEPER = 1.8, 0.6
#: Depth of the largest over half their distance, at most, for each rise over run of the ground; and the share of it
#: that is gone from land that is worn down.
DEEP, GONE = 0.915, 0.4
#: Distance over which the ground's slope is told, as a share of that of the ravines.
ABOUT = 0.25
#: Rise over run from which ground has ravines in full, up to which they grow deeper, and that their sides come to.
FULL, DEEPEST, SIDES = 0.455, 0.6, 1.15
#: Metres of sediment that fill ravines, as a share of the gully spacing.
BURIES = 0.05
#: Share of the height between crest and bed that is taken from the ground: ravines are deeper than crests are high.
TAKEN = 0.6


def ravines(
    ground: np.ndarray,
    laid: np.ndarray,
    soft: np.ndarray,
    wet: np.ndarray,
    spacing: float,
    fraction: float,
    down: float,
    side: float,
    dx: float,
    seed: int,
    stop: np.ndarray | None = None,
) -> np.ndarray:
    """Metres that ravines take off a ground; less than none where their crests stand above it.

    Parameters
    ----------
    ground :
        (rows, columns) float32, heights in metres.
    laid :
        metres of sediment that lie on it.
    soft, wet :
        erodibility and rain, 0 to 1.
    spacing :
        of gullies, metres.
    fraction :
        depth of ravines, 0 to 1.
    down :
        0 to 1, how far the land is worn down: large ravines go before small ones.
    side :
        depth of the site in metres, where noise begins.
    dx :
        metres between samples.
    seed :
        whole number; another one gives another result of the same kind.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    float32 of ground's shape, metres.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    As of spurs.spurs.
    """
    size, deep = max(SIZE * spacing, CLOSEST * dx), DEEP * fraction * (1 - GONE * down)
    steeper = STEEPER[0] + STEEPER[1] * down
    south, east = gradient(gaussian(ground, ABOUT * size / dx, stop), dx, stop)
    found = spurs(ground.shape, (0.0, side), dx, east, -south, size, SIZES, deep, steeper, seed, FOLLOW, stop)
    below, right = gradient(ground, dx, stop)
    sides = 2 * deep * math.sqrt(sum(steeper ** (2 * k) for k in range(SIZES)))
    taken = TAKEN * 0.5 * deep * size * sum((0.5 * steeper) ** k for k in range(SIZES))
    buries = np.float32(BURIES * spacing)

    def dug(
        south: np.ndarray,
        east: np.ndarray,
        below: np.ndarray,
        right: np.ndarray,
        found: np.ndarray,
        laid: np.ndarray,
        soft: np.ndarray,
        wet: np.ndarray,
    ) -> np.ndarray:
        slope = np.maximum(np.hypot(south, east), np.float32(1e-3))
        # The sides of a ravine are steeper than the ground: where that is steep, they are lower.
        here = np.maximum(np.float32(0.5) * (slope + np.hypot(below, right)), np.float32(0.05))
        room = np.sqrt(np.maximum(np.square(np.float32(SIDES) / here) - 1, 0)) / np.float32(max(sides, 1e-6))
        fraction = (
            smoothstep(slope / np.float32(FULL)) * np.minimum(room, 1) * np.minimum(np.float32(DEEPEST) / slope, 1)
        )
        fraction = fraction * np.exp(-laid / buries) * np.minimum(soft, 1) * np.minimum(wet, 1)
        return fraction * (np.float32(taken) * slope - np.float32(0.5) * found)

    return by_rows(dug, ground.shape, stop, south, east, below, right, found, laid, soft, wet)
