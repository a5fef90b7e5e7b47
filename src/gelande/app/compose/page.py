"""The Compose workspace: graph left, view right, bench below; what is shown follows what is chosen."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QSplitter, QVBoxLayout, QWidget

from gelande.app.document import Document
from gelande.app.engine import Shown
from gelande.core.evaluate import bake
from gelande.core.evaluate.query import ground_of, last_node, masks_of
from gelande.core.evaluate.waiting import waiting
from gelande.core.recipe.model import Bake, Recipe
from gelande.core.recipe.node import KEEP
from gelande.core.recipe.raster import MASK
from gelande.core.recipe.site import COARSEST
from gelande.scene.things import Things
from gelande.scene.tints import MASKS

from ..engine import Engine, Request
from ..sharpening import Sharpening
from ..view.compare import Content
from ..view.saved_cameras import SavedCameras
from ..view.section import Layer
from ..view.widget import ViewWidget
from .bench import Bench
from .canvas import Canvas
from .drawing import Drawing
from .nodelist import NodeList
from .picture_saving import PictureSaving
from .presenter import Choice, Presented, against, present, said
from .watch import Watchdog

#: Milliseconds that what Where chooses stays tinted after its last change.
TINT = 1500


class ComposePage(QWidget):
    """Ties document, engine, canvas, bench and view together."""

    said = pyqtSignal(str)
    progress = pyqtSignal(float, str, object)
    state_changed = pyqtSignal(str)
    relief_changed = pyqtSignal()
    resized = pyqtSignal()

    def __init__(self, document: Document, engine: Engine, parent=None) -> None:
        super().__init__(parent)
        self.document, self.engine = document, engine
        self.detail = 3
        self.canvas, self.view, self.bench = Canvas(document), ViewWidget(), Bench(document)
        self.peeking, self._words, self._named = False, "", ""
        self._other: Presented | None = None  # what the shown is compared with
        self._cut: list[str] = []  # nodes that the section shows besides
        self.relief, self.unseen = 0.0, True
        self.pending: Request | None = None
        self.shown_as: tuple | None = None  # what the view's picture is of, as wanted() says it
        self.preparing = self.paused = False  # at the first start
        self.halted = False  # stopped by the user, or failed: nothing newer is to be expected
        self._met = ""  # what work ended with, when that was a fault of the program's own
        self._arrange()
        # Many edits in one turn of the event loop become one request.
        self._soon = QTimer(self, singleShot=True, interval=0)
        self._soon.timeout.connect(self.request)
        self._tinted, self._limit = "", False  # the node whose Where is shown while it is set
        self._untint = QTimer(self, singleShot=True, interval=TINT)
        self._untint.timeout.connect(self._end_tint)
        self._join_parts()
        self._join_engine()
        self.drawing = Drawing(document, self.canvas, self.bench, self.view, self)
        self.drawing.said.connect(self.said)
        self.saved_cameras = SavedCameras(document, self.view, self)
        self.watchdog = Watchdog(self)
        self.sharpening = Sharpening(engine, self.view, self)
        self.pictures = PictureSaving(self.view, lambda: document.recipe.cameras, self)
        self.pictures.said.connect(self.said)
        self.pictures.progress.connect(self.progress)

    def _arrange(self) -> None:
        """Graph left, view and section right, bench below."""
        self.across = QSplitter(Qt.Orientation.Horizontal)
        self.nodes = NodeList(self.canvas)
        self.across.addWidget(self.nodes)
        self.across.addWidget(self.canvas)
        viewing = QSplitter(Qt.Orientation.Vertical)
        viewing.addWidget(self.view)
        viewing.addWidget(self.view.section.panel)
        viewing.setSizes([340, 200])
        self.view.setAccessibleName("View of the land")
        self.across.addWidget(viewing)
        self.across.setSizes([260, 588, 692])
        self.down = QSplitter(Qt.Orientation.Vertical)
        self.down.addWidget(self.across)
        self.down.addWidget(self.bench)
        self.down.setSizes([540, 196])
        self.down.setStretchFactor(0, 1)
        for s in (self.across, self.down, viewing):
            s.setHandleWidth(2)
            s.setChildrenCollapsible(False)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(0, 0, 0, 0)
        layout.addWidget(self.down)

    def _join_parts(self) -> None:
        """Connects what is done in the graph, the bench and the view."""
        document, canvas, bench, view = self.document, self.canvas, self.bench, self.view
        document.changed.connect(self._changed)
        document.opened.connect(self._opened)
        canvas.chosen_changed.connect(self._chosen)
        canvas.hold_asked.connect(self.hold)
        canvas.said.connect(self.said)
        canvas.bake_asked.connect(self.bake)
        canvas.release_asked.connect(
            lambda n: document.edit("Release the bake", lambda recipe: bake.released(recipe, n))
        )
        bench.said.connect(self.said)
        bench.where.held.connect(self._limit_held)
        bench.where.edited.connect(lambda *_: self._tint())
        bench.where.judge_asked.connect(
            lambda: self.engine.judge(document.recipe, document.folder, canvas.chosen) if canvas.chosen else None
        )
        for asked in (view.drape_asked, view.compare_asked, view.section_asked, view.masks.asked):
            asked.connect(lambda: self._soon.start())
        view.bare_asked.connect(self._show_bare_as)
        view.renderer.failed.connect(self._undrawn)

    def _join_engine(self) -> None:
        """Connects the engine's results."""
        engine = self.engine
        engine.shown.connect(self._shown)
        self.state_changed.connect(lambda _: self.nodes.ask())
        engine.card.connect(self.canvas.set_picture)
        engine.failed.connect(self._failed)
        engine.bench.connect(self.bench.show_figures)
        engine.times.connect(self.canvas.set_times)
        engine.progress.connect(self._progress)
        engine.idle.connect(self._idle)
        engine.lost.connect(self._lost)
        engine.trouble.connect(self._trouble)
        engine.baked.connect(self._baked)
        engine.judged.connect(self.bench.show_judged)
        engine.refused.connect(self.said)
        engine.things.connect(self._things)
        self.view.pictured.connect(lambda frame: engine.seen.set())

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self.resized.emit()

    # -- what is shown ----------------------------------------------------------------------------------
    @property
    def presented(self) -> Presented | None:
        """The node and output to be shown now."""
        return present(self.document.recipe, self._choice)

    @property
    def _choice(self) -> Choice:
        colours, comparing = self.view.bar.colours.isChecked(), bool(self.view.comparison.way)
        return Choice(self.canvas.chosen, self.canvas.held, self.peeking, colours, comparing)

    def _beside(self, shown: Presented) -> tuple[Presented | None, list[str]]:
        """(what is compared with what is shown, nodes whose heights the section shows besides)."""
        recipe, section = self.document.recipe, self.view.section
        other = against(recipe, self._choice, shown) if self.view.comparison.way else None
        waits = waiting(recipe) if section.on else {}
        kept = [n for n in section.kept if n in recipe.nodes and n not in waits and n != shown.node]
        return other, [n for n in kept if ground_of(recipe, n)] if section.on else []

    def wanted(self) -> tuple | None:
        """Identity of an up-to-date picture: node, output, level and content key; None when there is nothing
        to show."""
        shown, recipe = self.presented, self.document.recipe
        if shown is None:
            return None
        key = self.engine.evaluator.keys(recipe, self.document.folder)[shown.node]
        return shown.node, shown.port, self.level, key

    @property
    def level(self) -> int:
        """Level that the view is computed at: coarsely as long as more of it is being prepared."""
        return COARSEST if self.preparing else self.detail

    def take_prepared(self, busy: bool, blind: bool) -> None:
        """More is prepared for this computer at the first start. busy: not yet all that the first land needs; blind:
        nothing can be drawn yet."""
        if (busy, blind) != (self.preparing, self.paused) or busy:
            self.preparing, self.paused = busy, blind
            self.canvas.tell_waiting()
            self._soon.start()

    def request(self) -> None:
        """Asks the engine for what should be shown now. Nothing is computed for a page that is not seen."""
        self.unseen = not self.isVisible()
        if self.unseen:
            return
        if self.paused:
            self.view.clear("The land shows here in a moment: Gelande is being prepared for this computer.")
            self.state_changed.emit("preparing")
            return
        shown, recipe = self.presented, self.document.recipe
        self.halted, self._met = False, ""
        if shown is None:
            waits = waiting(recipe)
            chosen = self.canvas.chosen if self.canvas.chosen in waits else next(iter(waits), "")
            self.view.clear(f"{said(recipe, chosen, waits)}." if chosen else "")
            self.engine.stop()
            self.sharpening.follow(None)
            self.relief, self.pending, self.shown_as = 0.0, None, None
            self.state_changed.emit("empty" if not recipe.nodes else "waiting" if chosen else "nothing to show")
            return
        self._words, self._named = shown.words, shown.name
        self._other, self._cut = self._beside(shown)
        also = [(self._other.node, self._other.port)] if self._other else []
        also += [ground_of(recipe, n) for n in self._cut]
        also += self.view.masks.ticked
        where = (shown.node, shown.port, self.level)
        self.pending = Request(
            recipe, self.document.folder, *where, bench=self.canvas.chosen, also=tuple(also), tint=self._tinted
        )
        self.canvas.mark_stale(self.engine.evaluator.keys(recipe, self.document.folder))
        self._tell_bakes()
        self.state_changed.emit("working")
        self.sharpening.follow(None)
        self.engine.ask(self.pending)

    def enter(self) -> None:
        """The workspace is shown."""
        self.request() if self.unseen else self.tell_state()

    def _show_areas(self) -> None:
        """Hatches the ground that is kept while the step that keeps it is selected."""
        recipe = self.document.recipe
        state = recipe.nodes.get(self.canvas.chosen)
        keeps = recipe.keeps if state is not None and state.role == KEEP else ()
        self.view.areas.show([(k.name, k.outlines, k.on) for k in keeps])

    def _changed(self, before: Recipe, after: Recipe) -> None:
        self._show_areas()
        self.drawing.show()
        self.view.masks.offer(masks_of(after))
        if (before.site.width, before.site.depth) != (after.site.width, after.site.depth):
            self.view.forget_camera()
        if self.view.marks.pressed:  # what is being drawn is shown before anything else is painted
            self._soon.stop()
            self.request()
        else:
            self._soon.start()

    def _show_bare_as(self, tones: str) -> None:
        """Land without colours is shown in these tones, here and wherever the recipe is."""
        self.document.edit("Land without colours", lambda r: replace(r, site=replace(r.site, bare=tones)))

    def _limit_held(self, on: bool) -> None:
        self._limit = on
        self._tint()

    def _tint(self) -> None:
        """A limit of Where is being set: the ground that it chooses is shown as a tint, for as long as it is set."""
        self._untint.start()
        if self._tinted != self.canvas.chosen:
            self._tinted = self.canvas.chosen
            self._soon.start()

    def _end_tint(self) -> None:
        if self._limit:
            self._untint.start()
        else:
            self._tinted = ""
            self._soon.start()

    def _opened(self) -> None:
        """Another recipe: its pictures are not those of the one before."""
        self.view.clear()
        self.view.forget_camera()
        self.drawing.forget()
        self.view.masks.forget()
        self.view.masks.offer(masks_of(self.document.recipe))
        self.canvas.looks.clear()
        self.pending, self.shown_as = None, None

    def _chosen(self, node_id: str) -> None:
        self.bench.show_node(node_id)
        self._show_areas()
        self.drawing.chosen()
        self._soon.start()

    def _things(self, things: Things) -> None:
        self.view.things.put(things)
        site = self.document.recipe.site
        self.bench.pictures.count_things(things, site.width * site.depth / 10_000)

    def _shown(self, shown: Shown) -> None:
        if self.pending is None or shown.recipe is not self.pending.recipe or shown.node != self.pending.node:
            return
        site = shown.recipe.site
        if shown.final:
            self.relief = float(shown.ground.max() - shown.ground.min())
            self.relief_changed.emit()
            keys = self.engine.evaluator.keys(shown.recipe, self.document.folder)
            self.shown_as = (shown.node, shown.port, shown.level, keys[shown.node])
        dx, found = site.spacing(shown.level), {(b.node, b.port): b for b in shown.beside}
        other = found.get((self._other.node, self._other.port)) if self._other else None
        main, words = _content(shown, dx, shown.level, self._named), self._words
        masks = [(m, found[m]) for m in self.view.masks.ticked if m in found]
        if shown.works is not None:
            main = replace(main, key=(*main.key, id(shown.works)), kind=MASK, data=shown.works, water=None)
            words = f"where {shown.recipe.nodes[self._tinted].name} works" if self._tinted else words
        elif masks:
            numbers = tuple(self.view.masks.numbers[m] for m, _ in masks)
            main = replace(
                main,
                key=(*main.key, numbers, *(id(b.data) for _, b in masks)),
                kind=MASKS,
                data=(tuple(b.data for _, b in masks), numbers),
                water=None,
                names=tuple(self.view.masks.words_of(m) for m, _ in masks),
            )
        self.view.show_content(
            main,
            words,
            site.sea,
            rough=not shown.final,
            bare=site.bare,
            other=_content(other, dx, shown.level, self._other.words) if self._other and other else None,
        )
        if shown.final:
            self.sharpening.follow(self.pending)
        if self.view.section.on:
            grounds = [(n, found.get(ground_of(shown.recipe, n))) for n in self._cut]
            layers = [Layer(shown.node, self._named, shown.ground, shown.water)]
            layers += [Layer(n, shown.recipe.nodes[n].name, b.data, b.water) for n, b in grounds if b]
            self.view.section.show(layers)

    def _failed(self, node_id: str, text: str) -> None:
        self.canvas.set_fault(node_id, text)
        self.bench.show_fault(node_id, text, self.engine.trace_of(node_id))
        if self.pending is not None and node_id == self.canvas.chosen:
            self.said.emit(text)

    def _lost(self, request: Request, text: str) -> None:
        """Marks the picture as old: the one that stands is of something older."""
        if request is self.pending:
            self.halted = True
            self.view.settle()
            self.view.mark_old(text)
            self.said.emit(text)

    def _undrawn(self) -> None:
        self._trouble("the picture could not be drawn")

    def _trouble(self, words: str) -> None:
        """Work ended with a fault of the program's own."""
        self.halted, self._met = True, words  # cards that are done later do not make it fresh
        self.canvas.set_working("")
        self.view.settle()
        self.state_changed.emit(words)

    def _progress(self, fraction: float, label: str, left) -> None:
        self.canvas.set_working(label if fraction < 1 else "")
        self.progress.emit(fraction, label, left)

    def stopped(self) -> None:
        """The work was stopped: what there is is shown in full."""
        self.halted = True
        self.canvas.set_working("")
        self.view.settle()

    def _idle(self) -> None:
        self.view.settle()
        self.canvas.set_working("")
        self.tell_state()

    def tell_state(self) -> None:
        """Says whether all is up to date, or how many nodes failed or wait."""
        looks = self.canvas.looks.values()
        failed, waits = sum(bool(look.fault) for look in looks), sum(bool(look.waiting) for look in looks)
        words = f"{failed} failed" if failed else f"up to date · {waits} waiting" if waits else "up to date"
        self.state_changed.emit(self._met or words)

    # -- actions ----------------------------------------------------------------------------------------
    def hold(self, node_id: str = "") -> None:
        """Holds the view on a node, or lets it follow the chosen one again."""
        node_id = node_id or self.canvas.chosen
        self.canvas.held = "" if self.canvas.held == node_id else node_id
        self.canvas.update()
        self._soon.start()

    def bake(self, node_id: str) -> None:
        """Keeps a node's results up to the present detail beside the recipe."""
        if self.document.path is None:
            self.said.emit("Save the recipe first: a bake lies in a folder beside it.")
            return
        self.said.emit(
            f"Baking {self.document.recipe.nodes[node_id].name} up to "
            f"{self.document.recipe.site.samples(self.detail)} samples."
        )
        self.engine.bake(self.document.recipe, self.document.path, node_id, self.detail)

    def _baked(self, node_id: str, made: Bake) -> None:
        if node_id in self.document.recipe.nodes and self.document.edit(
            "Bake", lambda recipe: bake.set_bake(recipe, node_id, made)
        ):
            self.said.emit(
                f"{self.document.recipe.nodes[node_id].name} is baked; what comes before it is no longer computed."
            )

    def _tell_bakes(self) -> None:
        """Says on each baked card up to which detail it is baked, and when it is older than what comes into it."""
        recipe, overridden = self.document.recipe, bake.overridden_by_bake(self.document.recipe)
        words = {}
        for node_id, state in recipe.nodes.items():
            if state.bake is not None:
                same = self.engine.evaluator.bake_matches(recipe, node_id, self.document.folder)
                words[node_id] = (
                    f"baked {recipe.site.samples(state.bake.finest)}" if same else "bake is older than its inputs"
                )
            elif node_id in overridden:
                words[node_id] = "behind a bake"
        self.canvas.tell_bakes(words)

    def peek(self, on: bool) -> None:
        """Shows the chosen node's input while on."""
        if on != self.peeking:
            self.peeking = on
            self._soon.start()

    def set_detail(self, level: int) -> None:
        self.detail = level
        self._soon.start()

    def show_last(self) -> None:
        """Chooses the node that shows most of the recipe."""
        self.canvas.choose(last_node(self.document.recipe))
        self.canvas.show_top()
        self.bench.show_node(self.canvas.chosen)
        self._soon.start()


def _content(shown: Shown, dx: float, level: int, name: str) -> Content:
    """Content of the view, made from a computed output."""
    key = (id(shown.data), id(shown.ground), id(shown.water), level)
    return Content(key, shown.ground, dx, shown.kind, shown.data, shown.water, name)
