"""Loose material on rock: stones, snow. It slides where the surface is steeper than it can stand, and none is lost.

Two sweeps a pass, both over rows that are read only: how much of what would leave a cell is there to leave, then
what every cell gains and loses. Every transfer is taken once and given once, so the sum stays, whatever the number of
threads. Passes look at the four sides and at the four corners in turn. Rows are worked one neighbour at a time, which
the processor does several cells at once.

"""

from __future__ import annotations

import numpy as np

from .bands import alone, check, kernel, over_rows
from .flow import DX, DY, FAR

#: Share of an excess of height that moves in one pass to one neighbour; four neighbours stay stable below 1/8.
RATE = 0.11
#: Directions of the neighbours at the sides and at the corners.
SIDES, CORNERS = np.array([1, 3, 4, 6]), np.array([0, 2, 5, 7])
#: Rows of a grid whose passes are done by one call, and of a band of a larger one: a pass is little work, and to hand
#: bands over takes longer than to do them where they are low.
FEW, HIGH = 300, 260
#: Metres of broken rock from which stones come.
BROKEN = 0.05


@kernel
def _neighbours(a, r, k):
    """Row r of an array without the column that has no neighbour in direction k, and the neighbours' row; one is
    empty at the edge."""
    first, last = max(0, -DX[k]), a.shape[1] - max(0, DX[k])
    if not 0 <= r + DY[k] < a.shape[0]:
        return a[r, :0], a[r, :0]
    return a[r, first:last], a[r + DY[k], first + DX[k] : last + DX[k]]


@kernel
def _fraction_rows(top, loose, fraction, row0, row1, limit, turn):
    """The share of what would slide off each cell that is there as loose material. top: surface in m; limit: fall
    between cells in m."""
    going = np.empty(top.shape[1], np.float32)
    rate = np.float32(RATE)
    for r in range(row0, row1):
        going[:] = 0.0
        for k in turn:
            here, there = _neighbours(top, r, k)
            out, most = going[max(0, -DX[k]) :], np.float32(limit * FAR[k])
            for c in range(len(here)):
                out[c] += max(here[c] - there[c] - most, np.float32(0.0))
        for c in range(len(going)):
            out_of = rate * going[c]
            fraction[r, c] = 1.0 if out_of <= loose[r, c] else loose[r, c] / out_of


@kernel
def _slide_rows(top, loose, fraction, out, row0, row1, limit, turn):
    """Rows of loose metres after one pass, in which they slide where their surface is steeper than a limit."""
    change = np.empty(top.shape[1], np.float32)
    for r in range(row0, row1):
        change[:] = 0.0
        for k in turn:
            here, there = _neighbours(top, r, k)
            ours, theirs = _neighbours(fraction, r, k)
            moved, most = change[max(0, -DX[k]) :], np.float32(limit * FAR[k])
            for c in range(len(here)):
                fall = here[c] - there[c]
                moved[c] += max(-fall - most, np.float32(0.0)) * theirs[c] - max(fall - most, np.float32(0.0)) * ours[c]
        for c in range(len(change)):
            out[r, c] = max(np.float32(0.0), loose[r, c] + np.float32(RATE) * change[c])


@kernel
def _all_passes(rock, top, loose, fraction, out, begin, passes, limit, corners, sides, stop):
    """Passes on all rows by one call: small grids are done in many, each of little work. Returns where the last of them
    left what lies loose: 0 for loose, 1 for out."""
    rows, columns = rock.shape
    for k in range(passes):
        if stop[0]:
            return 0
        here, there = (out, loose) if k % 2 else (loose, out)
        turn = sides if k % 2 else corners
        _fraction_rows(top, here, fraction, begin, rows, limit, turn)
        _slide_rows(top, here, fraction, there, begin, rows, limit, turn)
        for r in range(rows):
            for c in range(columns):
                top[r, c] = rock[r, c] + there[r, c]
    return passes % 2


@kernel
def _lean(stands, fall, stop):
    """Lowers every cell to what its neighbours bear, in a sweep down and one up: exact for ways in eight directions
    (Borgefors 1986)."""
    rows, columns = stands.shape
    side, corner = np.float32(fall), np.float32(fall * FAR[0])
    for r in range(rows):
        if stop[0]:
            return
        for c in range(columns):
            here = stands[r, c]
            if r > 0:
                here = min(here, stands[r - 1, c] + side)
                if c > 0:
                    here = min(here, stands[r - 1, c - 1] + corner)
                if c + 1 < columns:
                    here = min(here, stands[r - 1, c + 1] + corner)
            if c > 0:
                here = min(here, stands[r, c - 1] + side)
            stands[r, c] = here
    for r in range(rows - 1, -1, -1):
        if stop[0]:
            return
        for c in range(columns - 1, -1, -1):
            here = stands[r, c]
            if r + 1 < rows:
                here = min(here, stands[r + 1, c] + side)
                if c > 0:
                    here = min(here, stands[r + 1, c - 1] + corner)
                if c + 1 < columns:
                    here = min(here, stands[r + 1, c + 1] + corner)
            if c + 1 < columns:
                here = min(here, stands[r, c + 1] + side)
            stands[r, c] = here


def stands(ground: np.ndarray, limit: float, dx: float, stop: np.ndarray | None = None) -> np.ndarray:
    """The part of the ground that bears itself: the highest surface that is nowhere above it nor steeper than a limit.

    Parameters
    ----------
    ground :
        (rows, columns) float32, metres; a whole grid.
    limit :
        rise over run.
    dx :
        metres between samples.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (rows, columns) float32, metres.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    Borgefors, G. (1986): Distance transformations in digital images.
    """
    held = ground.astype(np.float32, copy=True)
    _lean(held, float(limit * dx), np.zeros(1, np.uint8) if stop is None else stop)
    check(stop)
    return held


def reach(ground: np.ndarray, worn: np.ndarray, limit: float, dx: float, stop: np.ndarray | None = None) -> np.ndarray:
    """Depth that stones can lie in: up to the surface that falls at a limit from where rock broke.

    Parameters
    ----------
    ground :
        (rows, columns) float32, metres; a whole grid.
    worn :
        metres of rock that broke.
    limit :
        rise over run.
    dx :
        metres between samples.
    stop :
        as of stands.

    Returns
    -------
    (rows, columns) float32, metres, 0 or more.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    hung = np.where(worn > np.float32(BROKEN), -ground, np.float32(1e6))
    _lean(hung, float(limit * dx), np.zeros(1, np.uint8) if stop is None else stop)
    check(stop)
    return np.maximum(worn - hung - ground, 0)


def settle_loose(
    rock: np.ndarray, loose: np.ndarray, limit: float, dx: float, passes: int, stop: np.ndarray | None = None
) -> np.ndarray:
    """Lets loose material slide until it stands; none is lost.

    Parameters
    ----------
    rock, loose :
        (rows, columns) float32, height of rock and depth of what lies on it, metres.
    limit :
        rise over run that material can stand.
    dx :
        metres between samples.
    passes :
        how often.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (rows, columns) float32, depth of what lies on the rock, metres.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    Musgrave, F. K., Kolb, C. E. and Mace, R. S. (1989): The synthesis and rendering of eroded fractal terrains.
    """
    rows, fall = rock.shape[0], float(limit * dx)
    fraction, out, loose = np.empty_like(rock), np.empty_like(rock), loose.copy()  # the caller's stays as it is
    top = rock + loose
    if alone(rows) or rows <= FEW:
        stop = np.zeros(1, np.uint8) if stop is None else stop
        last = _all_passes(rock, top, loose, fraction, out, 0, passes, fall, CORNERS, SIDES, stop)
        check(stop)
        return (loose, out)[last]
    for k in range(passes):
        turn = SIDES if k % 2 else CORNERS
        over_rows(lambda a, b: _fraction_rows(top, loose, fraction, a, b, fall, turn), rows, stop, HIGH)
        over_rows(lambda a, b: _slide_rows(top, loose, fraction, out, a, b, fall, turn), rows, stop, HIGH)
        loose, out = out, loose
        over_rows(lambda a, b: np.add(rock[a:b], loose[a:b], out=top[a:b]), rows, stop, HIGH)
    return loose


@kernel
def _calm_rows(worn, slope, most, row0, row1, calm, steep, edge, reach):
    """Rows of ground that is kept within reach of what it was, where it is calm."""
    rows, columns = slope.shape
    beside = np.zeros(columns, np.int64)  # edges of every column in the rows that a row reaches to
    for r in range(max(0, row0 - reach), min(rows, row0 + reach)):
        for c in range(columns):
            beside[c] += slope[r, c] > edge
    for r in range(row0, row1):
        for c in range(columns):
            if r + reach < rows:
                beside[c] += slope[r + reach, c] > edge
            if r > row0 and r > reach:
                beside[c] -= slope[r - reach - 1, c] > edge
        near = beside[:reach].sum()  # edges that the sample reaches to, on every side
        here = most[r if most.shape[0] > 1 else 0]
        for c in range(columns):
            near += beside[c + reach] if c + reach < columns else 0
            near -= beside[c - reach - 1] if c > reach else 0
            amount = here[c if len(here) > 1 else 0]
            t = min(max((slope[r, c] - calm) / (steep - calm), np.float32(0)), np.float32(1))
            may = amount if near else t * t * (np.float32(3) - np.float32(2) * t) * amount
            worn[r, c] = min(max(worn[r, c], np.float32(0)), may)


def keep_calm(
    worn: np.ndarray,
    slope: np.ndarray,
    most: np.ndarray,
    calm: float,
    steep: float,
    edge: float,
    reach: int,
    stop=None,
) -> None:
    """Takes scars off calm ground that is not beside an edge.

    Parameters
    ----------
    worn :
        (rows, columns) float32, metres of rock that break; changed in place to 0 to the most.
    slope :
        (rows, columns) float32, degrees.
    most :
        (rows, columns) or (1, 1) float32, metres that break at most.
    calm, steep :
        degrees: nothing breaks below the first, all above the second.
    edge, reach :
        degrees from which ground is an edge, and samples from one up to which calm ground keeps its scars.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    None.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    limits = (np.float32(calm), np.float32(steep), np.float32(edge), reach)
    over_rows(lambda r0, r1: _calm_rows(worn, slope, most, r0, r1, *limits), len(worn), stop)
