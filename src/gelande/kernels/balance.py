"""Cut, fill and raised ground that agree with what became of a land."""

from __future__ import annotations

import numpy as np

from .bands import over_rows
from .erosion import Moved


def agreeing(
    moved: Moved, change: np.ndarray, before: Moved | None = None, stop: np.ndarray | None = None
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Cut, fill and raised ground that make up the change: what a level's own grid, smoothing and pits changed beside
    the water is taken from what it undid, or counted anew. What stands above the land from before with none laid on it
    has risen.

    Parameters
    ----------
    moved :
        what a level wore and laid.
    change :
        (rows, columns) float32, metres, of that level and of those before.
    before :
        what the levels before did; what this one wore of the sediment that they laid is neither cut nor filled.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (cut, fill, raised), metres, 0 or more.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    out = np.empty_like(change), np.empty_like(change), np.empty_like(change)

    def band(a: int, b: int) -> None:
        cut, fill = moved.worn[a:b], moved.laid[a:b]
        if before is not None:
            through = np.minimum(before.laid[a:b], cut)
            cut, fill = before.worn[a:b] + cut - through, before.laid[a:b] + fill - through
        over = fill - cut - change[a:b]
        less_laid, less_worn = np.minimum(np.maximum(over, 0), fill), np.minimum(np.maximum(-over, 0), cut)
        rest = over - less_laid + less_worn
        out[0][a:b] = cut - less_worn + np.maximum(rest, 0)
        out[1][a:b] = fill - less_laid
        out[2][a:b] = np.maximum(-rest, 0)

    over_rows(band, change.shape[0], stop)
    return out
