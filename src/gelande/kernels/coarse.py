"""On which level a wide filter is done: the same result at every detail, and fast."""

from __future__ import annotations

from collections.abc import Callable

#: A filter is done on the coarsest level on which its radius is at least this many samples.
LEAST = 4.0


def on_level(level: int, coarsest: int, spacing: Callable[[int], float], radius: float) -> int:
    """The level on which a wide filter is done: the coarsest on which its radius is a few samples.

    Parameters
    ----------
    level :
        on which the result is wanted.
    coarsest :
        the coarsest level there is.
    spacing :
        level -> metres between samples.
    radius :
        of the filter, metres.

    Returns
    -------
    A level from coarsest to level; the level itself where that is coarser.
    """
    at = min(coarsest, level)
    while at < level and radius / spacing(at) < LEAST:
        at += 1
    return at
