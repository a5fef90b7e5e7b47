"""Evaluation: carries out plans on threads, keeps results by content key, coarse to fine, stoppable.

What has not changed is never computed twice. Several threads may evaluate at once; two that want the same result
compute it once. Whole levels are kept in the cache; windows of finer ones only as long as the plan needs them.

"""

from __future__ import annotations

import threading
import time
from collections.abc import Callable, Iterable
from pathlib import Path

import numpy as np

from gelande.core.evaluate.shared import Shared
from gelande.core.evaluate.store import Store
from gelande.kernels.grid_window import GridWindow

from ..errors import NodeError
from ..recipe.model import Recipe
from ..recipe.node import NodeSpec
from ..regenerate.kept_ground import with_kept_ground
from . import stages
from .branches import Companion
from .cache import Cache
from .context import Arrays, Context, cut_to
from .job import Job, Stop
from .keyed_locks import KeyedLocks
from .keys import Keys
from .plan import FINAL, RAW, SIMULATED, Plan, Planner, Unit, covering, plan
from .spill import Spill
from .stages import SURFACE

__all__ = ["SURFACE", "Cache", "Context", "Evaluator", "Job", "Stop"]

#: Results that took less time to compute, or take more room, are not written to disk when memory is short.
SPILL_SECONDS, SPILL_BYTES = 0.05, 100_000_000
#: Samples of a node that computes in blocks that are computed at once.
BLOCKS_AT_ONCE = 4_500_000
#: Stages in which a node's own computation runs.
COMPUTED = {SIMULATED: stages.simulated, RAW: stages.raw}
#: Seconds a sample that a node of an unknown kind is thought to take.
USUAL = 4e-8


class Run:
    """One request being carried out: what it holds on to, and what failed. Gives contexts their inputs."""

    def __init__(self, engine: Evaluator, job: Job) -> None:
        self.engine, self.job = engine, job
        self._keys = engine.known_keys.stages(job.recipe, job.folder)
        self.planner = Planner(job.recipe, job.whole, lambda tile: engine.has(self.tile_key(tile)))
        self.held: dict[tuple, tuple[GridWindow, Arrays]] = {}
        self.failed: dict[tuple, NodeError] = {}
        self._uses: dict[tuple, int] = {}
        self._lock = threading.Lock()

    def key(self, unit: Unit) -> tuple:
        """Key of the unit's whole result."""
        keys = self._keys[unit.node]
        return (keys.final if unit.stage == FINAL else keys.raw, unit.level, unit.stage)

    def tile_key(self, tile: Unit) -> tuple:
        """Key of one block of a level."""
        return (*self.key(tile), tile.window[:4])

    def known(self, unit: Unit) -> bool:
        """True when nothing has to be computed for a unit."""
        held = self.held.get(unit.place)
        if held is not None and held[0].covers(unit.window):
            return True
        key = self.key(unit)
        return self.engine.has(key) if unit.window.whole else self.engine.cache.peek(key)

    def plan(self, targets: list[Unit]) -> Plan:
        """Plan of what has to be computed for the targets."""
        return plan(self.planner, targets, self.known)

    def evaluate(self, targets: list[Unit], tell: bool = False) -> list[Arrays]:
        """Results of the targets, on their windows. tell: progress over everything that has to be computed. Raises
        NodeError or Stopped."""
        todo = self.plan(targets)
        for unit in targets:
            self._uses[unit.place] = self._uses.get(unit.place, 0) + 1
        for unit in todo.units:
            for need in todo.needs[unit]:
                self._uses[need.place] = self._uses.get(need.place, 0) + 1
        side = self.job.recipe.site.samples(max((unit.level for unit in targets), default=0))
        companion = Companion(todo if tell else None, side, self._is_done, self._is_busy, self.perform)
        with self.engine.telling(self, todo, tell), companion:
            for unit in todo.units:
                self.perform(unit)
                self.release(todo.needs[unit])
        found = [self._taken(unit) for unit in targets]
        self.release(targets)
        return found

    def _is_done(self, unit: Unit) -> bool:
        """True when a unit's result is in the cache, or could not be computed."""
        return unit.place in self.failed or bool(self.engine.cache.peek(self.key(unit)))

    def _is_busy(self, unit: Unit) -> bool:
        """True while a thread computes a unit."""
        return self.engine.at_work(self.key(unit))

    def release(self, units: Iterable[Unit]) -> None:
        """Lets go of what nobody in the plan needs any more."""
        with self._lock:
            for unit in units:
                self._uses[unit.place] -= 1
                if self._uses[unit.place] <= 0:
                    self.held.pop(unit.place, None)

    def perform(self, unit: Unit) -> None:
        """Computes a unit unless that is done; a failure is kept for those who ask for it. Raises Stopped."""
        if unit.place in self.failed or self.known(unit) and unit.place in self.held:
            return
        try:
            arrays = self.engine.staged(self, unit)
        except NodeError as error:
            self.failed[unit.place] = error
            return
        with self._lock:
            if self._uses.get(unit.place, 0) > 0:
                self.held[unit.place] = (unit.window, arrays)

    def _taken(self, unit: Unit) -> Arrays:
        """The result of a unit, which is computed now when a plan did not foresee that it is asked for."""
        if unit.place in self.failed:
            raise self.failed[unit.place]
        held = self.held.get(unit.place)
        if held is not None and held[0].covers(unit.window):
            return cut_to(held[1], unit.window, held[0])
        entry = self.engine.cache.get(self.key(unit))
        if entry is None:
            return self.engine.staged(self, unit)
        return cut_to(entry[0], unit.window, GridWindow.of(unit.window.grid))

    def fetch(self, node: str, level: int, stage: str, window: GridWindow | None = None) -> Arrays:
        """A result on a window, or all of it. What was not foreseen is planned and computed now. Raises NodeError,
        Stopped."""
        wanted = window or GridWindow.of(self.job.recipe.site.shape(level))
        unit = self.planner.unit(node, level, stage, wanted)
        if unit.place not in self.failed and not self.known(unit):
            return cut_to(self.evaluate([unit])[0], wanted, unit.window)
        return cut_to(self._taken(unit), wanted, unit.window)


class Evaluator:
    """Evaluates nodes of recipes; keeps what it computed in a bounded cache shared by all jobs."""

    def __init__(
        self, cache: Cache | None = None, store: Store | Shared | None = None, keys: Keys | None = None
    ) -> None:
        """keys: those of another evaluator, so that what identifies a recipe's nodes is worked out once for both."""
        self.cache = cache or Cache()
        self.store = store
        self.computed = 0
        self.noted: Callable[[Job, Unit], None] | None = None  # told of every unit that a node computed
        self._worth: dict[tuple[str, int], float] = {}
        self._to_disk = Spill(store) if store is not None else None
        if store is not None:
            self.cache.spill = self._spill
        self._keys = keys or Keys()
        self._turns = KeyedLocks()
        self._local = threading.local()
        self._rate: dict[str, float] = {}

    def _spill(self, key, entry) -> None:
        """Writes what leaves memory to disk when it is worth more than reading it back."""
        arrays, _, size = entry
        worth = self._worth.get(key[:2], 0.0) > SPILL_SECONDS and size < SPILL_BYTES
        if key[2] == FINAL and worth and self._to_disk is not None:
            self._to_disk.put(key, arrays, size)

    def close(self) -> None:
        """Waits until what is being written to disk is there."""
        if self._to_disk is not None:
            self._to_disk.close()

    # -- what is known --------------------------------------------------------------------------------
    def keys(self, recipe: Recipe, folder: Path = Path()) -> dict[str, str]:
        """Content key of every node, without the level."""
        return self._keys.of(recipe, folder)

    @property
    def known_keys(self) -> Keys:
        """Content keys as they were worked out, to be shared."""
        return self._keys

    def bake_matches(self, recipe: Recipe, node_id: str, folder: Path = Path()) -> bool:
        """True when a baked node's stored results are what it would compute now."""
        bake = recipe.nodes[node_id].bake
        return bake is not None and self._keys.live(recipe, node_id, folder) == bake.key

    def has(self, key: tuple) -> bool:
        """True when a whole result is in memory or on disk."""
        return self.cache.peek(key) or self.store is not None and self.store.has(key)

    def is_fresh(self, recipe: Recipe, node_id: str, level: int, folder: Path = Path()) -> bool:
        """True when the result is in the cache."""
        return self.cache.peek((self.keys(recipe, folder)[node_id], level, FINAL))

    def seconds(self, recipe: Recipe, node_id: str, level: int, folder: Path = Path()) -> float:
        """Seconds that the node itself took at this level, or 0 when unknown."""
        keys = self._keys.stages(recipe, folder)[node_id]
        entries = (self.cache.get((key, level, stage)) for key, stage in ((keys.raw, RAW), (keys.final, FINAL)))
        return sum(entry[1] for entry in entries if entry)

    def cost(self, recipe: Recipe, node_id: str, folder: Path = Path()) -> tuple[float, int]:
        """(own seconds, bytes) of a node over all levels and stages that are in the cache."""
        wanted = self._keys.stages(recipe, folder)[node_id]
        found = [entry for key, entry in self.cache.entries() if key[0] in wanted]
        return sum(e[1] for e in found), sum(e[2] for e in found)

    def keep(self, recipe: Recipe, finest: int, folder: Path = Path()) -> None:
        """Writes the recipe's results up to a level to the store, as far as they are in the cache."""
        if self.store is None:
            return
        wanted = set(self.keys(recipe, folder).values())
        for key, entry in self.cache.entries():
            if key[0] in wanted and key[1] <= finest and key[2] == FINAL:
                self.store.put(key, entry[0])
        self.store.trim()

    # -- results --------------------------------------------------------------------------------------
    def result(self, job: Job, node_id: str, level: int, window: GridWindow | None = None) -> Arrays:
        """All outputs of a node at a level, or on a window of it. Raises NodeError or Stopped."""
        return self._one(job, node_id, level, FINAL, window, False)

    def raw(self, job: Job, node_id: str, level: int, window: GridWindow | None = None) -> Arrays:
        """Outputs before Where, Amount and Finish, with what the node keeps for itself (ids that begin with _)."""
        return self._one(job, node_id, level, RAW, window, False)

    def run(self, job: Job, node_id: str, level: int, window: GridWindow | None = None) -> Arrays:
        """Like result, with progress over everything that has to be computed for it."""
        return self._one(job, node_id, level, FINAL, window, True)

    def _one(self, job: Job, node_id: str, level: int, stage: str, window: GridWindow | None, tell: bool) -> Arrays:
        job.stop.check()
        if window is None:
            keys = self._keys.stages(job.recipe, job.folder)[node_id]
            entry = self.cache.get((keys.raw if stage == RAW else keys.final, level, stage))
            if entry is not None:
                return entry[0]
        run = Run(self, job)
        wanted = window or GridWindow.of(job.recipe.site.shape(level))
        unit = run.planner.unit(node_id, level, stage, wanted)
        return cut_to(run.evaluate([unit], tell)[0], wanted, unit.window)

    def results(self, job: Job, wanted: list[tuple[str, int]], window: GridWindow | None = None) -> list[Arrays]:
        """Results of several (node, level) by one plan, so that what they share is computed once. Raises NodeError,
        Stopped."""
        run = Run(self, job)
        units = [run.planner.unit(n, level, FINAL, window) for n, level in wanted]
        return [cut_to(a, window or u.window, u.window) for a, u in zip(run.evaluate(units, True), units)]

    def plan(self, job: Job, wanted: list[tuple[str, int]], window: GridWindow | None = None) -> Plan:
        """Plan of what would have to be computed for these (node, level) now."""
        run = Run(self, job)
        return run.plan([run.planner.unit(n, level, FINAL, window) for n, level in wanted])

    def context(self, job: Job, node_id: str, level: int, window: GridWindow | None = None) -> Context:
        """The context that a node's computation would get."""
        run = Run(self, job)
        return Context(run, run.planner.unit(node_id, level, RAW, window))

    def at_work(self, key: tuple) -> bool:
        """True when somebody is computing a whole result."""
        return key in self._turns

    def staged(self, run: Run, unit: Unit) -> Arrays:
        """The result of a unit: kept, on disk, or computed now. Two threads that want a whole one compute it once."""
        job = run.job
        job.stop.check()
        if not unit.window.whole:
            return self._in_blocks(run, unit) if unit.stage == SIMULATED else self._timed(run, unit)[0]
        key = run.key(unit)
        entry = self.cache.get(key)
        if entry is not None:
            return entry[0]
        with self._turns.held(key, job.stop.check):
            entry = self.cache.get(key)
            if entry is not None:
                return entry[0]
            kept = self.store.get(key) if self.store is not None else None
            made, own = (kept, 0.0) if kept is not None else self._timed(run, unit)
            self.cache.put(key, made, own)
            return made

    def _block(self, key: tuple) -> Arrays | None:
        """A block that is kept, or that somebody else left."""
        entry = self.cache.get(key)
        if entry is not None:
            return entry[0]
        found = self.store.get(key) if self.store is not None else None
        if found is not None:
            self.cache.put(key, found, 0.0)
        return found

    def _in_blocks(self, run: Run, unit: Unit) -> Arrays:
        """A window put together from blocks; those that are not kept are computed now, all at once."""
        tiles = run.planner.tiles(unit)
        kept = {tile: self._block(run.tile_key(tile)) for tile in tiles}
        found: dict[Unit, Arrays] = {tile: arrays for tile, arrays in kept.items() if arrays is not None}
        missing = [tile for tile in tiles if tile not in found]
        while missing:
            some = missing[: self._at_once(missing)]
            missing = missing[len(some) :]
            whole = unit._replace(window=covering(tile.window for tile in some))
            made, own = self._timed(run, whole)
            for tile in some:
                found[tile] = cut_to(made, tile.window, whole.window)
                self.cache.put(run.tile_key(tile), found[tile], own / len(some))
                if self.store is not None:
                    self.store.put(run.tile_key(tile), found[tile])
        first = found[tiles[0]]
        out: Arrays = {}
        for key, a in first.items():
            if a.shape[:2] != tiles[0].window.shape:
                out[key] = a  # no raster: the same in all blocks
                continue
            out[key] = np.empty((*unit.window.shape, *a.shape[2:]), a.dtype)
            for tile, arrays in found.items():
                unit.window.paste(out[key], arrays[key], tile.window)
            out[key].flags.writeable = False
        return out

    @staticmethod
    def _at_once(tiles: list[Unit]) -> int:
        """Number of of some blocks, from the first, are computed at once: neighbours in a row, of so many samples that
        what is computed on the way stays small."""
        count = 1
        while count < len(tiles) and tiles[count].window.top == tiles[0].window.top:
            window = covering(tile.window for tile in tiles[: count + 1])
            if window.height * window.width > BLOCKS_AT_ONCE:
                break
            count += 1
        return count

    def _timed(self, run: Run, unit: Unit) -> tuple[Arrays, float]:
        """Computes one unit; counts only the node's own seconds, not those of what it asked for on the way."""
        stack = self._local.__dict__.setdefault("stack", [])
        stack.append(0.0)
        began = time.perf_counter()
        weight = self.weight(run.job.recipe, unit)
        try:
            arrays = COMPUTED[unit.stage](run, unit, weight) if unit.stage in COMPUTED else stages.final(run, unit)
        finally:
            spent = time.perf_counter() - began
            own = spent - stack.pop()
            if stack:
                stack[-1] += spent
        if unit.stage in COMPUTED:
            self._count(run.job, unit, own, weight)
        return arrays, own

    def _count(self, job: Job, unit: Unit, own: float, weight: float) -> None:
        """Notes what a node's computation took, for the next estimate."""
        self.computed += 1
        if self.noted is not None:
            self.noted(job, unit)
        if len(self._worth) > 20_000:
            self._worth.clear()
        self._worth[(self.keys(job.recipe, job.folder)[unit.node], unit.level)] = own
        state, samples = job.recipe.nodes[unit.node], unit.window.height * unit.window.width
        job.done += weight
        job.report(0.0, state.name)
        rate = self._rated(state.declared, unit)
        self._rate[rate] = 0.5 * self._rate.get(rate, own / samples) + 0.5 * own / samples

    # -- how much work there is -----------------------------------------------------------------------
    def weight(self, recipe: Recipe, unit: Unit) -> float:
        """Seconds that a unit is thought to take."""
        state = with_kept_ground(recipe).nodes[unit.node]
        rate = state.kind if state.spec is None else self._rated(state.spec, unit)
        return self._rate.get(rate, USUAL) * unit.window.height * unit.window.width

    @staticmethod
    def _rated(spec: NodeSpec, unit: Unit) -> str:
        """Under what name it is noted how fast a unit is computed: windows that are only finished, after they were
        simulated in blocks, cost much less than whole levels."""
        finished = spec.simulate is not None and unit.stage == RAW and not unit.window.whole
        return f"{spec.kind}, finished" if finished else spec.kind

    def telling(self, run: Run, todo: Plan, tell: bool) -> Telling:
        """Tells progress over a plan while it is open."""
        seconds = sum(self.weight(run.job.recipe, unit) for unit in todo.units if unit.stage in COMPUTED)
        return Telling(run.job, seconds if tell else None)


class Telling:
    """Tells a job's progress four times a second while a node is at work, from how long its kind took before."""

    def __init__(self, job: Job, seconds: float | None) -> None:
        self._job, self._seconds, self._over = job, seconds, threading.Event()
        self._thread: threading.Thread | None = None

    def __enter__(self) -> Telling:
        if self._seconds is None:
            return self
        job = self._job
        job.total, job.done, job.began, job.highest = self._seconds, 0.0, time.perf_counter(), 0.0
        if job.progress is not None and job.total > 0.5:
            self._thread = threading.Thread(target=self._tell, name="progress", daemon=True)
            self._thread.start()
        return self

    def __exit__(self, *_) -> None:
        self._over.set()
        if self._thread is not None:
            self._thread.join()  # a node that is told to be at work after the end would seem so for ever

    def _tell(self) -> None:
        while not self._over.wait(0.25):
            name, since, weight = self._job.current
            if name:
                self._job.report(min(time.perf_counter() - since, 0.95 * weight), name)
