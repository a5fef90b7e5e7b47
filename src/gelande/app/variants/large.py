"""The selected variant large, alone or against another one."""

from __future__ import annotations

from dataclasses import dataclass, replace
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QSplitter, QVBoxLayout, QWidget

from gelande.app.document import Document
from gelande.app.engine import Engine, Request
from gelande.core.errors import GelandeError, NodeError
from gelande.core.evaluate.executor import Job, Stop
from gelande.core.evaluate.query import ground_under, last_node
from gelande.core.evaluate.standing import standing
from gelande.core.recipe import geojson, kinds
from gelande.core.recipe.raster import HEIGHT
from gelande.core.recipe.site import COARSEST, GLIMPSE, GLOBAL_LEVEL
from gelande.core.regenerate.variant import Variant
from gelande.scene.things import Things

from ..sharpening import Sharpening
from ..view.compare import CHANGE, Content
from ..view.widget import ViewWidget
from ..worker import Worker
from .tile_order import TileOrder

#: The finest level that is computed, and seconds up to which nothing coarser is shown on the way.
LARGE, PATIENCE = 3, 0.1
NOTHING = "Make a landscape in Compose first."


@dataclass(frozen=True)
class Seen:
    """Computed data of the large view. asked: what it was computed for; contents: main and other; things: what
    stands on both, which comes last."""

    asked: object
    level: int = 0
    contents: tuple[Content, ...] = ()
    site: object = None
    things: tuple[Things, ...] = ()
    fault: str = ""


@dataclass(eq=False)
class Asked:
    """Request of the large view."""

    main: Variant | None = None
    other: Variant | None = None


class LargeView(QWidget):
    """One view, with a second one beside it on demand whose camera is linked. ``side_changed`` tells whether two
    stand side by side; ``masked`` carries the outlines of a mask that was asked for."""

    said = pyqtSignal(str)
    progress = pyqtSignal(float, str, object)
    done = pyqtSignal(object)
    masked = pyqtSignal(object)
    side_changed = pyqtSignal(bool)
    compare_asked = pyqtSignal()

    def __init__(self, document: Document, engine: Engine, tile_order: TileOrder, parent=None) -> None:
        """turns: what tiles come before."""
        super().__init__(parent)
        self.document, self.engine, self.tile_order = document, engine, tile_order
        self.asked, self.side, self.complete = Asked(), False, True
        self.worker = Worker("variant", self._told)
        self.worker.start()
        self.aside = Worker("area", self._told)
        self.aside.start()
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        self.split = QSplitter(Qt.Orientation.Horizontal)
        self.split.setHandleWidth(2)
        self.split.setChildrenCollapsible(False)
        self.view, self.second = ViewWidget(), ViewWidget(tools=False)
        self.view.setAccessibleName("View of the selected variant")
        self.second.setAccessibleName("View of what it is compared with")
        self.split.addWidget(self.view)
        self.split.addWidget(self.second)
        self.second.hide()
        column.addWidget(self.split)
        bar = self.view.bar
        for button in (bar.colours, bar.section, bar.masks):
            button.hide()
        bar.compare.setToolTip("C. The selected variant against the one that was selected before it")
        self.side_action = bar.ways.addAction("Side by side", self.toggle_side)
        self.side_action.setCheckable(True)
        self.side_action.setToolTip("Two views whose cameras are linked")
        self.view.compare_asked.connect(self.compare_asked)
        self.view.looked.connect(lambda: self._link(self.view, self.second))
        self.second.looked.connect(lambda: self._link(self.second, self.view))
        self.done.connect(self._show)
        self.sharpening = Sharpening(engine, self.view, self)

    def _told(self, error: BaseException) -> None:
        why = "not enough memory" if isinstance(error, MemoryError) else "a fault inside"
        self.said.emit(f"The variant could not be computed: {why}.")

    # -- side by side -------------------------------------------------------------------------------------
    def toggle_side(self) -> None:
        """Shows two views side by side, or one."""
        self.side = not self.side
        self.side_action.setChecked(self.side)
        if self.side and self.view.comparison.way:
            self.view.comparison.set_way("")
        self.second.setVisible(self.side)
        if self.side:
            half = max(1, self.split.width() // 2)
            self.split.setSizes([half, half])
        self.side_changed.emit(self.side)
        self.compare_asked.emit()

    def _link(self, one: ViewWidget, two: ViewWidget) -> None:
        """The other view looks from the same place."""
        if self.side and one.camera is not None and two.frame is not None:
            two.look_as(one)

    @property
    def compares(self) -> bool:
        """True when another variant is shown, too."""
        return self.side or bool(self.view.comparison.way)

    # -- what is shown ------------------------------------------------------------------------------------
    def show_variants(self, main: Variant | None, other: Variant | None) -> None:
        """Shows a variant, and another one to compare it with, coarse to fine."""
        self.sharpening.follow(None)
        if main is None:
            self.worker.stop_now()
            self.asked = Asked()
            self.view.clear(NOTHING)
            self.second.clear(NOTHING)
            return
        shown = [v for v in (main, other if self.compares else None) if v is not None]
        folder, stop = self.document.folder, Stop()
        asked = self.asked = Asked(main, other)
        self.complete = False

        def run() -> None:
            try:
                for level in self._levels(shown, folder):
                    while not self.tile_order.wait_for(level, 0.02):
                        stop.check()
                    contents = tuple(self._content(v, level, folder, stop) for v in shown)
                    stop.check()
                    self.done.emit(Seen(asked, level, contents, main.recipe.site))
                    self.progress.emit(1.0, "", None)
                jobs = [Job(v.recipe, folder, stop) for v in shown]
                things = tuple(Things.of(standing(self.engine.evaluator, job)) for job in jobs)
                self.done.emit(Seen(asked, LARGE, things=things))
            except NodeError as error:
                self.done.emit(Seen(asked, fault=str(error)))

        self.worker.ask(run, stop)

    def _levels(self, shown: list[Variant], folder: Path) -> list[int]:
        """A glimpse first where the first level takes long."""
        seconds = 0.0
        for v in shown:
            todo = self.engine.evaluator.plan(Job(v.recipe, folder), [(last_node(v.recipe), COARSEST)])
            seconds += sum(self.engine.evaluator.weight(v.recipe, u) for u in todo.units)
        return [*((GLIMPSE,) if seconds > PATIENCE else ()), *range(COARSEST, LARGE + 1)]

    def _content(self, v: Variant, level: int, folder: Path, stop: Stop) -> Content:
        node = last_node(v.recipe)
        key = self.engine.evaluator.keys(v.recipe, folder)[node]
        job = Job(v.recipe, folder, stop, lambda s, n, t: self.progress.emit(s, n, t))
        port = v.recipe.nodes[node].declared.result.id
        data = self.engine.evaluator.run(job, node, level)[port]
        under, water = ground_under(self.engine.evaluator, job, node, port, level)
        kind = kinds.kind_at(v.recipe, node, port)
        return Content((key, level), under, v.recipe.site.spacing(level), kind, data, water, v.name)

    def _show(self, seen: Seen) -> None:
        if seen.asked is not self.asked or self.asked.main is None:
            return
        self.complete = bool(seen.fault) or seen.level == LARGE
        if seen.fault:
            self.said.emit(seen.fault)
            self.view.mark_old(seen.fault)
            return
        if seen.things:
            for view, things in zip((self.view, self.second), seen.things):
                view.things.put(things)
            return
        contents, rough = seen.contents, seen.level < LARGE
        if self.view.comparison.way == CHANGE:  # of heights, in metres, whatever colours lie on them
            contents = tuple(replace(c, key=(*c.key, HEIGHT), kind=HEIGHT, data=c.height) for c in contents)
        main, other = contents[0], contents[1] if len(contents) > 1 else None
        sea, bare = (seen.site.sea, rough), seen.site.bare
        self.view.show_content(main, main.words, *sea, None if self.side else other, bare)
        if self.complete and not self.compares:
            node = last_node(self.asked.main.recipe)
            port = self.asked.main.recipe.nodes[node].declared.result.id
            self.sharpening.follow(Request(self.asked.main.recipe, self.document.folder, node, port, LARGE))
        if self.side and other is not None:
            first = self.second.frame is None
            self.second.show_content(other, other.words, *sea, bare=bare)
            if first:
                self.second.look_as(self.view)

    def ask_mask(self, v: Variant, node: str, port: str) -> None:
        """Finds the outlines of a mask of a variant; ``masked`` carries them."""
        stop, folder = Stop(), self.document.folder

        def run() -> None:
            try:
                job = Job(v.recipe, folder, stop, self.progress.emit)
                found = self.engine.evaluator.run(job, node, GLOBAL_LEVEL)[port]
                outlines = geojson.of_mask(found, v.recipe.site, GLOBAL_LEVEL)
            except GelandeError as error:
                self.said.emit(str(error))
            else:
                self.masked.emit(outlines)
            finally:
                self.progress.emit(1.0, "", None)

        self.aside.ask(run, stop)

    def forget(self) -> None:
        """Another recipe: its land is looked at from home."""
        for view in (self.view, self.second):
            view.clear()
            view.forget_camera()

    def stop(self) -> None:
        """Stops what is being computed."""
        self.worker.stop_now()
        self.view.settle()
        self.second.settle()

    def close_down(self) -> None:
        """Ends the threads."""
        for worker in (self.worker, self.aside):
            worker.close()
            worker.join(5)
        self.sharpening.close()
        self.view.close_renderer()
        self.second.close_renderer()
