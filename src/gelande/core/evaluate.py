"""Evaluation: results by content key, one (node, level) at a time, coarse to fine, stoppable.

What has not changed is never computed twice: a key is the hash of a node's kind, version, parameters, outside
files and the keys of its inputs, and the level. Several threads may evaluate at once; two that want the
same result compute it once.
"""

from __future__ import annotations

import hashlib
import json
import threading
import time
import weakref
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

import numpy as np

from gelande.kernels.water import DRY

from . import bake, graph, group, restrict
from .branches import Companion
from .cache import Cache
from .errors import GelandeError, NodeError, Stopped
from .graph import Recipe
from .job import Job, Stop
from .node import Port
from .param import Values
from .raster import COLOUR, HEIGHT, MASK, checked, expected_shape
from .site import COARSEST, FIGURES_LEVEL, Site


__all__ = ["Cache", "Context", "Evaluator", "Job", "Stop"]

#: Results that took less time to compute, or take more room, are not written to disk when memory is short.
SPILL_SECONDS, SPILL_BYTES = 0.05, 100_000_000

#: Results that ask for each other deeper than this are evaluated in order instead: Python's pile of calls is bounded.
DEEP = 40

#: Name under which a node that leaves water standing gives the water's height, beside its outputs.
SURFACE = "_surface"


class Context:
    """What a node's computation sees: site, level, parameters, lazily evaluated inputs, stop and progress."""

    def __init__(self, engine: Evaluator, job: Job, node_id: str, level: int, weight: float):
        self._engine, self._job, self._id, self._weight = engine, job, node_id, weight
        state = job.recipe.nodes[node_id]
        self._state, self._spec = state, state.spec
        self.site: Site = job.recipe.site
        self.level, self.dx = level, self.site.spacing(level)
        self.shape = self.site.shape(level)
        self.p = Values(state.params)
        self.stop = job.stop.flag
        self.folder = job.folder
        self.seed = effective_seed(job.recipe, node_id)

    @property
    def outputs(self) -> tuple[Port, ...]:
        """The node's outputs."""
        return self._spec.outputs

    def has(self, port: str) -> bool:
        """Whether an input is linked."""
        return port in self._state.inputs

    def input(self, port: str, level: int | None = None) -> np.ndarray | None:
        """An input's samples at this level or another one; None when an optional input is not linked."""
        source = self._state.inputs.get(port)
        if source is None:
            if self._spec.input(port).optional:
                return None
            raise GelandeError(f"its input {self._spec.input(port).label} is not linked; drag a link to it")
        return self._engine.result(self._job, source[0], self.level if level is None else level)[source[1]]

    def input_kind(self, port: str) -> str:
        """The kind of data that arrives at a port."""
        return graph.output_port(self._job.recipe, *self._state.inputs[port]).kind

    def own(self, level: int) -> dict:
        """The node's own raw result at a coarser level, before Where, Amount and Finish."""
        if level >= self.level:
            raise ValueError("a node may ask only for its own coarser results")
        return self._engine.raw(self._job, self._id, level)

    def range(self, port: str) -> tuple[float, float]:
        """Lowest and highest sample of an input at the figures level, the same whatever the detail."""
        self.input(port)
        data = self.input(port, FIGURES_LEVEL)
        return float(data.min()), float(data.max())

    def check(self):
        """Raises Stopped when a stop was asked for."""
        self._job.stop.check()

    def progress(self, share: float):
        """Tells how much of this node's work is done, and looks for a stop."""
        self._job.stop.check()
        self._job.report(share * self._weight, self._state.name)


def effective_seed(recipe: Recipe, node_id: str) -> int:
    """The node's seed with the recipe's added, unless the node opts out."""
    params = recipe.nodes[node_id].params
    return int(params.get("seed", 0)) + (recipe.seed if params.get("follow_seed", True) else 0)


def _stamps(recipe: Recipe, nodes, folder: Path) -> dict[str, str]:
    """What identifies the outside files of these nodes at this moment."""
    return {n: recipe.nodes[n].spec.stamp(recipe.nodes[n].params, folder) for n in nodes}


def _needs(recipe: Recipe, node_id: str) -> list[str]:
    """Nodes that a node may ask for at its own level: none for a baked one, and what passes through for one that is off."""
    state = recipe.nodes[node_id]
    if state.bake is not None:
        return []
    spec = state.spec
    if spec is not None and spec.base and (state.off or spec.restrictable and state.params.get("amount") == 0.0):
        return [state.inputs[spec.base][0]] if spec.base in state.inputs else []
    return [source for source, _ in state.inputs.values() if source in recipe.nodes]


def _digest(block: list) -> str:
    return hashlib.sha256(json.dumps(block, sort_keys=True).encode()).hexdigest()[:32]


class Evaluator:
    """Evaluates nodes of recipes; keeps what it computed in a bounded cache shared by all jobs."""

    def __init__(self, cache: Cache | None = None, store=None):
        self.cache = cache or Cache()
        self.store = store
        self.computed = 0
        self._spiller, self._closed, self._worth = None, False, {}
        if store is not None:
            self._spiller = ThreadPoolExecutor(1, thread_name_prefix="spill")
            self.cache.spill = self._spill
        self._keys: weakref.WeakKeyDictionary = weakref.WeakKeyDictionary()
        self._locks: dict = {}
        self._guard = threading.Lock()
        self._local = threading.local()
        self._rate: dict[str, float] = {}

    def _spill(self, key, entry):
        """What leaves memory goes to disk when it is worth more than reading it back."""
        arrays, _, size = entry
        if key[2] == "final" and self._worth.get(key[:2], 0.0) > SPILL_SECONDS and size < SPILL_BYTES and not self._closed:
            self._spiller.submit(self.store.put, key, arrays)

    def close(self):
        """Waits until what is being written to disk is there."""
        self._closed = True
        if self._spiller is not None:
            self._spiller.shutdown(wait=True)
            self.store.trim()

    # -- keys ------------------------------------------------------------------------------------------
    def keys(self, recipe: Recipe, folder: Path = Path()) -> dict[str, str]:
        """Content key of every node, without the level."""
        return self._both_keys(recipe, folder)[0]

    def bake_matches(self, recipe: Recipe, node_id: str, folder: Path = Path()) -> bool:
        """Whether a baked node's stored results are what it would compute now."""
        return self._both_keys(recipe, folder)[1].get(node_id) == recipe.nodes[node_id].bake.key

    def _both_keys(self, recipe: Recipe, folder: Path) -> tuple[dict, dict]:
        """Content keys of all nodes, and those that the baked ones would have if they were not."""
        known = self._keys.get(recipe)
        if known is not None and known[0] == folder and known[2] == _stamps(recipe, known[2], folder):
            return known[1]
        site, keys, live, stamps = recipe.site, {}, {}, {}
        ground = [site.width, site.depth, site.base, site.sea_level]
        for node_id in graph.in_order(recipe):
            state = recipe.nodes[node_id]
            spec = state.spec
            tools = {p.id for p in spec.params if p.tool} if spec else ()
            params = {k: v for k, v in state.params.items() if k not in ("seed", "follow_seed") and k not in tools}
            stamp = ""
            if spec is not None and spec.stamp:
                stamp = stamps[node_id] = spec.stamp(state.params, folder)
            inputs = sorted((port, keys.get(source), output) for port, (source, output) in state.inputs.items())
            block = [state.kind, spec.version if spec else 0, params, effective_seed(recipe, node_id), state.off,
                     inputs, ground, stamp]
            keys[node_id] = _digest(block)
            if state.bake is not None:
                live[node_id] = keys[node_id]
                keys[node_id] = _digest(["bake", state.bake.key, state.bake.finest, state.bake.files, ground])
        self._keys[recipe] = (folder, (keys, live), stamps)
        return keys, live

    def is_fresh(self, recipe: Recipe, node_id: str, level: int, folder: Path = Path()) -> bool:
        """Whether the result is in the cache."""
        return self.cache.peek((self.keys(recipe, folder)[node_id], level, "final"))

    def seconds(self, recipe: Recipe, node_id: str, level: int, folder: Path = Path()) -> float:
        """Seconds that the node itself took at this level, or 0 when unknown."""
        key = self.keys(recipe, folder)[node_id]
        total = 0.0
        for stage in ("raw", "final"):
            entry = self.cache.get((key, level, stage))
            total += entry[1] if entry else 0.0
        return total

    def cost(self, recipe: Recipe, node_id: str, folder: Path = Path()) -> tuple[float, int]:
        """(own seconds, bytes) of a node over all levels and stages that are in the cache."""
        wanted = self.keys(recipe, folder)[node_id]
        found = [entry for key, entry in self.cache.entries() if key[0] == wanted]
        return sum(e[1] for e in found), sum(e[2] for e in found)

    def keep(self, recipe: Recipe, finest: int, folder: Path = Path()):
        """Writes the recipe's results up to a level to the store, as far as they are in the cache."""
        if self.store is None:
            return
        wanted = set(self.keys(recipe, folder).values())
        for key, entry in self.cache.entries():
            if key[0] in wanted and key[1] <= finest and key[2] == "final":
                self.store.put(key, entry[0])
        self.store.trim()

    # -- results ---------------------------------------------------------------------------------------
    def result(self, job: Job, node_id: str, level: int) -> dict[str, np.ndarray]:
        """All outputs of a node at a level. Raises NodeError or Stopped."""
        depth = getattr(self._local, "depth", 0)
        self._local.depth = depth + 1
        try:
            if depth >= DEEP:
                self._prepare(job, node_id, level)
            return self._staged(job, node_id, level, "final", self._final)
        finally:
            self._local.depth = depth

    def _prepare(self, job: Job, node_id: str, level: int):
        """Evaluates what comes before a node in order, so that a long chain does not become as deep a pile of calls. Those whose inputs
        fail are left out: whoever needs them meets the failure there."""
        keys, seen, order, todo = self.keys(job.recipe, job.folder), set(), [], [(node_id, False)]
        while todo:
            current, opened = todo.pop()
            if opened:
                order.append(current)
            elif current not in seen:
                seen.add(current)
                todo.append((current, True))
                todo.extend((source, False) for source in _needs(job.recipe, current) if not self.cache.peek((keys[source], level, "final")))
        failed: dict[str, NodeError] = {}
        for current in order[:-1]:
            before = next((failed[source] for source in _needs(job.recipe, current) if source in failed), None)
            try:
                if before is None:
                    self._staged(job, current, level, "final", self._final)
                else:
                    failed[current] = before
            except NodeError as error:
                failed[current] = error
        lost = next((failed[source] for source in _needs(job.recipe, node_id) if source in failed), None)
        if lost is not None:
            raise lost

    def raw(self, job: Job, node_id: str, level: int) -> dict[str, np.ndarray]:
        """Outputs before Where, Amount and Finish, with what the node keeps for itself (ids that begin with _)."""
        return self._staged(job, node_id, level, "raw", self._raw)

    def run(self, job: Job, node_id: str, level: int) -> dict[str, np.ndarray]:
        """Like result, with progress over everything that has to be computed for it."""
        job.total, job.done, job.began, job.highest = self.work_left(job, node_id, level), 0.0, time.perf_counter(), 0.0
        over = threading.Event()
        if job.progress is not None and job.total > 0.5:
            threading.Thread(target=self._tell, args=(job, over), name="progress", daemon=True).start()
        try:
            with Companion(self, job, node_id, level):
                return self.result(job, node_id, level)
        finally:
            over.set()

    @staticmethod
    def _tell(job: Job, over: threading.Event):
        """Tells progress four times a second while a node is at work, from how long its kind took before."""
        while not over.wait(0.25):
            name, since, weight = job.current
            if name:
                job.report(min(time.perf_counter() - since, 0.95 * weight), name)

    def at_work(self, key) -> bool:
        """Whether somebody is computing this stage of a result."""
        return key in self._locks or (key[0], key[1], "raw") in self._locks

    def _staged(self, job, node_id, level, stage, make):
        job.stop.check()
        key = (self.keys(job.recipe, job.folder)[node_id], level, stage)
        entry = self.cache.get(key)
        if entry is not None:
            return entry[0]
        with self._guard:
            lock = self._locks.setdefault(key, threading.Lock())
        while not lock.acquire(timeout=0.02):
            job.stop.check()
        try:
            entry = self.cache.get(key)
            if entry is None:
                kept = self.store.get(key) if self.store is not None else None
                if kept is not None:
                    self.cache.put(key, kept, 0.0)
                entry = (kept if kept is not None else self._timed(job, node_id, level, key, make),)
            return entry[0]
        finally:
            lock.release()
            with self._guard:
                self._locks.pop(key, None)

    def _timed(self, job, node_id, level, key, make):
        """Computes one stage, counting only the node's own seconds, not those of what it asked for."""
        stack = self._local.__dict__.setdefault("stack", [])
        stack.append(0.0)
        began = time.perf_counter()
        try:
            arrays = make(job, node_id, level)
        finally:
            spent = time.perf_counter() - began
            nested = stack.pop()
            if stack:
                stack[-1] += spent
        own = spent - nested
        self.cache.put(key, arrays, own)
        if key[2] == "raw":
            self.computed += 1
            if len(self._worth) > 20_000:
                self._worth.clear()
            self._worth[key[:2]] = own
            kind = job.recipe.nodes[node_id].kind
            samples = job.recipe.site.shape(level)[0] * job.recipe.site.shape(level)[1]
            job.done += self._weight(kind, level, job.recipe.site)
            job.report(0.0, job.recipe.nodes[node_id].name)
            self._rate[kind] = 0.5 * self._rate.get(kind, own / samples) + 0.5 * own / samples
        return arrays

    def _raw(self, job, node_id, level):
        state, spec = job.recipe.nodes[node_id], job.recipe.nodes[node_id].spec
        if spec is None:
            raise NodeError(node_id, state.name, f"this version of Gelande does not know the node kind {state.kind}; "
                                                 "open the recipe with a newer one")
        weight = self._weight(state.kind, level, job.recipe.site)
        context = Context(self, job, node_id, level, weight)
        job.current = (state.name, time.perf_counter(), weight)
        try:
            made = spec.compute(context)
            job.stop.check()  # a kernel that was stopped leaves rows unwritten: they must not be judged
            arrays = {p.id: checked(self._kind(job, node_id, p), made[p.id], context.shape) for p in spec.outputs}
        except (Stopped, NodeError):
            raise
        except GelandeError as error:
            raise NodeError(node_id, state.name, str(error)) from error
        except MemoryError:
            raise NodeError(node_id, state.name, "there is not enough memory at this detail; choose a smaller one") from None
        except Exception as error:
            if job.stop:  # computing on with rows that were never written can raise anything
                raise Stopped from None
            # The program never dies of a node: whatever it was is told on the card.
            raise NodeError(node_id, state.name, f"failed inside: {error}") from error
        arrays.update({k: v for k, v in made.items() if k.startswith("_")})
        return arrays

    def _kind(self, job, node_id, port: Port) -> str:
        kind = port.kind if port.kind != "any" else graph.output_port(job.recipe, node_id, port.id).kind
        return HEIGHT if kind == "any" else kind

    def _final(self, job, node_id, level):
        state, spec = job.recipe.nodes[node_id], job.recipe.nodes[node_id].spec
        if spec is not None and state.off:
            return self._passed(job, node_id, level)
        if spec is not None and state.bake is not None:
            return self._baked(job, node_id, level)
        arrays = self._blended(job, node_id, level)
        if spec.main and restrict.needs_finish(state.params):
            main = spec.main.id
            coarse = self._blended(job, node_id, FIGURES_LEVEL)[main]
            low, high = float(coarse.min()), float(coarse.max())
            done = restrict.finish(spec.main.kind, state.params, arrays[main], low, high)
            arrays = {**arrays, main: checked(spec.main.kind, done, arrays[main].shape[:2])}
        return arrays

    def _baked(self, job, node_id, level):
        """What was stored for a node."""
        state, spec, site = job.recipe.nodes[node_id], job.recipe.nodes[node_id].spec, job.recipe.site
        kinds = [self._kind(job, node_id, p) for p in spec.outputs]
        try:
            return bake.read(state.bake, job.folder, level, spec.outputs, kinds, site.shape(level), site.samples)
        except GelandeError as error:
            raise NodeError(node_id, state.name, str(error)) from error

    def _blended(self, job, node_id, level):
        """Raw outputs restricted by Where and Amount."""
        state, spec = job.recipe.nodes[node_id], job.recipe.nodes[node_id].spec
        if spec is not None and spec.restrictable and state.params.get("amount") == 0.0 and spec.base:
            return self._passed(job, node_id, level)  # none of it is mixed in, so none of it is computed
        arrays = {k: v for k, v in self.raw(job, node_id, level).items() if not k.startswith("_") or k == SURFACE}
        values = state.params
        if not spec.restrictable or (values.get("where", "All") == "All" and values.get("amount", 1.0) == 1.0):
            return arrays

        def linked(port):
            return self.result(job, state.inputs[port][0], level)[state.inputs[port][1]] if port in state.inputs else None

        ground = next((p.id for p in spec.all_inputs if p.id in state.inputs
                       and graph.output_port(job.recipe, *state.inputs[p.id]).kind == HEIGHT), None)
        try:
            share = restrict.weight(values, linked(ground) if ground else None, linked("mask"), job.recipe.site, level)
        except NodeError:
            raise
        except GelandeError as error:
            raise NodeError(node_id, state.name, str(error)) from error
        base = linked(spec.base) if spec.base else None
        shape = job.recipe.site.shape(level)
        for port in spec.outputs:
            if port is spec.main:
                same = bool(spec.base) and spec.base in state.inputs and spec.input(spec.base).kind == port.kind
                mixed = restrict.blend(port.kind, arrays[port.id], base if same else None, share)
            elif port.kind == MASK:
                mixed = arrays[port.id] * share
            else:
                continue
            arrays[port.id] = checked(port.kind, mixed, shape)
        if SURFACE in arrays:  # a surface half way to the ground would not be level: water stands where most of the node applies
            arrays[SURFACE] = np.where(share >= 0.5, arrays[SURFACE], np.float32(DRY))
        return arrays

    def _passed(self, job, node_id, level):
        """A node that is off: its base input passes through; other outputs are empty."""
        state, spec = job.recipe.nodes[node_id], job.recipe.nodes[node_id].spec
        shape, arrays = job.recipe.site.shape(level), {}
        for port in spec.outputs:
            kind = self._kind(job, node_id, port)
            source = state.inputs.get(spec.base) if port is spec.main else None
            if state.kind == "group" and port is spec.main:
                ways = (job.recipe.nodes[n].inputs.get("through") for n in group.entries(job.recipe, node_id))
                source = next((s for s in ways if s and graph.output_port(job.recipe, *s).kind == kind), None)
            if source and graph.output_port(job.recipe, *source).kind == kind:
                arrays[port.id] = self.result(job, source[0], level)[source[1]]
            else:
                arrays[port.id] = checked(kind, np.full(expected_shape(kind, shape), restrict.GREY if kind == COLOUR else 0,
                                                        np.float32), shape)
        return arrays

    # -- how much work there is ------------------------------------------------------------------------
    def _weight(self, kind: str, level: int, site: Site) -> float:
        rows, columns = site.shape(level)
        return self._rate.get(kind, 4e-8) * rows * columns

    def work_left(self, job: Job, node_id: str, level: int) -> float:
        """Estimated seconds to compute a result, from what the same kinds of node took before."""
        recipe, keys = job.recipe, self.keys(job.recipe, job.folder)
        todo, seen, total = [(node_id, level)], set(), 0.0
        while todo:
            current, at = todo.pop()
            if (current, at) in seen or current not in recipe.nodes or self.cache.peek((keys[current], at, "final")):
                continue
            seen.add((current, at))
            state = recipe.nodes[current]
            total += self._weight(state.kind, at, recipe.site)
            if state.bake is not None:
                continue
            levels = range(COARSEST, at + 1) if state.spec and state.spec.pyramid else (at,)
            todo.extend((source, k) for source, _ in state.inputs.values() for k in levels)
            todo.extend((current, k) for k in levels)
        return total
