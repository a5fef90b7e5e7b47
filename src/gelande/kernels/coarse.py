"""Wide filters done on the level where they are a few samples wide: the same result at every detail, and fast."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from .transfer import up_to

#: A filter is done on the coarsest level on which its radius is at least this many samples.
LEAST = 4.0


def on_level(level: int, coarsest: int, spacing: Callable[[int], float], radius: float) -> int:
    """The level to filter on for a radius in metres when the result is wanted at ``level``."""
    at = coarsest
    while at < level and radius / spacing(at) < LEAST:
        at += 1
    return at


def filtered(level: int, coarsest: int, spacing, radius: float, fetch: Callable[[int], np.ndarray], run: Callable, smooth: bool, stop=None):
    """run(samples, radius in samples) on the filter's own level, brought up to ``level`` (cubic when smooth)."""
    at = on_level(level, coarsest, spacing, radius)
    return up_to(run(fetch(at), radius / spacing(at)), level - at, smooth, stop)
