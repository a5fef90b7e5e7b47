"""Builds of the Deliver page: one after the other on a thread of their own, or all at once by workers. No widgets."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal

from gelande.core.errors import GelandeError
from gelande.core.evaluate.executor import Stop
from gelande.core.recipe.deliverables import Deliverable
from gelande.core.recipe.model import Recipe
from gelande.deliver import build as B
from gelande.deliver.farm import Farm, Variant
from gelande.deliver.names import variant_folder
from gelande.deliver.spans import shared_span
from gelande.deliver.wanted import usual
from gelande.deliver.workers import Certificates, cluster, warning

from ..document import Document
from ..engine import Engine
from ..worker import Worker
from .common import HERE, SCHEDULER


class Builds(QObject):
    """A queue of builds of a document's recipe and its variants.

    ``begun`` comes when one begins (True: by workers), ``told`` with (index, item) on every change, ``farmed`` with the
    progress of workers, ``ended`` with the items or with why there are none; ``said`` carries sentences. level: of the
    files; machine: who computes, as the page's rows say. items: of the newest build; what is shown may have changed
    since; building: what it delivers; where: its folder."""

    begun = pyqtSignal(bool)
    told = pyqtSignal(int, object)
    farmed = pyqtSignal(object)
    ended = pyqtSignal(object)
    _came = pyqtSignal(object)  # from the thread
    said = pyqtSignal(str)

    def __init__(self, document: Document, engine: Engine, machine: dict, parent: QObject | None = None) -> None:
        super().__init__(parent)
        self.document, self.engine, self.machine = document, engine, machine
        self.level, self.running, self.where = 5, False, Path()
        self.items: dict[Deliverable, B.Item] = {}
        self.building: tuple[Deliverable, ...] = ()
        self.queued: list[tuple[Recipe, Path]] = []
        self._span: tuple[float, float] | None = None  # that the variants of a queue share
        self._outcomes: list[tuple[bool, str]] = []  # of each variant of a queue: True if whole, and what was said
        self._stop = Stop()
        fault = "The delivery ended with a fault inside; what was finished stays."
        self.worker = Worker("deliver", lambda error: self._came.emit(fault))
        self.worker.start()
        self.told.connect(self._note)
        self._came.connect(self._end)

    def deliver(self, folder: Path) -> None:
        """Builds the recipe as it is into a folder."""
        if not self.running:
            self._outcomes, self._span = [], None
            self._begin([(self.document.recipe, folder)])

    def queue(self, variants: list, folder: Path) -> None:
        """Builds several variants, each into a folder of its own inside a folder; those of a queue that still runs come
        first."""
        taken = {where for _, where in self.queued}
        if not self.running:
            self._outcomes, self._span = [], None
        found = []
        for v in variants:
            where, n = variant_folder(v.recipe, v.name, folder), 2
            plain = where
            while where in taken:  # the same seed under other settings
                where, n = plain.with_name(f"{plain.name}_{n}"), n + 1
            taken.add(where)
            # what all files have in common is as the page has it now, whenever the variant was made
            found.append((replace(v.recipe, delivery=self.document.recipe.delivery), where))
        self._begin(found)

    def stop(self) -> None:
        """Stops the build; what was finished stays."""
        self.queued = []
        self._stop.set()

    def close(self) -> None:
        """Stops, and ends the thread."""
        self.stop()
        self.worker.close()
        self.worker.join(10)

    def _begin(self, variants: list[tuple[Recipe, Path]]) -> None:
        if self.machine["who"] != HERE and not self.running and variants:
            self._start_farm(variants)
            return
        self.queued += variants
        self._next()

    def _next(self) -> None:
        if self.queued and not self.running:
            recipes = [recipe for recipe, _ in self.queued]
            self._start(*self.queued.pop(0), recipes)

    def _run(self, recipe: Recipe, where: Path, work: Callable[[Stop], list[B.Item]], by_workers: bool) -> None:
        """Does some work on the thread. recipe, where: of the first build in it."""
        self.items, self.running, self._stop = {}, True, Stop()
        self.where, self.building = where, recipe.deliverables or usual(recipe)
        stop = self._stop

        def run() -> None:
            try:
                result: object = work(stop)
            except (GelandeError, OSError) as error:
                result = str(error) or "stopped"
            self._came.emit(result)

        self.begun.emit(by_workers)
        self.worker.ask(run, stop)

    def _start(self, recipe: Recipe, folder: Path, recipes: list[Recipe]) -> None:
        level, base, evaluator = self.level, self.document.folder, self.engine.evaluator
        first = not self._outcomes

        def work(stop: Stop) -> list[B.Item]:
            if first and len(recipes) > 1:
                self._span = shared_span(recipes, evaluator, base, stop)
            tell = lambda i, item: self.told.emit(i, replace(item, files=list(item.files)))  # noqa: E731
            return B.build(recipe, level, folder, evaluator, stop, tell, base, span=self._span)

        self._run(recipe, folder, work, False)

    def _start_farm(self, variants: list[tuple[Recipe, Path]]) -> None:
        """Builds variants by workers."""
        level, base, evaluator = self.level, self.document.folder, self.engine.evaluator
        machine = dict(self.machine)
        address = machine["scheduler"] if machine["who"] == SCHEDULER else ""
        if words := warning(address):
            self.said.emit(words)

        def work(stop: Stop) -> list[B.Item]:
            span = shared_span([r for r, _ in variants], evaluator, base, stop)
            folder = machine["certificates"]
            tls = Certificates.within(Path(folder)) if address and folder else None
            with cluster(int(machine["workers"]), address, tls) as client:
                farm = Farm(client, stop, self.farmed.emit)
                found = farm.deliver([Variant(r, where, span) for r, where in variants], level, base)
            return [item for items in found for item in items]

        recipe, where = variants[0]
        self._run(recipe, where if len(variants) == 1 else where.parent, work, True)

    def _note(self, index: int, item: B.Item) -> None:
        self.items[item.deliverable] = item

    def _end(self, result: list[B.Item] | str) -> None:
        self.running = False
        whole, words = (False, result) if isinstance(result, str) else self._result(result)
        self.ended.emit(result)
        self._outcomes.append((whole, words))
        self.said.emit(words)
        if self.queued:
            self._next()  # one that failed does not keep the others waiting
        elif len(self._outcomes) > 1:
            bad = [words for whole, words in self._outcomes if not whole]
            count = len(self._outcomes)
            self.said.emit(
                f"{count} variants delivered."
                if not bad
                else f"{count - len(bad)} of {count} variants delivered whole. {bad[0]}"
            )

    def _result(self, result: list[B.Item]) -> tuple[bool, str]:
        """Takes in what a build made: whether all of it is there, and a sentence."""
        self.items |= {item.deliverable: item for item in result}
        done = sum(i.state == B.DONE for i in result)
        failed = [i for i in result if i.state == B.FAILED]
        same = sum(i.note == "unchanged" for i in result)
        words = f"{done} of {len(result)} files written to {self.where}."
        if same:
            words = f"{done} of {len(result)} files are in {self.where}; {same} had not changed and were left."
        return done == len(result), words + (f" {failed[0].deliverable.name}: {failed[0].note}" if failed else "")
