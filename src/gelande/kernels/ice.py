"""Glaciers: how thick ice lies on a land, and what it cuts out of it."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np
from scipy.ndimage import gaussian_filter, zoom

from .bands import Stopped, kernel

#: Sweeps over all cells in a step of time, and how many times as fast as usual ice spreads at most: thicker ice than
#: that would need shorter steps than it is worth.
SWEEPS, FASTEST = 4, 24.0
#: Steps of time in which usual ice would spread over a cell.
FINE = 3.0
#: The slope whose ice is as thick as was asked for, and the share of the site that feeds it.
USUAL_SLOPE, FED = 0.16, 0.22
#: Snow that falls in a unit of time at most, as a share of the relief.
MOST_SNOW = 0.35
#: Share of what is cut by the drag, and how much drag and flux cut half as fast as they can, as shares of the usual.
BY_DRAG, DRAG, FLUX = 0.3, 0.8, 0.15
#: How much of its own height counts for what snow falls on it.
OWN_HEIGHT = 0.3


@kernel
def _leaves(bed, ice, r, c, y, x):
    """Ice at the site's edge: as thick as within, but no higher, so that it leaves and none comes in."""
    ice[r, c] = min(ice[y, x], max(0.0, bed[y, x] + ice[y, x] - bed[r, c]))


@kernel
def _steepness(bed, ice, dx, steep):
    """Squared slope of the ice's surface, rise over run."""
    rows, columns = bed.shape
    for r in range(rows):
        above, below = max(0, r - 1), min(rows - 1, r + 1)
        for c in range(columns):
            left, right = max(0, c - 1), min(columns - 1, c + 1)
            y = (bed[below, c] + ice[below, c] - bed[above, c] - ice[above, c]) / ((below - above) * dx)
            x = (bed[r, right] + ice[r, right] - bed[r, left] - ice[r, left]) / ((right - left) * dx)
            steep[r, c] = x * x + y * y


@kernel
def _step(bed, ice, steep, bears, before, gamma, limit, line, most, dx, dt):
    """One step of time, implicit: how easily ice flows between cells is told from what lies there before, then cells
    are brought into balance one after the other. bears: (2, rows, columns), how easily it flows to the cell below and
    to the right."""
    rows, columns = bed.shape
    _steepness(bed, ice, dx, steep)
    before[:] = ice
    for k in range(2):
        for r in range(rows - 1 + k):
            for c in range(columns - k):
                y, x = r + 1 - k, c + k
                # ice comes from the higher side: as much as lies there, or steep ground would feed on nothing
                upper = ice[y, x] if bed[y, x] + ice[y, x] > bed[r, c] + ice[r, c] else ice[r, c]
                middle = 0.5 * (ice[r, c] + ice[y, x])
                eases = gamma * upper * middle**4 * 0.5 * (steep[r, c] + steep[y, x])
                bears[k, r, c] = min(limit, eases) * dt / (dx * dx)
    for turn in range(SWEEPS):
        for i in range(1, rows - 1):
            r = i if turn % 2 == 0 else rows - 1 - i
            for j in range(1, columns - 1):
                c = j if turn % 4 < 2 else columns - 1 - j
                up, down, left, right = bears[0, r - 1, c], bears[0, r, c], bears[1, r, c - 1], bears[1, r, c]
                comes = up * (bed[r - 1, c] + ice[r - 1, c]) + down * (bed[r + 1, c] + ice[r + 1, c])
                comes += left * (bed[r, c - 1] + ice[r, c - 1]) + right * (bed[r, c + 1] + ice[r, c + 1])
                # by the ground under it, mostly: else ice would feed on its own height without end
                falls = min(most, bed[r, c] + OWN_HEIGHT * before[r, c] - line[r, c])
                now = (before[r, c] + bed[r, c] + dt * falls + comes) / (1.0 + up + down + left + right)
                ice[r, c] = max(0.0, now - bed[r, c])
    for c in range(columns):
        _leaves(bed, ice, 0, c, 1, min(columns - 2, max(1, c)))
        _leaves(bed, ice, rows - 1, c, rows - 2, min(columns - 2, max(1, c)))
    for r in range(1, rows - 1):
        _leaves(bed, ice, r, 0, r, 1)
        _leaves(bed, ice, r, columns - 1, r, columns - 2)


class Glacier(NamedTuple):
    """What tells how large everything about a glacier is, metres. thick: of usual ice; relief: of the land; length: of
    the site's longer side."""

    thick: float
    relief: float
    length: float


def flowed(
    bed: np.ndarray,
    ice: np.ndarray,
    line: np.ndarray,
    glacier: Glacier,
    dx: float,
    units: float,
    stop: np.ndarray | None = None,
) -> np.ndarray:
    """Thickness of the ice on a land, nearer to balance: by the shallow-ice approximation with Glen's exponent 3.

    Parameters
    ----------
    bed :
        (rows, columns) float64, metres.
    ice :
        (rows, columns) float64, metres; what it begins with.
    line :
        (rows, columns) float64, metres; snow stays above it and ice melts below.
    glacier :
        how large all is.
    dx :
        metres between samples.
    units :
        of time; in one a usual glacier is fed anew.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (rows, columns) float64, metres.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    Mahaffy, M. W. (1976): A three-dimensional numerical model of ice sheets. Oerlemans, J. (2001): Glaciers and
    climate change.
    """
    ice, steep, before, bears = ice.copy(), np.empty_like(bed), np.empty_like(bed), np.zeros((2, *bed.shape))
    # any unit of time would do: what counts is how much falls against how easily ice flows
    most = MOST_SNOW * glacier.relief
    usual = most * FED * glacier.length / USUAL_SLOPE  # how easily usual ice flows, m² a unit
    gamma = usual / (glacier.thick**5 * USUAL_SLOPE**2)
    dt = dx * dx / (FINE * usual)
    for _ in range(max(1, round(units / dt))):
        if stop is not None and stop[0]:
            raise Stopped
        _step(bed, ice, steep, bears, before, gamma, FASTEST * usual, line, most, dx, dt)
    return ice


@kernel
def _cut_rates(ice, steep, drag, flux):
    """How fast the bed is cut, 0 to 1, in the place of the squared slopes. drag: metres of usual ice times its slope;
    flux: thickness to the fifth power times slope to the third."""
    rows, columns = ice.shape
    for r in range(rows):
        for c in range(columns):
            slope = min(0.6, steep[r, c] ** 0.5)
            d, q = (ice[r, c] * slope / drag) ** 2, ice[r, c] ** 5 * slope**3 / flux
            steep[r, c] = BY_DRAG * d / (1.0 + d) + (1.0 - BY_DRAG) * q / (1.0 + q)


def cut_rates(bed: np.ndarray, ice: np.ndarray, thick: float, dx: float) -> np.ndarray:
    """How fast ice cuts its bed: by how much of it comes by, so that trunks are deeper than what joins them, and by
    the drag, which works up at the heads too.

    Parameters
    ----------
    bed, ice :
        (rows, columns) float64, metres.
    thick :
        metres; thickness of a usual glacier.
    dx :
        metres between samples.

    Returns
    -------
    (rows, columns) float64, 0 to 1.

    References
    ----------
    Herman, F. and Braun, J. (2008): Evolution of the glacial landscape. Egholm, D. L. et al. (2009): Glacial effects
    limiting mountain height.
    """
    out = np.empty_like(bed)
    _steepness(bed, ice, dx, out)
    _cut_rates(ice, out, DRAG * thick * USUAL_SLOPE, FLUX * thick**5 * USUAL_SLOPE**3)
    return out


#: What is done on grids of a fourth, a half and all of the samples: units of time until ice is there, how often the bed
#: is worn, share of the depth that is worn there, units of time after each.
STAGES = ((4, 2.5, 14, 0.5, 0.15), (2, 0.25, 8, 0.35, 0.04), (1, 0.04, 5, 0.15, 0.01))
#: How far ice feels the walls beside it, and how much lower than its surroundings a bottom is that is hardly worn, as
#: shares of the usual thickness.
BRIDGED, HELD = 0.6, 0.05
#: How far above the snow line ice is frozen to its bed, as a share of the relief, and how much less it cuts there.
FROZEN = (0.3, 0.9)
#: How far above the lowest ground ice cuts in full, as a share of the relief.
LOW = 0.12
#: Samples over which what is cut from a bed is spread.
SPREAD = 0.8
#: Samples over which a cut that was found on a grid half as fine is spread.
SMOOTHED = 0.6


def _resized(a: np.ndarray, shape: tuple[int, ...]) -> np.ndarray:
    if a.shape == shape:
        return a
    return np.ascontiguousarray(zoom(a, (shape[0] / a.shape[0], shape[1] / a.shape[1]), order=1, mode="nearest"))


def _coarser(shape: tuple[int, ...], coarser: int, dx: float) -> tuple[tuple[int, ...], float]:
    """Samples of a grid with fewer of them, and metres between them."""
    found = tuple(min(n, max(5, round((n - 1) / coarser) + 1)) for n in shape)
    return found, dx * max((n - 1) / (m - 1) for n, m in zip(shape, found))


def settled(
    bed: np.ndarray, ice: np.ndarray, line: np.ndarray, glacier: Glacier, dx: float, stop: np.ndarray | None = None
) -> np.ndarray:
    """Thickness of the ice that is left when the snow line has moved: on a coarser grid until it rests, then on all
    samples for a while.

    Parameters
    ----------
    bed, ice, line, glacier, dx, stop :
        as flowed.

    Returns
    -------
    (rows, columns) float64, metres.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    for coarser, units in ((2, 1.0), (1, 0.06)):
        shape, apart = _coarser(bed.shape, coarser, dx)
        land, ice, lines = (_resized(a, shape) for a in (bed, ice, line))
        ice = flowed(land, ice, lines, glacier, apart, units, stop)
    return ice


def carved(
    h: np.ndarray,
    line: np.ndarray,
    glacier: Glacier,
    depth: float,
    dx: float,
    stop: np.ndarray | None = None,
) -> tuple[np.ndarray, np.ndarray]:
    """What a glacier cuts out of a land.

    Parameters
    ----------
    h :
        (rows, columns), metres.
    line :
        (rows, columns), metres; snow stays above it and ice melts below.
    glacier :
        how large all is.
    depth :
        metres that the fastest ice has worn off.
    dx :
        metres between samples.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (metres that were worn off, thickness of the ice in the end), (rows, columns) float64.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    h, line = np.asarray(h, np.float64), np.asarray(line, np.float64)
    cut, ice, low = np.zeros((2, 2)), np.zeros((2, 2)), float(h.min())
    for coarser, first, often, share, each in STAGES:
        shape, apart = _coarser(h.shape, coarser, dx)
        land = h if coarser == 1 else _resized(gaussian_filter(h, coarser / 2), shape)
        lines, cut, ice = (_resized(a, shape) for a in (line, cut, ice))
        # no edges where the coarser samples lay
        cut = gaussian_filter(cut, SMOOTHED)
        ice = flowed(land - cut, ice, lines, glacier, apart, first, stop)
        for _ in range(often):
            bed = land - cut
            rate = cut_rates(bed, ice, glacier.thick, apart)
            # the walls hold the ice back in a narrow bottom: its sides are worn faster, until it is broad
            narrow = gaussian_filter(bed, BRIDGED * glacier.thick / apart) - bed
            rate *= np.clip(1 - narrow / (HELD * glacier.thick), -0.3, 1.6)
            # high up ice is frozen to its bed, and spares the summits
            rate *= 1 - FROZEN[1] * np.clip((bed - lines) / (FROZEN[0] * glacier.relief), 0, 1)
            # near the lowest ground of all there is nowhere to carry it to
            rate *= np.clip((bed - low) / (LOW * glacier.relief), 0, 1)
            cut = cut + depth * share / often * gaussian_filter(rate, SPREAD)
            ice = flowed(land - cut, ice, lines, glacier, apart, each, stop)
    return cut, ice
