"""Builds of the Deliver page: one after the other on its thread, or all at once by workers."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from gelande.core.errors import GelandeError
from gelande.core.evaluate.executor import Stop
from gelande.core.files.disk import reason_of
from gelande.core.recipe.model import Recipe
from gelande.deliver import build as B
from gelande.deliver.farm import Farm, Progress, Variant
from gelande.deliver.item import Item
from gelande.deliver.names import variant_folder
from gelande.deliver.spans import shared_span
from gelande.deliver.wanted import usual
from gelande.deliver.workers import Certificates, cluster, warning

from ..sheetpdf import write_pdf
from .common import HERE, SCHEDULER


class Building:
    """The part of the page that builds. It tells by the page's signals told, ended and farmed."""

    def deliver_all(self) -> None:
        """Builds everything on the worker thread."""
        if not self.running:
            self.outcomes, self.span = [], None
            self._begin([(self.document.recipe, self.out_folder())])

    def queue(self, variants: list) -> None:
        """Builds several variants, each into a folder of its own; those of a queue that still runs come first."""
        taken = {folder for _, folder in self.queued}
        if not self.running:
            self.outcomes, self.span = [], None
        found = []
        for v in variants:
            folder, n = variant_folder(v.recipe, v.name, self.folder or self.document.folder), 2
            plain = folder
            while folder in taken:  # the same seed under other settings
                folder, n = plain.with_name(f"{plain.name}_{n}"), n + 1
            taken.add(folder)
            # what all files have in common is as the page has it now, whenever the variant was made
            found.append((replace(v.recipe, delivery=self.document.recipe.delivery), folder))
        self._begin(found)

    def _begin(self, variants: list) -> None:
        if self.common.machine["who"] != HERE and not self.running and variants:
            self._start_farm(variants)
            return
        self.queued += variants
        self._next()

    def _next(self) -> None:
        if self.queued and not self.running:
            recipe, folder = self.queued[0]
            recipes = [recipe, *(r for r, _ in self.queued[1:])]
            self.queued.pop(0)
            self._start(recipe, folder, recipes)

    def _set_running(self, recipe: Recipe, folder: Path) -> None:
        self.items, self.running, self.stop_flag = {}, True, Stop()
        self._where, self.building = folder, recipe.deliverables or usual(recipe)
        self.stop_button.setEnabled(True)
        self.go_button.setEnabled(False)
        self.summary.setText("Working")

    def _start(self, recipe: Recipe, folder: Path, recipes: list) -> None:
        self._set_running(recipe, folder)
        stop, level, base, evaluator = self.stop_flag, self.level, self.document.folder, self.engine.evaluator
        first = not self.outcomes

        def run() -> None:
            try:
                if first and len(recipes) > 1:
                    self.span = shared_span(recipes, evaluator, base, stop)
                tell = lambda i, item: self.told.emit(i, replace(item, files=list(item.files)))  # noqa: E731
                result = B.build(recipe, level, folder, evaluator, stop, tell, base, span=self.span)
            except (GelandeError, OSError) as error:
                result = str(error) or "stopped"
            self.ended.emit(result)

        self.worker.ask(run, stop)
        self._fill()

    def _start_farm(self, variants: list) -> None:
        """Builds variants by workers."""
        self._set_running(*variants[0])
        self._where = variants[0][1] if len(variants) == 1 else variants[0][1].parent
        stop, level, base, evaluator = self.stop_flag, self.level, self.document.folder, self.engine.evaluator
        machine = dict(self.common.machine)

        def run() -> None:
            try:
                span = shared_span([r for r, _ in variants], evaluator, base, stop)
                address = machine["scheduler"] if machine["who"] == SCHEDULER else ""
                folder = machine["certificates"]
                tls = Certificates.within(Path(folder)) if address and folder else None
                with cluster(int(machine["workers"]), address, tls) as client:
                    farm = Farm(client, stop, self.farmed.emit)
                    found = farm.deliver([Variant(r, folder, span) for r, folder in variants], level, base)
                result = [item for items in found for item in items]
            except (GelandeError, OSError) as error:
                result = str(error) or "stopped"
            self.ended.emit(result)

        if machine["who"] == SCHEDULER and (words := warning(machine["scheduler"])):
            self.said.emit(words)
        self.summary.setText("Starting workers")
        self.worker.ask(run, stop)
        self._fill()

    def _told(self, index: int, item: B.Item) -> None:
        self.items[item.deliverable] = item
        rows = self.deliverables()
        row = (
            rows.index(item.deliverable) if item.deliverable in rows else -1
        )  # it may have been taken off the list meanwhile
        if 0 <= row < self.table.rowCount():
            self.table.blockSignals(True)
            self._fill_row(row, rows[row])
            self.table.blockSignals(False)
        count = max(1, len(self.building))
        done = sum(i.state == B.DONE for i in self.items.values())
        self.total.setValue(int(1000 * sum(i.fraction for i in self.items.values()) / count))
        self.summary.setText(
            f"{done} of {count} written" + (f" · {item.note}" if item.state == B.WORKING and item.note else "")
        )
        if item.over and row == self.table.currentRow():
            self._show_facts()

    def _farmed(self, progress: Progress) -> None:
        self.total.setValue(int(1000 * progress.done / max(1, progress.total)))
        self.summary.setText(f"{progress.done} of {progress.total} pieces done by {len(progress.at)} workers")
        self.common.show_workers(progress.at, progress.link)

    def _ended(self, result: list[Item]) -> None:
        self.running = False
        self.common.show_workers({}, "")
        self.stop_button.setEnabled(False)
        self.go_button.setEnabled(bool(self.deliverables()))
        if isinstance(result, str):
            self.summary.setText("Not delivered")
            whole, words = False, result
        else:
            whole, words = self._result(result)
            self._write_pdf()
        self.outcomes.append((whole, words))
        self.said.emit(words)
        if self.queued:
            self._next()  # one that failed does not keep the others waiting
        elif len(self.outcomes) > 1:
            bad = [words for whole, words in self.outcomes if not whole]
            count = len(self.outcomes)
            self.said.emit(
                f"{count} variants delivered."
                if not bad
                else f"{count - len(bad)} of {count} variants delivered whole. {bad[0]}"
            )
        if self.isVisible():
            self._fill()

    def _write_pdf(self) -> None:
        """Writes the import sheet of what was delivered as a PDF too."""
        sheet = self._where / self.sheet.name
        try:
            if sheet.is_file():
                write_pdf(sheet)
        except OSError as error:
            self.said.emit(f"{sheet.with_suffix('.pdf')} cannot be written: {reason_of(error)}.")

    def _result(self, result: list[B.Item]) -> tuple[bool, str]:
        """Takes in what a build made: whether all of it is there, and a sentence."""
        for item in result:
            self.items[item.deliverable] = item
        done = sum(i.state == B.DONE for i in result)
        failed = [i for i in result if i.state == B.FAILED]
        same = sum(i.note == "unchanged" for i in result)
        self.summary.setText(
            f"{done} of {len(result)} written and read back" + (f" · {len(failed)} failed" if failed else "")
        )
        self.total.setValue(1000 * done // max(1, len(result)))
        words = f"{done} of {len(result)} files written to {self._where}."
        if same:
            words = f"{done} of {len(result)} files are in {self._where}; {same} had not changed and were left."
        return done == len(result), words + (f" {failed[0].deliverable.name}: {failed[0].note}" if failed else "")

    def stop(self) -> None:
        """Stops the build; what was finished stays."""
        self.queued = []
        self.stop_flag.set()
