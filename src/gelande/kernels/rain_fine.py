"""Levels of rain that are finer than the mapped one: tiles are eroded by themselves, and the level is made of them."""

from __future__ import annotations

import numpy as np

from .beds import fine_beds
from .erosion import Moved, fill_pits
from .grid_window import GridWindow
from .local_erosion import erode_local
from .measure import volume
from .rain import GLOBAL_STEPS, Rain, full_extent, log_area, pass_of, taken_back


def erode_tiles(
    rain: Rain,
    start: np.ndarray,
    soft: np.ndarray,
    fall: np.ndarray,
    depth: int,
    dx: float,
    stop: np.ndarray | None,
    window: GridWindow,
    wanted: GridWindow,
) -> tuple[np.ndarray, Moved]:
    """Erodes tiles of a fine level; ``finish`` makes the level of them.

    Parameters
    ----------
    rain, start, soft, fall, depth, dx, stop :
        as erode.
    window :
        what start holds.
    wanted :
        whole tiles, which have to be right afterwards.

    Returns
    -------
    (heights in metres, what was moved with areas in m² and in metres on a sample what left).

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    As kernels.erosion.
    """
    return erode_local(start, soft, fall, pass_of(rain, depth, False), dx, stop, window, wanted)


def finish(
    rain: Rain,
    h: np.ndarray,
    start: np.ndarray,
    moved: Moved,
    lines: np.ndarray,
    depth: int,
    dx: float,
    stop: np.ndarray | None,
    window: GridWindow,
    back: float,
) -> tuple[np.ndarray, Moved]:
    """A fine level of its eroded tiles: what it changed at the coarser one's scale is taken back, and rivers have
    their beds.

    Parameters
    ----------
    rain, depth, dx, stop :
        as erode.
    h, start :
        (rows, columns) float32 of the window: heights eroded and before, metres.
    moved :
        what erode_tiles moved there.
    lines :
        streams of the last whole level.
    window :
        what they hold; it begins at an even row and column, where the coarser level has samples.
    back :
        0 to 1, the share that is taken back.

    Returns
    -------
    (heights in metres, what was moved with the logarithm of areas and in m³ what left).

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    laid, left = moved.laid.copy(), moved.left
    if back > 0:
        h, left = h - taken_back(h, start, back), left * (1 - back)
    before, h = h, _fine_bedded(rain, h, lines, depth, dx, window, stop)
    left += volume(before - h)
    left -= fill_pits(h, laid, full_extent(h))  # taking back can leave single samples low
    return h, moved._replace(laid=laid, area=log_area(moved.area, dx, stop), left=left * dx * dx)


def _fine_bedded(
    rain: Rain, h: np.ndarray, lines: np.ndarray, depth: int, dx: float, window: GridWindow, stop: np.ndarray | None
) -> np.ndarray:
    """A fine level with the beds of its rivers."""
    beds = lines[:, [0, 1, 2, 3, 6, 7]]
    beds = np.ascontiguousarray(beds[np.isfinite(beds).all(1)])
    return fine_beds(h, beds, rain.gully_spacing, dx, depth - len(GLOBAL_STEPS) + 1, window, stop)
