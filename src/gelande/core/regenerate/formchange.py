"""How far the form of a land was changed: what stayed of its summits, its slopes at large and its lowest ground."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

#: Slopes in degrees of a wall, and of ground that was none; samples about a place that are looked at for that.
WALL, NO_WALL, NEAR = 50.0, 45.0, 3


@dataclass(frozen=True)
class FormChange:
    """Change of a land's form; all but the last are shares of the relief that it had.

    summit: loss of the 99.9th percentile of height. envelope: loss of the highest ground within a sixteenth of the
    site, blurred, at its 95th percentile. sunk: how far the lowest ground went down. lowered: on average; less than 0
    where land came up. unlike: 1 less the correlation of both lands, blurred by a 24th of the site. walls: share of
    ground over 50° that had none over 45° within three samples."""

    summit: float
    envelope: float
    sunk: float
    lowered: float
    unlike: float
    walls: float


def form_change(before: np.ndarray, after: np.ndarray, dx: float) -> FormChange:
    """Measures how far a land kept its form.

    Parameters
    ----------
    before, after :
        (rows, columns), heights in metres.
    dx :
        metres between samples.

    Returns
    -------
    FormChange.
    """
    from scipy import ndimage  # heavy to import

    a, b = before.astype(np.float64), after.astype(np.float64)
    relief, size = max(float(a.max() - a.min()), 1e-9), max(a.shape)
    upper = [ndimage.gaussian_filter(ndimage.maximum_filter(x, size // 16), size / 32) for x in (a, b)]
    broad = [ndimage.gaussian_filter(x, size / 24, mode="nearest").ravel() for x in (a, b)]
    slope = [np.degrees(np.arctan(np.hypot(*np.gradient(x, dx)))) for x in (a, b)]
    walls = (slope[1] > WALL) & (ndimage.maximum_filter(slope[0], 2 * NEAR + 1) < NO_WALL)
    differ = all(x.std() > 1e-6 * relief for x in broad)
    return FormChange(
        summit=float(np.percentile(a, 99.9) - np.percentile(b, 99.9)) / relief,
        envelope=float(np.percentile(upper[0] - upper[1], 95)) / relief,
        sunk=float(a.min() - b.min()) / relief,
        lowered=float((a - b).mean()) / relief,
        unlike=1 - float(np.corrcoef(*broad)[0, 1]) if differ else float(broad[0].std() > 1e-6 * relief),
        walls=float(walls.mean()),
    )
