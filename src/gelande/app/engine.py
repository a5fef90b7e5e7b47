"""Evaluation behind the window: worker threads, newest request first, results back by signal. Qt never waits."""

from __future__ import annotations

import threading
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QImage

from gelande.core.errors import GelandeError, NodeError
from gelande.core.evaluate import bake, restrict
from gelande.core.evaluate.executor import Evaluator, Job, Stop
from gelande.core.evaluate.plan import RAW, Unit, ground_source
from gelande.core.evaluate.query import at_any_level, ground_of, ground_under
from gelande.core.evaluate.standing import layers_of, standing
from gelande.core.evaluate.waiting import waiting
from gelande.core.recipe import kinds, walk
from gelande.core.recipe.model import Recipe
from gelande.core.recipe.node import SHARE
from gelande.core.recipe.raster import COLOUR, HEIGHT, MASK
from gelande.core.recipe.site import COARSEST, GLIMPSE, GLOBAL_LEVEL
from gelande.core.regenerate import mass
from gelande.core.regenerate.likeness import likeness_of
from gelande.kernels.bands import on_this_thread
from gelande.kernels.grid_window import GridWindow
from gelande.scene.things import Things

from .pictures import histogram, thumbnail
from .worker import InTurn, Worker


@dataclass(frozen=True)
class Beside:
    """An output that is shown beside another one, at the same level."""

    node: str
    port: str
    kind: str
    data: np.ndarray
    ground: np.ndarray
    water: np.ndarray | None = None


@dataclass(frozen=True)
class Shown:
    """Data of the view: a node's output at a level, with the ground to drape it on. beside: what was asked for
    besides, without what failed; works: where the node that was asked for in ``tint`` works, 0 to 1."""

    recipe: Recipe
    node: str
    port: str
    kind: str
    level: int
    data: np.ndarray
    ground: np.ndarray
    final: bool = False
    water: np.ndarray | None = None
    beside: tuple[Beside, ...] = ()
    works: np.ndarray | None = None


@dataclass(frozen=True)
class Bench:
    """Data of the bench: pictures before and after, histograms of its ground, and its result's range.
    share: of the site that is white, of a mask; shares: (output, the same) of masks that are one together; kind: of
    data, of its result."""

    node: str
    before: QImage | None
    after: QImage | None
    heights: tuple | None
    slopes: tuple | None
    low: float
    high: float
    seconds: float
    mass: str = ""
    fraction: float | None = None
    fractions: tuple[tuple[str, float], ...] = ()
    kind: str = HEIGHT


#: Card pictures that are kept, of 66 kB each; of a larger recipe twice as many as it has nodes.
MOST_PICTURES = 400
#: Seconds that the next level waits at most for the picture of the one before.
LET_THROUGH = 0.09
#: Seconds that what is shown first may take: the finest level that does not take longer, else a glimpse. Drawing it
#: takes about as long again.
PATIENCE = 0.05
#: Seconds up to which nothing coarser is shown on the way: of a stroke on a mask, say, or of what is known already.
AT_ONCE = 0.1


@dataclass
class Request:
    """One wish of the window: show this output up to this level. also: (node, output) to show beside it; tint: a node
    of which is shown where it works."""

    recipe: Recipe
    folder: Path
    node: str
    port: str
    level: int
    bench: str = ""
    also: tuple[tuple[str, str], ...] = ()
    tint: str = ""
    stop: Stop = field(default_factory=Stop)


class Engine(QObject):
    """Turns requests into pictures and numbers. Signals arrive on the UI thread.

    ``things`` carries what stands on the land of the newest request, once that is shown (Things). ``lost`` carries a
    request that has no picture, and why; ``trouble`` a few words for what is nobody's fault but the program's."""

    shown = pyqtSignal(object)
    card = pyqtSignal(str, object, str)
    failed = pyqtSignal(str, str)
    bench = pyqtSignal(object)
    progress = pyqtSignal(float, str, object)
    times = pyqtSignal(object)
    baked = pyqtSignal(str, object)
    judged = pyqtSignal(str, object)
    things = pyqtSignal(object)
    refused = pyqtSignal(str)
    idle = pyqtSignal()
    lost = pyqtSignal(object, str)
    trouble = pyqtSignal(str)

    def __init__(self, evaluator: Evaluator | None = None, parent=None) -> None:
        super().__init__(parent)
        self.evaluator = evaluator or Evaluator()
        newest = (Worker(n, self._told) for n in ("view", "ahead", "cards", "things"))
        self._workers: tuple[Worker, ...] = (*newest, InTurn("jobs", self._told))
        self._view, self._ahead, self._cards, self._stand, self._jobs = self._workers
        self._standing: tuple[tuple, Things] = ((), Things.of(()))
        for worker in self._workers:
            worker.start()
        self._pictures: dict[tuple[str, str], QImage] = {}
        self._traces: dict[str, str] = {}
        self._closed = False
        self.seen = threading.Event()

    def _told(self, error: BaseException) -> None:
        """A worker met something that no node and no file is at fault for."""
        self.trouble.emit("not enough memory" if isinstance(error, MemoryError) else "a fault inside")

    def picture_of(self, recipe: Recipe, node_id: str, folder: Path) -> QImage | None:
        """The card's picture of a node as it is now, when there is one."""
        return self._pictures.get((self.evaluator.keys(recipe, folder).get(node_id, ""), recipe.site.bare))

    def ask(self, request: Request) -> None:
        """Shows an output coarse to fine, then refreshes cards and bench."""
        self._cards.stop_now()
        self._stand.stop_now()
        self._view.ask(lambda: self._show(request), request.stop)

    def bake(self, recipe: Recipe, recipe_path: Path, node_id: str, finest: int) -> None:
        """Writes a node's results up to a level beside the recipe; ``baked`` carries the node and its bake."""
        stop = Stop()

        def run() -> None:
            job = Job(recipe, recipe_path.parent, stop, self.progress.emit)
            try:
                self.baked.emit(node_id, bake.make(self.evaluator, job, node_id, finest, recipe_path))
            except GelandeError as error:
                self.refused.emit(str(error))
            finally:
                self.progress.emit(1.0, "", None)

        self._jobs.ask(run, stop)

    def judge(self, recipe: Recipe, folder: Path, node_id: str) -> None:
        """Measures how natural a node's height looks; ``judged`` carries the node and the rows of Likeness."""
        stop = Stop()

        def run() -> None:
            job = Job(recipe, folder, stop, self.progress.emit)
            try:
                port = recipe.nodes[node_id].declared.result.id
                height = self.evaluator.result(job, node_id, GLOBAL_LEVEL)[port]
                self.judged.emit(node_id, likeness_of(height, recipe.site.spacing(GLOBAL_LEVEL)).rows())
            except (GelandeError, ValueError) as error:
                self.refused.emit(str(error))
            finally:
                self.progress.emit(1.0, "", None)

        self._jobs.ask(run, stop)

    def revive(self) -> bool:
        """Begins workers anew that have ended. Returns whether there were any."""
        dead = [n for n, worker in enumerate(self._workers) if not worker.is_alive()]
        if not dead or self._closed:
            return False
        self._workers = tuple(type(w)(w.name, self._told) if n in dead else w for n, w in enumerate(self._workers))
        for n in dead:
            self._workers[n].start()
        self._view, self._ahead, self._cards, self._stand, self._jobs = self._workers
        return True

    def stop(self) -> None:
        """Stops whatever runs."""
        for worker in self._workers:
            worker.stop_now()

    @property
    def busy(self) -> bool:
        return any(worker.busy for worker in self._workers)

    def close(self) -> None:
        self._closed = True
        for worker in self._workers:
            worker.close()
        for worker in self._workers:
            worker.join(5)

    def trace_of(self, node_id: str) -> str:
        """Where in its code a node failed last, for whoever wrote it; "" when it only said what was wrong."""
        return self._traces.get(node_id, "")

    def _job(self, r: Request, with_progress: bool = True) -> Job:
        tell = (lambda fraction, label, left: self.progress.emit(fraction, label, left)) if with_progress else None
        return Job(r.recipe, r.folder, r.stop, tell)

    def _show(self, r: Request) -> None:
        try:
            if r.node in r.recipe.nodes:
                self._levels(r)
        except NodeError as error:
            self._traces[error.node_id] = error.trace
            self.failed.emit(error.node_id, str(error))
            self.lost.emit(r, str(error))
        except GelandeError as error:
            self.lost.emit(r, str(error))
        finally:
            if not r.stop:
                # Cards follow on their own thread, so that a later slider move never waits for them.
                stop = Stop()
                self._cards.ask(lambda: self._refresh_cards(r, stop), stop)
                later = Stop()
                self._stand.ask(lambda: self._put_things(r, later), later)

    def _put_things(self, r: Request, stop: Stop) -> None:
        """Finds where things stand, at the detail at which they are delivered. The same as before is the same value."""
        keys = self.evaluator.keys(r.recipe, r.folder)
        now = (r.recipe.seed, r.recipe.site, *((n, keys[n], r.recipe.nodes[n].params) for n in layers_of(r.recipe)))
        if now != self._standing[0]:
            self._standing = (now, Things.of(standing(self.evaluator, Job(r.recipe, r.folder, stop))))
        self.things.emit(self._standing[1])

    def _levels(self, r: Request) -> None:
        ground = ground_of(r.recipe, r.node, r.port)
        needed = {r.node, *(n for n, _ in r.also), *((ground[0],) if ground else ())}
        levels = self._on_the_way(r, needed)
        for level in levels:
            job = self._job(r)
            kind, data, under, water = self._output(job, r.node, r.port, level)
            beside, works = self._beside(job, r, level), self._works(job, r, level)
            r.stop.check()
            self.seen.clear()
            self.shown.emit(
                Shown(r.recipe, r.node, r.port, kind, level, data, under, level == r.level, water, beside, works)
            )
            job.report(1.0, "", True)
            if level == levels[0] and level != r.level:
                # The next level would take both cores: the picture of this one is let through first.
                self._ahead.ask(lambda: self._begin_with(r, needed), r.stop)
                self.seen.wait(LET_THROUGH)

    def _on_the_way(self, r: Request, needed: set[str]) -> list[int]:
        """The levels that are shown one after the other, coarse to fine: as fine a one at first as comes at once, by
        what was measured before. The second level is left out on the way: it would delay the one that is wanted more
        than it shows."""
        todo = self.evaluator.plan(self._job(r, False), [(n, r.level) for n in sorted(needed)])
        raw = [unit for unit in todo.units if unit.stage == RAW]
        if sum(self.evaluator.weight(r.recipe, unit) for unit in raw) < AT_ONCE:
            return [r.level]
        coarser = range(min(r.level, GLOBAL_LEVEL) - 1, GLIMPSE, -1)
        first = next((k for k in coarser if self._seconds(r, k, raw) <= PATIENCE), GLIMPSE)
        later = range(max(first + 1, COARSEST), r.level + 1)
        return [first, *(k for k in later if k != COARSEST + 1 or k == r.level)]

    def _begin_with(self, r: Request, needed: set[str]) -> None:
        """Computes at finer levels what waits for no coarser ones, while the first grids are eroded by one thread.
        What erosion begins with is asked for at every level."""
        nodes, job = at_any_level(r.recipe, needed), self._job(r, False)
        try:
            with on_this_thread():
                for level in range(COARSEST + 1, r.level + 1):
                    for node_id in nodes:
                        if level == r.level or node_id not in needed:
                            self.evaluator.result(job, node_id, level)
        except GelandeError:
            pass  # whoever asks for it next says so

    def _seconds(self, r: Request, level: int, raw: list[Unit]) -> float:
        """Seconds that a level is thought to take, from how long its nodes took before. raw: what a finer one computes;
        nodes that build on coarser levels have units of these in it, others would be asked for this level alone."""
        whole = GridWindow.of(r.recipe.site.shape(level))
        there = {unit for unit in raw if unit.level <= level}
        others = {unit.node for unit in raw} - {unit.node for unit in there}
        there |= {Unit(node, level, RAW, whole) for node in others}
        return sum(self.evaluator.weight(r.recipe, unit) for unit in there)

    def _output(self, job: Job, node_id: str, port: str, level: int) -> tuple[str, np.ndarray, np.ndarray, None] | None:
        """(kind, data, ground under it, water over that) of an output."""
        data = self.evaluator.run(job, node_id, level)[port]
        under, water = ground_under(self.evaluator, job, node_id, port, level)
        kind = kinds.kind_at(job.recipe, node_id, port)
        return HEIGHT if kind == "any" else kind, data, under, water

    def _beside(self, job: Job, r: Request, level: int) -> tuple[Beside, ...]:
        """Outputs shown beside; one that fails is left out, and its card says why."""
        found = []
        for node_id, port in r.also:
            try:
                found.append(Beside(node_id, port, *self._output(job, node_id, port, level)))
            except NodeError:
                continue
        return tuple(found)

    def _works(self, job: Job, r: Request, level: int) -> np.ndarray | None:
        """Weight of a node at each sample, by its Where."""
        state = r.recipe.nodes.get(r.tint)
        if state is None or state.spec is None:
            return None
        try:
            ground, mask = ground_source(r.recipe, state), state.inputs.get("mask")
            height = self.evaluator.result(job, ground[0], level)[ground[1]] if ground else None
            linked = self.evaluator.result(job, mask[0], level)[mask[1]] if mask else None
            found = restrict.weight({**state.params, "amount": 1.0}, height, linked, r.recipe.site, level)
        except (NodeError, GelandeError):
            return None
        return np.broadcast_to(found, r.recipe.site.shape(level)).astype(np.float32)

    def _refresh_cards(self, r: Request, stop: Stop) -> None:
        job = Job(r.recipe, r.folder, stop)
        self.seen.wait(LET_THROUGH)  # the picture is wanted sooner than cards are
        if r.bench in r.recipe.nodes:
            self._bench(job, r)
        broken: dict[str, str] = {}
        # of those that wait for a link nothing is there yet; after those asleep only baked nodes follow
        left_out = (bake.overridden_by_bake(r.recipe) - {r.node, r.bench}) | waiting(r.recipe).keys()
        for node_id in walk.in_order(r.recipe):
            stop.check()
            if node_id in left_out:
                continue
            state = r.recipe.nodes[node_id]
            if state.spec is not None and not state.spec.outputs:
                continue
            self._card(job, node_id, broken)
        seconds = {
            n: self.evaluator.seconds(r.recipe, n, r.level, r.folder)
            or self.evaluator.seconds(r.recipe, n, COARSEST, r.folder)
            for n in r.recipe.nodes
        }
        self.times.emit(seconds)
        self.idle.emit()

    def _card(self, job: Job, node_id: str, broken: dict) -> None:
        recipe = job.recipe
        for source, _ in recipe.nodes[node_id].inputs.values():
            if source in broken:
                broken[node_id] = f"waits for {recipe.nodes[source].name}, which failed"
                self.failed.emit(node_id, broken[node_id])
                return
        key = self.evaluator.keys(recipe, job.folder)[node_id]
        seen_as = (key, recipe.site.bare)
        picture = self._pictures.get(seen_as)
        if picture is None:
            try:
                picture = self._picture(job, node_id)
            except NodeError as error:
                broken[node_id] = error.reason
                self._traces[error.node_id] = error.trace
                self.failed.emit(node_id, str(error) if error.node_id == node_id else error.reason)
                return
            while len(self._pictures) > max(MOST_PICTURES, 2 * len(recipe.nodes)):  # the oldest goes first
                del self._pictures[next(iter(self._pictures))]
            self._pictures[seen_as] = picture
        self.card.emit(node_id, picture, key)

    def _picture(self, job: Job, node_id: str) -> QImage:
        main = job.recipe.nodes[node_id].spec.main if job.recipe.nodes[node_id].spec else None
        data = (
            self.evaluator.result(job, node_id, COARSEST)[main.id]
            if main
            else self.evaluator.result(job, node_id, COARSEST)
        )
        kind, spec = kinds.kind_at(job.recipe, node_id, main.id), job.recipe.nodes[node_id].declared
        if spec.places is not None and data.max() > 0:
            data = data / data.max()  # a few trees a hectare would be black; the picture says where they stand
        under = None
        if kind == COLOUR and (ground := ground_of(job.recipe, node_id)):
            under = self.evaluator.result(job, ground[0], COARSEST)[ground[1]]
        site = job.recipe.site
        return thumbnail(HEIGHT if kind == "any" else kind, data, site.spacing(COARSEST), site, under)

    def _bench(self, job: Job, r: Request) -> None:
        state, spec = r.recipe.nodes[r.bench], r.recipe.nodes[r.bench].spec
        if spec is None or not spec.outputs:
            return
        level = min(r.level, COARSEST + 1)
        dx, site = r.recipe.site.spacing(level), r.recipe.site
        try:
            made = self.evaluator.result(job, r.bench, level)
            data = made[spec.main.id]
            before = heights = slopes = None
            base = state.inputs.get(spec.base)
            kind = kinds.kind_at(r.recipe, r.bench, spec.main.id)
            if base:
                before = thumbnail(
                    kinds.kind_at(r.recipe, *base), self.evaluator.result(job, base[0], level)[base[1]], dx, site
                )
            if ground := ground_source(r.recipe, state):
                heights, slopes = histogram(self.evaluator.result(job, ground[0], level)[ground[1]], dx, site)
        except NodeError:
            return
        key = self.evaluator.seconds(r.recipe, r.bench, r.level, r.folder)
        self.bench.emit(
            Bench(
                r.bench,
                before,
                thumbnail(HEIGHT if kind == "any" else kind, data, dx, site),
                heights,
                slopes,
                float(data.min()),
                float(data.max()),
                key,
                self._mass(job, r, level),
                float(data.mean(dtype=np.float64)) if kind == MASK else None,
                self._fractions(job, r),
                HEIGHT if kind == "any" else kind,
            )
        )

    def _fractions(self, job: Job, r: Request) -> tuple[tuple[str, float], ...]:
        """Fractions of the site covered by masks that are one together, at the detail that is shown up to the mapped
        one."""
        ports = [p.id for p in r.recipe.nodes[r.bench].declared.outputs if p.role == SHARE]
        made = self.evaluator.result(job, r.bench, min(r.level, GLOBAL_LEVEL)) if ports else {}
        return tuple((port, float(made[port].mean(dtype=np.float64))) for port in ports)

    def _mass(self, job: Job, r: Request, level: int) -> str:
        """Mass balance of a weather node, or volumes of earthworks, in a sentence."""
        state = r.recipe.nodes[r.bench]
        if not (state.spec.weathers or state.spec.earthworks) or state.off or state.bake is not None:
            return ""
        level = min(r.level, GLOBAL_LEVEL) if state.spec.earthworks else level
        try:
            raw = self.evaluator.raw(job, r.bench, level)
        except NodeError:  # none of it is mixed in, so that its result is there although it could not be computed
            return ""
        cell = r.recipe.site.spacing(level) ** 2
        if state.spec.earthworks:
            return mass.earthworks(raw, cell)
        found = mass.balance(raw, None, cell)
        return found.text() if found else ""
