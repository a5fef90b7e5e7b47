"""Rain erosion of whole levels, flooded from edge to edge, with the steps of erosion.py."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from gelande.kernels.lattice import Lattice

from .bands import alone, check, kernel, over_rows
from .erosion import (
    AREA,
    CHANNEL,
    FREE,
    HEIGHT,
    KEPT,
    LOAD,
    MOST,
    RATES,
    ROUTE_EVERY,
    WATER,
    Moved,
    Pass,
    accumulate_area,
    deposit,
    failed_rows,
    fill_pits,
    incise,
    incised_rows,
    index_receivers,
    note_lakes,
    open_corners,
    pack_cells,
    repose_drop,
    update_rates,
)
from .flow import NONE, NOWHERE, around, downstream, flood, lakes, route, towards
from .form import Uplift


@kernel
def _drain(h, level, way, fraction, order, parent, outfall, place, first, second, seed, jitter, stop):
    """Floods the level and leads water over it: fills level, way, share, order (of the sweep), place, first and
    second. Returns False when stopped."""
    beside = around(h.shape[1])
    if not flood(h, level, order, parent, True, stop):
        return False
    if not route(level, parent, way, fraction, seed, 0, 0, jitter, stop):
        return False
    lakes(level, h, order, parent, outfall)
    for i in range(h.size):  # the flood's path alone leads out where its lake spills over
        if outfall[i] >= 0:
            way[i], fraction[i] = towards(beside, parent[i] - i) + 16 * NONE, 1.0
    downstream(way, beside, order)
    index_receivers(order, way, beside, place, first, second)
    return True


@kernel
def _keep_ways(h, order, lake, cells, first, after):
    """The present heights into records whose ways stay: dry ground moved; standing water keeps its level unless the
    bed has risen through it."""
    flat = h.ravel()
    for p in range(first, after):
        here = flat[order[p]]
        cells[p, HEIGHT] = here
        if lake[p] < 0 or here > cells[p, WATER]:
            cells[p, WATER] = here


@kernel
def _areas(cells, place, area):
    """Drainage areas of the records as a map."""
    out = area.ravel()
    for i in range(len(place)):
        out[i] = cells[place[i], AREA]


@kernel
def _left(cells):
    """Sediment that leaves a whole level, in metres of a square cell."""
    total = 0.0
    for p in range(len(cells)):
        total += cells[p, LOAD]
    return total


@kernel
def _alone(h, ground, water, walk, held, maps, extent, steps, rates, ways, lost, stop):
    """All steps of a whole level by one call on this thread. Returns False when stopped.

    Each call of a kernel waits for the interpreter's lock, and small grids are called often: beside a busy thread the
    parts of the steps one by one took forty times as long."""
    soft, supply, plot, y, x, level, before, loose, bears = ground
    way, fraction, beside = water
    order, parent, outfall, place, first, second, lake = walk
    own, cells, pulls, spills, pool, room = held
    (cut, fill, worked), (strength, critical, ease, carries, _, fails, trap, dx) = maps, rates
    (seed, jitter, hop, every), (begin, rows, n) = ways, extent  # a literal 0 would have all of them compiled anew
    for step in range(steps):
        if step % every:
            _keep_ways(h, order, lake, cells, begin, n)
        else:
            if not _drain(
                h, level, way, fraction, order, parent, outfall, place, first, second, seed + hop * step, jitter, stop
            ):
                return False
            pack_cells(order, h, level, supply, soft, fraction, plot, cells, own, begin, n)
            accumulate_area(first, second, cells)
            how = (strength, critical, ease, carries)
            update_rates(order, way, beside, y, x, cells, own, bears.ravel(), how, dx, pulls, begin, n)
            note_lakes(order, outfall, place, lake, spills)
        if not incise(first, second, own, cells, pulls, fails, stop):
            return False
        if not deposit(first, second, own, cells, pulls, lake, spills, pool, room, trap, MOST * dx, stop):
            return False
        lost[0] += _left(cells)
        incised_rows(cells, place, before, cut, fill, worked, begin, rows)
        for r in range(rows):
            for c in range(fill.shape[1]):
                loose[r, c] = fill[r, c]
        failed_rows(h, before, loose, bears, plot, cut, fill, worked, dx, begin, rows)
    return True


class _Level:
    """Buffers of a whole level that is eroded in place, and one step of it.

    What goes from cell to cell along the water is done by one thread; what each cell or row does for itself in bands
    by all of them."""

    def __init__(
        self,
        h: np.ndarray,
        soft: np.ndarray,
        supply: np.ndarray,
        nodes: tuple[np.ndarray, np.ndarray, np.ndarray],
        rates: tuple,
        maps: tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray],
        way: np.ndarray,
        stop: np.ndarray | None,
        steep: float | np.ndarray,
    ) -> None:
        """As of _global_steps."""
        n = h.size
        self.h, self.soft, self.supply, self.way, self.stop = h, soft, supply, way, stop
        self.plot, y, x = nodes
        self.ys, self.xs = y.ravel(), x.ravel()
        self.rates, self.maps, self.bears = rates, maps, repose_drop(soft, steep, rates[-1])
        self.pulls = np.empty((n, RATES), np.float32)
        self.order, self.parent, self.outfall, self.place, self.first, self.second, self.lake = np.empty(
            (7, n), np.int32
        )
        self.fraction, self.own = np.empty((2, n), np.float32)
        self.cells, self.spills = np.empty((n, 8), np.float32), np.empty(n, np.uint8)
        self.pool, self.room, self.level = np.empty(n), np.empty(n), np.empty_like(h)
        self.before, self.loose = np.empty_like(h), np.empty_like(h)
        self.beside, self.inner = around(h.shape[1]), (0, h.shape[0], 0, h.shape[1])

    def alone(self, steps: int, ways: tuple[int, float, int, int], lost: np.ndarray) -> bool:
        """All steps on this thread. Returns False when stopped."""
        sheet = (self.soft, self.supply, self.plot, self.ys, self.xs, self.level, self.before, self.loose, self.bears)
        walk = (self.order, self.parent, self.outfall, self.place, self.first, self.second, self.lake)
        held = (self.own, self.cells, self.pulls, self.spills, self.pool, self.room)
        water, rest = (self.way, self.fraction, self.beside), (steps, self.rates, ways, lost, self.stop)
        return _alone(self.h, sheet, water, walk, held, self.maps[:3], (0, len(self.h), self.h.size), *rest)

    def by_bands(self, steps: int, ways: tuple[int, float, int, int], lost: np.ndarray) -> bool:
        """All steps on all threads. Returns False when stopped."""
        seed, jitter, hop, every = ways
        for step in range(steps):
            if step % every:
                self.keep_ways()
            elif not self.drain(seed + hop * step, jitter):
                return False
            if not self.erode(lost):
                return False
        return True

    def by_cells(self, run: Callable) -> None:
        """run(first, after) for bands of cells in the order of the sweep."""
        over_rows(lambda a, b: run(a * CELLS, min(b * CELLS, self.h.size)), -(-self.h.size // CELLS), None, 8)

    def drain(self, seed: int, jitter: float) -> bool:
        """Leads the water anew. Returns False when stopped."""
        ways = (self.order, self.parent, self.outfall, self.place, self.first, self.second)
        if not _drain(self.h, self.level, self.way, self.fraction, *ways, seed, jitter, self.stop):
            return False
        maps = (self.order, self.h, self.level, self.supply, self.soft, self.fraction, self.plot, self.cells, self.own)
        self.by_cells(lambda a, b: pack_cells(*maps, a, b))
        accumulate_area(self.first, self.second, self.cells)
        there = (self.order, self.way, self.beside, self.ys, self.xs, self.cells, self.own, self.bears.ravel())
        self.by_cells(lambda a, b: update_rates(*there, self.rates[:4], self.rates[-1], self.pulls, a, b))
        note_lakes(self.order, self.outfall, self.place, self.lake, self.spills)
        return True

    def keep_ways(self) -> None:
        """The water keeps to its ways on ground that has changed."""
        self.by_cells(lambda a, b: _keep_ways(self.h, self.order, self.lake, self.cells, a, b))

    def erode(self, lost: np.ndarray) -> bool:
        """One step of incision, deposition and slope failure. Returns False when stopped."""
        (*_, fails, trap, dx), (cut, fill, worked, _) = self.rates, self.maps
        along = (self.first, self.second, self.own, self.cells, self.pulls)
        if not incise(*along, fails, self.stop):
            return False
        if not deposit(*along, self.lake, self.spills, self.pool, self.room, trap, MOST * dx, self.stop):
            return False
        lost[0] += _left(self.cells)
        made = (self.cells, self.place, self.before, cut, fill, worked)
        over_rows(lambda a, b: incised_rows(*made, a, b), self.h.shape[0])
        np.copyto(self.loose, fill)
        slid = (self.h, self.before, self.loose, self.bears, self.plot, cut, fill, worked, dx)
        over_rows(lambda a, b: failed_rows(*slid, a, b), self.h.shape[0])
        return True


#: Cells that are worked on together where each stands for itself.
CELLS = 4096


def _global_steps(
    h: np.ndarray,
    soft: np.ndarray,
    supply: np.ndarray,
    nodes: tuple[np.ndarray, np.ndarray, np.ndarray],
    rates: tuple,
    ways: tuple[int, float, int],
    way: np.ndarray,
    maps: tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray],
    lost: np.ndarray,
    stop: np.ndarray | None,
    steep: float | np.ndarray,
    parts: tuple,
    uplift: Uplift | None,
) -> None:
    """Erodes a whole level in place.

    Parameters: supply: m² of rain a cell; nodes: (plot, y, x), shares of a square cell and places of the nodes in
    cells (kernels/lattice.py); rates: (strength, critical, ease, carries, steep, fails, trap, dx) as of Pass, and
    metres between cells;
    ways: (seed, jitter, see route(); hop, added to the seed a step, 0 when water keeps to the same ways); steep: as of
    repose_drop(); parts: steps that are done one after the other, with uplift between two parts.

    Fills way: where a cell drains to, see route(); maps: (metres of rock worn,
    of sediment that lies at the end, laid in all, drainage area in m²); lost[0]: what left, in metres of a square
    cell. Returns early when stopped."""
    work, dx = _Level(h, soft, supply, nodes, rates, maps, way, stop, steep), rates[-1]
    cut, fill, _, area = maps
    (seed, jitter, hop), done = ways, 0
    for part, steps in enumerate(parts):
        every = ROUTE_EVERY if steps > ROUTE_EVERY + 1 else steps  # none anew for a single last step
        led = (seed + hop * done, jitter, hop, every)
        if not (work.alone if alone(h.shape[0]) else work.by_bands)(steps, led, lost):
            return
        done += steps
        if uplift is not None and part + 1 < len(parts):
            _areas(work.cells, work.place, area)
            uplift(part, h, area, work.order, work.first)
    lost[0] += open_corners(h, way, work.place, work.cells, work.beside, CHANNEL * dx * dx, cut, fill, work.inner)
    lost[0] -= fill_pits(h, fill, work.inner)
    _areas(work.cells, work.place, area)


def erode_global(
    h: np.ndarray,
    soft: np.ndarray,
    rain: np.ndarray,
    lattice: Lattice,
    how: Pass,
    dx: float,
    stop: np.ndarray | None,
    keeps_ways: bool = False,
    steep: np.ndarray | None = None,
    uplift: Uplift | None = None,
) -> tuple[np.ndarray, Moved]:
    """Erodes a whole level at the nodes of a bent lattice: streams over the flooded land, what they lay down, and
    talus.

    Parameters
    ----------
    h, soft, rain :
        (rows, columns) float32 at the nodes: heights in metres, erodibility 0 to 1, rain 0 to 1.
    lattice :
        kernels.lattice.Lattice of that shape.
    how :
        kernels.erosion.Pass.
    dx :
        metres between samples.
    stop :
        uint8[1] or None; set when a stop is asked for.
    keeps_ways :
        one draw of jitter, and a strong one, for all steps, so that streams wind by it; else each routing draws anew.
    steep :
        (rows, columns) float32, rise over run that soft rock bears at the nodes; how's everywhere when left out.
    uplift :
        what rises between parts of the steps; nothing when left out.

    Returns
    -------
    (heights in metres, what was moved).

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    Braun, J. and Willett, S. D. (2013): A very efficient O(n), implicit and parallel method to solve the stream power
    equation. Yuan, X. P. et al. (2019): A new efficient method to solve the stream power law model taking into account
    sediment deposition. Barnes, R. et al. (2014): Priority-flood.
    """
    worn, laid, worked, area = (np.zeros_like(h) for _ in range(4))
    out, lost, way = h.copy(), np.zeros(1), np.full(h.size, NOWHERE, np.uint16)
    rates = tuple(
        float(v) for v in (how.strength, how.critical, how.ease, how.carries, how.steep, how.fails, how.trap, dx)
    )
    ways = (int(how.seed), KEPT, 0) if keeps_ways else (int(how.seed), FREE, 31)
    parts = (int(how.steps),) if uplift is None else uplift.parts
    supply, nodes = rain * lattice.plot * np.float32(dx * dx), (lattice.plot, lattice.y, lattice.x)
    maps = (worn, laid, worked, area)
    bears = how.steep if steep is None else steep
    _global_steps(out, soft, supply, nodes, rates, ways, way, maps, lost, stop, bears, parts, uplift)
    check(stop)
    return out, Moved(worn, laid, worked, area, float(lost[0]), way)
