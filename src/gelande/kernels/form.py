"""Keeps the form of a land while rain cuts into it: summits, slopes and plains stay where the author put them, and
valleys are cut between them.

Three things do it. Hillsides bear the slope that the land had in the broad, so that a steep mountain does not slide
down as a whole. Where land is steep or level in the broad, water cuts less. And between the steps of a level the
ground beside streams rises by what it came to lie below its aim, as land rises under mountains that are worn (uplift in
balance with erosion), while streams stay cut."""

from __future__ import annotations

import math
from typing import NamedTuple

import numpy as np

from .bands import kernel
from .measure import gaussian, gradient
from .transfer import halved, up

#: How often the first grid rises, in so many steps at least; and steps of whole levels between which they do, coarse to
#: fine. The last part is always cut after the last rise, or ground that rose would stand as walls beside streams.
FIRST_PARTS, LEAST_STEPS, PARTS = 10, 40, ((3, 4, 1, 0), (2, 2, 1, 0), (2, 1))
#: Share of what the ground lacks that it rises by at once: on the first grid and how much less in strong rain; between
#: steps of whole levels; before a level's last step and how much less in strong rain.
FIRST_RISE, FIRST_LESS, RISE, LAST_RISE, LAST_LESS = 0.4, 0.1, 0.6, 1.0, 0.6
#: Drainage area in cells at which ground counts half in what its surroundings lack; how much less of a rise streams
#: take, in strong rain, but before the last step.
STREAM, STREAM_LESS = 3.0, 0.5
#: Distance over which lacks are averaged, in cells of the first grid: for no rain, what strength adds, at most.
WIDE, WIDER, WIDEST = 1.0, 1.0, 2.5
#: How far ground may stand above its aim and count against what is lacking beside it, as a share of the relief, in
#: strong rain: hills between streams may become a little higher than they were. Level land stays level.
ABOVE = 0.06
#: Slope in the broad: distances over which ground and its slope are smoothed, in cells of the first grid.
GROUND, SLOPE = 0.3, 0.7
#: Slope that rock bears at least, in degrees; times the slope in the broad; at most, and how much less in strong rain.
LEAST, AS_STEEP, STEEPEST, LESS_STEEP = 20.0, 1.0, 1.0, 0.4
#: Strength of rain below which slopes bear more, up to twice as much in the weakest: first rills leave cliffs alone.
WEAK = 0.3
#: Slope in the broad, rise over run, from which water cuts the less the steeper the land is; and that up to which it
#: cuts the less the more level the land is, and the share left on level land: tops of plateaus stay whole between the
#: canyons that cut back into them.
CALM = 0.3
TABLE, LEVEL = 0.16, 0.12
#: Slope in the broad at which beds of rivers are as deep as they get, and their depth on level land as a share of it.
BEDDED, SHALLOWEST = 0.15, 0.1
#: Cells of the first grid over which the lowest ground is found, to which rivers leave; the share of what it stands
#: above the land's lowest ground that is taken off.
AROUND, GRADED = 5, 0.7
#: Cells of the first grid over which its change is evened out on level land.
EVENED = 1.5


class Form(NamedTuple):
    """Form of a land before it was eroded. aim: heights, metres; steep: rise over run in the broad; both
    (rows, columns) float32."""

    aim: np.ndarray
    steep: np.ndarray


def _coarser(a: np.ndarray, times: int) -> np.ndarray:
    """An array so many levels coarser."""
    for _ in range(times):
        a = halved(a)
    return a


def _finer(a: np.ndarray, times: int, shape: tuple[int, int], stop: np.ndarray | None) -> np.ndarray:
    """An array so many levels finer."""
    for _ in range(times):
        a = up(a, smooth=False, stop=stop)
    return np.ascontiguousarray(a[: shape[0], : shape[1]])


def in_the_broad(ground: np.ndarray, depth: int, dx: float, stop: np.ndarray | None = None) -> np.ndarray:
    """Slope of a land at the scale of the first grid's cells.

    Parameters
    ----------
    ground :
        (rows, columns) float32, metres.
    depth :
        of its level, as of rain.erode.
    dx :
        metres between samples.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (rows, columns) float32, rise over run.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    times = max(0, depth)
    coarse, cell = _coarser(ground, times), 2 ** (depth + 1 - times)
    south, east = gradient(gaussian(coarse, GROUND * cell, stop), dx * 2**times, stop)
    return _finer(gaussian(np.hypot(south, east), SLOPE * cell, stop), times, ground.shape, stop)


def bears(form: float, strength: float, steep: np.ndarray, least: float) -> np.ndarray:
    """Slope that soft rock bears, rise over run: as steep as the land was in the broad.

    Parameters
    ----------
    form, strength :
        0 to 1, as of Rain.
    steep :
        (rows, columns) float32, rise over run in the broad.
    least :
        rise over run that rock bears however level the land was.

    Returns
    -------
    (rows, columns) float32.
    """
    weak = max(0.0, 1 - strength / WEAK)
    lowest = np.float32(max(least, math.tan(math.radians(LEAST * form))) * (1 + weak))
    most = np.float32(STEEPEST - LESS_STEEP * strength + weak)
    return np.maximum(lowest, np.minimum(np.float32(AS_STEEP * form * (1 + weak)) * steep, most))


def spared(form: float, steep: np.ndarray) -> np.ndarray:
    """The share of all cutting that is left where land was as steep in the broad.

    Parameters
    ----------
    form :
        0 to 1, as of Rain.
    steep :
        (rows, columns) float32, rise over run in the broad.

    Returns
    -------
    (rows, columns) float32, 0 to 1.
    """
    less = np.minimum(1, np.float32(CALM) / np.maximum(steep, np.float32(1e-3)))
    less *= np.minimum(1, np.float32(LEVEL) + np.float32((1 - LEVEL) / TABLE) * steep)
    return 1 - np.float32(form) * (1 - less)


def shallow(form: float, steep: np.ndarray) -> np.ndarray:
    """Depth of river beds as a fraction, by how steep land is in the broad: a plain is not cut by trenches.

    Parameters
    ----------
    form :
        0 to 1, as of Rain.
    steep :
        (rows, columns) float32, rise over run in the broad.

    Returns
    -------
    (rows, columns) float32, 0 to 1.
    """
    deep = np.minimum(1, np.float32(SHALLOWEST) + np.float32((1 - SHALLOWEST) / BEDDED) * steep)
    return 1 - np.float32(form) * (1 - deep)


def base_level(ground: np.ndarray, low: float, stop: np.ndarray | None = None) -> np.ndarray:
    """The level to which rivers leave a site: the lowest ground about each cell of the first grid, graded down towards
    the lowest of the land.

    Parameters
    ----------
    ground :
        (rows, columns) float32 of the first grid, metres.
    low :
        metres of the land's lowest ground.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (rows, columns) float32, metres.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    from scipy.ndimage import minimum_filter  # heavy to import

    lowest = gaussian(minimum_filter(ground, AROUND), AROUND / 2, stop)
    return lowest - np.float32(GRADED) * np.maximum(lowest - np.float32(low), 0)


def levelled_change(form: float, change: np.ndarray, steep: np.ndarray, stop: np.ndarray | None = None) -> np.ndarray:
    """Change of the first grid, without its cells' unevenness where land is level in the broad: there they would
    show as bumps as broad as they are.

    Parameters
    ----------
    form :
        0 to 1, as of Rain.
    change :
        (rows, columns) float32, metres.
    steep :
        (rows, columns) float32, rise over run in the broad.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (rows, columns) float32, metres.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    level = np.float32(form) * np.maximum(0, 1 - steep / np.float32(BEDDED))
    return change + level * (gaussian(change, EVENED, stop) - change)


@kernel
def _down(order, first, before, h):
    """Lowers what rose until no water has to rise: never below what it was before."""
    flat, was = h.ravel(), before.ravel()
    for p in range(len(order)):
        if first[p] >= 0:
            i, j = order[p], order[first[p]]
            if flat[j] > flat[i]:
                flat[j] = max(was[j], min(flat[j], flat[i]))


class Uplift:
    """Rises of one level. form, strength: 0 to 1, as of Rain; kept: the land's form at the lattice's nodes; depth: of
    the level; dx: metres between samples.

    parts: how many steps are done before each rise, and after the last. risen: metres in all, (rows, columns)
    float32."""

    def __init__(
        self,
        form: float,
        strength: float,
        kept: Form,
        steps: int,
        depth: int,
        dx: float,
        stop: np.ndarray | None = None,
    ) -> None:
        aim, steep = kept
        low, high = np.percentile(aim[::4, ::4], (2, 98))
        self.form, self.strength, self.aim, self.depth, self.dx, self.stop = form, strength, aim, depth, dx, stop
        self.above = np.float32(ABOVE * strength * (high - low)) * np.minimum(1, steep / np.float32(BEDDED))
        self.parts = PARTS[depth] if depth >= 0 else (steps // FIRST_PARTS,) * FIRST_PARTS
        if depth < 0 and steps < LEAST_STEPS:  # a glimpse, on which no level will follow that rises once more
            self.parts = (2,) * (steps // 2) + (0,)
        self.risen = np.zeros_like(aim)

    def __call__(self, part: int, h: np.ndarray, area: np.ndarray, order: np.ndarray, first: np.ndarray) -> None:
        """Lets the ground rise after a part of the steps, in place. h, area: heights in metres and drainage areas in m²
        at the nodes; order, first: cells in the order of the sweep and the place of what each drains to."""
        last = self.depth >= 0 and part == len(self.parts) - 2
        if last:
            fraction, stream = LAST_RISE - LAST_LESS * self.strength, 1.0
        else:
            fraction = FIRST_RISE - FIRST_LESS * self.strength if self.depth < 0 else RISE
            stream = 1.0 - STREAM_LESS * self.strength
        lacks, beside = self._lacks(h, area)
        lacks *= np.float32(fraction * self.form) * (np.float32(stream) + np.float32(1 - stream) * beside)
        before = h.copy()
        h += lacks
        if last:
            _down(order, first, before, h)
        self.risen += h - before

    def _lacks(self, h: np.ndarray, area: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """Metres that the ground beside streams lies below its aim, on average about each place, metres, no more than
        it lacks there and a little; and how much each place counts in that, 0 to 1. Found where the average is a few
        samples wide."""
        beside = (1 / (1 + np.square(area / np.float32(STREAM * self.dx * self.dx)))).astype(np.float32)
        lacks, times = self.aim - h, max(0, self.depth)
        wide = min(WIDEST, WIDE + WIDER * self.strength) * 2 ** (self.depth + 1 - times)
        told = gaussian(_coarser(np.maximum(lacks, -self.above) * beside, times), wide, self.stop)
        told /= gaussian(_coarser(beside, times), wide, self.stop) + np.float32(1e-3)
        told = np.maximum(_finer(told, times, lacks.shape, self.stop), 0)
        return np.minimum(told, np.maximum(lacks + self.above, 0)), beside
