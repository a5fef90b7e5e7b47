"""The sheet of variants: how they are made, ordered and seen, computed in the background coarse to fine, those on
screen first."""

from __future__ import annotations

import threading
from collections import deque
from dataclasses import replace
from math import isqrt
from pathlib import Path

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import (
    QFileDialog,
    QGridLayout,
    QLabel,
    QLineEdit,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from gelande.app.document import Document
from gelande.app.engine import Engine
from gelande.core.errors import NodeError
from gelande.core.evaluate.cache import Cache
from gelande.core.evaluate.executor import Evaluator, Job, Stop
from gelande.core.evaluate.query import ground_under, last_node
from gelande.core.files import numerals
from gelande.core.files.disk import reason_of
from gelande.core.recipe import kinds
from gelande.core.recipe.choices import FigureChoice
from gelande.core.recipe.model import Recipe
from gelande.core.recipe.site import COARSEST
from gelande.core.regenerate import variant
from gelande.core.regenerate.figures import FIGURES, USUAL, Figures, figures_of
from gelande.deliver.names import slug
from gelande.kernels.bands import Stopped, on_this_thread
from gelande.scene import sheet
from gelande.scene.relief import Tones

from ..crash_handler import crash_handler
from ..flow import Flow
from ..pictures import image_of
from ..switches import Pick, Switch, Tick
from ..theme import theme
from ..worker import Worker
from .cards import Outcome, VariantCard
from .tile_order import TileOrder

#: Levels at which tiles are computed, one pass after the other, and threads that do it.
LEVELS, THREADS = (COARSEST, COARSEST + 1), 2
#: Bytes of results on the way that a sheet keeps: the recipe's own results stay where they are.
ROOM = 350_000_000
#: Pixels that a tile is wide at least, and of a tile in Relief.
LEAST, RELIEF_SIZE = 104, 240
AS_MADE = "As made"


class TileSheet(QWidget):
    """Variants as tiles. ``chose`` carries the number of the variant that was clicked, ``made`` comes when the sheet
    is another one, ``laid`` when its tiles are in place, ``small_done`` when one was computed."""

    said = pyqtSignal(str)
    chose = pyqtSignal(int)
    starred = pyqtSignal(int)
    made = pyqtSignal()
    laid = pyqtSignal()
    small_done = pyqtSignal(int, object)

    def __init__(self, document: Document, engine: Engine, parent=None) -> None:
        super().__init__(parent)
        self.setObjectName("paper")
        self.document, self.engine = document, engine
        self.large: Recipe | None = None  # of the variant that is shown large
        self.evaluator = Evaluator(Cache(ROOM), keys=engine.evaluator.known_keys)
        self.tile_order = TileOrder(LEVELS)
        self.spread, self.first, self.look = variant.SPREADS["seed"], 0, sheet.PLAN
        self.variants: list[variant.Variant] = []
        self.cards: list[VariantCard] = []
        self.figures: dict[str, Figures] = {}
        self.workers = [Worker(f"variants {k}", self._told) for k in range(THREADS)]
        for worker in self.workers:
            worker.start()
        self._build()
        self.small_done.connect(self._small)
        self._place = QTimer(self, singleShot=True, interval=60)
        self._place.timeout.connect(self._lay)

    def _told(self, error: BaseException) -> None:
        why = "not enough memory" if isinstance(error, MemoryError) else "a fault inside"
        self.said.emit(f"The variants could not be computed: {why}.")

    # -- parts ------------------------------------------------------------------------------------------
    def _build(self) -> None:
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 10, 12, 8)
        bar = Flow()
        for w in (*self._ways(), *self._orders()):
            bar.addWidget(w)
        column.addLayout(bar)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.inner = QWidget(objectName="paper")
        self.grid = QGridLayout(self.inner)
        self.grid.setContentsMargins(0, 0, 0, 0)
        self.grid.setSpacing(8)
        self.area.setWidget(self.inner)
        column.addWidget(self.area, 1)
        self.empty = QLabel(objectName="muted")
        self.empty.setWordWrap(True)
        self.empty.hide()
        column.addWidget(self.empty)

    def _ways(self) -> list[QWidget]:
        """Row that chooses how the variants are made, and how many."""
        self.way = Pick("Variants by")
        for key, spread in variant.SPREADS.items():
            self.way.addItem(spread.name, key)
        self.way.setToolTip("How the variants of the sheet are made")
        self.way.activated.connect(lambda _: self.set_spread(self.way.currentData()))
        self.which, self.other = Pick("Control across"), Pick("Control down")
        self.one, self.two = Pick("From preset"), Pick("To preset")
        for box, tip in (
            (self.which, "The control that changes, with two from column to column"),
            (self.other, "The control that changes from row to row"),
            (self.one, "The preset that the sheet begins with"),
            (self.two, "The preset that it ends with"),
        ):
            box.setToolTip(tip)
            box.setSizeAdjustPolicy(Pick.SizeAdjustPolicy.AdjustToContents)
            box.activated.connect(lambda _: self.refresh())
        self.count = Pick("How many tiles")
        for n in variant.COUNTS:
            self.count.addItem(f"{n} tiles", n)
        self.count.setCurrentIndex(variant.COUNTS.index(9))
        self.count.activated.connect(lambda _: self.refresh(keep_page=True))
        self.next_button = QPushButton("Next seeds")
        self.next_button.setToolTip("As many seeds more as there are tiles")
        self.next_button.clicked.connect(self.next_seeds)
        return [self.way, self.which, self.other, self.one, self.two, self.count, self.next_button]

    def _orders(self) -> list[QWidget]:
        """Row that chooses how they are seen, ordered and left out."""
        self.look_buttons = {}
        for name in (sheet.PLAN, sheet.RELIEF):
            button = self.look_buttons[name] = Switch(name)
            button.setChecked(name == self.look)
            button.clicked.connect(lambda _=False, n=name: self.set_look(n))
        self.sort = Pick("Order")
        self.sort.addItem(AS_MADE, "")
        for key, figure in FIGURES.items():
            self.sort.addItem(f"By {figure.label.lower()}", key)
        self.sort.setToolTip("The variant with most of this comes first")
        self.sort.activated.connect(lambda _: self._lay())
        self.least = QLineEdit()
        self.least.setPlaceholderText("at least")
        self.least.setFixedWidth(70)
        self.least.editingFinished.connect(self._lay)
        self.within = Tick("Within limits")
        self.within.setToolTip("Leaves out variants that are outside the recipe's limits")
        self.within.toggled.connect(lambda _: self._lay())
        self.save_button = QPushButton("Save picture…")
        self.save_button.setToolTip("Writes the sheet with its figures as a PNG file")
        self.save_button.clicked.connect(self.ask_save)
        self.count_label = QLabel(objectName="mono")
        self.least.hide()
        rest = [self.sort, self.least, self.within, self.save_button, self.count_label]
        return [*self.look_buttons.values(), *rest]

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._place.start()

    # -- what the sheet is made of ------------------------------------------------------------------------
    def fill(self) -> None:
        """Names of controls and presets in the lists from which they are chosen."""
        recipe = self.document.recipe
        controls = [c.label for c in recipe.controls if variant.can_sweep(recipe, c)]
        presets = [s.name for s in recipe.presets]
        for box, names, at in (
            (self.which, controls, 0),
            (self.other, controls, 1),
            (self.one, presets, 0),
            (self.two, presets, 1),
        ):
            now = box.currentText()
            if [box.itemText(k) for k in range(box.count())] != names:
                box.clear()
                box.addItems(names)
                box.setCurrentIndex(box.findText(now) if now in names else min(at, len(names) - 1))
        for first, second in ((self.which, self.other), (self.one, self.two)):
            if second.count() > 1 and second.currentIndex() == first.currentIndex():
                second.setCurrentIndex(1 if first.currentIndex() == 0 else 0)
        limited = any(c.low is not None or c.high is not None for c in recipe.figures)
        self.within.setVisible(limited)

    def _ask(self) -> variant.Ask:
        recipe = self.document.recipe
        controls = {c.label: c for c in recipe.controls}
        presets = {s.name: s for s in recipe.presets}
        return variant.Ask(
            self.count.currentData(),
            self.first,
            controls.get(self.which.currentText()),
            controls.get(self.other.currentText()),
            presets.get(self.one.currentText()),
            presets.get(self.two.currentText()),
        )

    def set_spread(self, key: str) -> None:
        """Lays the variants out in another way."""
        self.spread = variant.SPREADS[key]
        self.way.setCurrentIndex(self.way.findData(key))
        self.refresh()

    def set_look(self, look: str) -> None:
        """Sees the tiles from above, or in Relief."""
        self.look = look
        for name, button in self.look_buttons.items():
            button.setChecked(name == look)
        self.start(anew=True)

    def next_seeds(self) -> None:
        """The next page of seeds."""
        self.first = (self.first + self.count.currentData()) % (variant.LAST_SEED + 1)
        self.refresh(keep_page=True)

    def make(self, keep_page: bool = False) -> None:
        """Makes the list of variants anew for the recipe as it stands; nothing is computed yet."""
        recipe = self.document.recipe
        if not keep_page:
            self.first = recipe.seed
        self.fill()
        self.variants = self.spread.make(recipe, self._ask()) if last_node(recipe) else []
        self.made.emit()  # first of all, so that the large picture waits for nothing
        for box, on in (
            (self.which, self.spread.controls > 0),
            (self.other, self.spread.controls > 1),
            (self.one, self.spread.presets > 0),
            (self.two, self.spread.presets > 1),
            (self.next_button, self.spread.paged),
        ):
            box.setVisible(on)
        while len(self.cards) < len(self.variants):
            card = VariantCard(len(self.cards))
            card.picked.connect(self.chose)
            card.starred.connect(self.starred)
            self.cards.append(card)
        for k, card in enumerate(self.cards):
            card.variant = self.variants[k] if k < len(self.variants) else None
            if card.variant is None:
                card.outcome = None
        self._say_empty(recipe)
        self._lay()
        self.laid.emit()

    def refresh(self, keep_page: bool = False) -> None:
        """Makes the sheet anew, and computes it."""
        self.stop()
        self.tile_order.hold()  # the sheet is what was asked for: the large picture comes coarse, and fine after it
        self.make(keep_page)
        self.start()

    def _say_empty(self, recipe: Recipe) -> None:
        words = ""
        if not last_node(recipe):
            words = "Make a landscape in Compose first."
        elif not self.variants and self.spread.controls:
            what = "a control" if self.spread.controls == 1 else "two controls"
            words = f"Publish {what} with a range first: seeds cannot be swept."
        elif not self.variants:
            words = "Keep two presets by name first: they stand above the control sheet."
        self.empty.setText(words)
        self.empty.setVisible(bool(words))

    def figures_of(self, v: variant.Variant) -> Figures | None:
        """A variant's figures, as far as they are known."""
        here = next((c for c in self.cards if c.fresh and c.outcome.recipe is v.recipe), None)
        return here.outcome.figures if here is not None else self.figures.get(self.key(v.recipe))

    def key(self, recipe: Recipe) -> str:
        """Key of an outcome with its figures."""
        node = last_node(recipe)
        site = recipe.site
        rests_on = f"{recipe.measures} {site.sea} {site.bare}"  # what is seen and counted, besides the land
        return f"{self.evaluator.keys(recipe, self.document.folder)[node]} {rests_on}" if node else ""

    # -- computing ----------------------------------------------------------------------------------------
    def start(self, anew: bool = False) -> None:
        """Computes what is not there yet. anew: all pictures, since they are seen otherwise now."""
        if anew:
            for card in self.cards:
                card.outcome = None
                card.update()
        stop, folder, look, tones = Stop(), self.document.folder, self.look, theme().tones
        todo: deque = deque(self._todo())
        self._say_count()
        before = [card.outcome for card in self.cards]
        guard = threading.Lock()
        begun = self.tile_order.begin((k, level) for k, level, _ in todo)

        def run() -> None:
            try:
                while True:
                    stop.check()
                    with guard:
                        if not todo:
                            return
                        k, level, v = todo.popleft()
                    with on_this_thread():  # the other thread has a tile of its own
                        outcome = self._compute(v, level, folder, stop, look, tones, before[k])
                    stop.check()
                    self.small_done.emit(k, outcome)
                    self.tile_order.done(begun, k, level)
            except Stopped:
                raise  # the turns are those of what came instead
            except BaseException:
                self.tile_order.release()  # nobody waits for what will not come
                raise

        for worker in self.workers:
            worker.ask(run, stop)

    def _todo(self) -> list[tuple[int, int, variant.Variant]]:
        """Tiles to be computed: coarse before fine, and what is on screen first."""
        order = self._order()
        seen = [k for k in order if not self.cards[k].visibleRegion().isEmpty()]
        order = [*seen, *(k for k in order if k not in set(seen))]
        order.sort(key=lambda k: self.variants[k].recipe is not self.large)
        found = []
        for level in LEVELS:
            for k in order:
                card = self.cards[k]
                if not card.fresh or card.outcome.level < level and not card.outcome.fault:
                    found.append((k, level, self.variants[k]))
        return found

    def _compute(
        self, v: variant.Variant, level: int, folder: Path, stop: Stop, look: str, tones: Tones, old: Outcome | None
    ) -> Outcome:
        key = self.key(v.recipe)
        if old is not None and old.key == key and old.level >= level:  # another recipe with the same land
            return replace(old, recipe=v.recipe)
        # of the one that is shown large, too, what is known is in the window's own results
        evaluator = self.engine.evaluator if v.recipe is self.large else self.evaluator
        try:
            node, job, site = last_node(v.recipe), Job(v.recipe, folder, stop), v.recipe.site
            port = v.recipe.nodes[node].declared.result.id
            data = evaluator.result(job, node, level)[port]
            under, water = ground_under(evaluator, job, node, port, level)
            kind, dx = kinds.kind_at(v.recipe, node, port), site.spacing(level)
            if look == sheet.RELIEF:
                picture = sheet.relief_picture(kind, data, under, water, site, dx, RELIEF_SIZE, tones)
            else:
                picture = sheet.plan_picture(kind, data, under, water, site, dx)
            figures = figures_of(under, site, level, water, v.recipe.measures)
            return Outcome(key, level, image_of(picture), figures, "", picture, v.recipe)
        except NodeError as error:
            return Outcome(key, level, fault=str(error), recipe=v.recipe)
        except (MemoryError, ArithmeticError, ValueError, LookupError) as error:
            crash_handler.take(error, v.name)
            return Outcome(key, level, fault="could not be computed", recipe=v.recipe)

    def _small(self, k: int, outcome: Outcome) -> None:
        if k >= len(self.variants) or outcome.recipe is not self.variants[k].recipe:
            return
        self.cards[k].outcome = outcome
        if outcome.figures:
            self.figures[outcome.key] = outcome.figures
            while len(self.figures) > 2000:
                del self.figures[next(iter(self.figures))]
        self._tell(k)
        self.cards[k].update()
        self._say_count()
        if self.sort.currentData() or self.within.isChecked():
            self._place.start()

    def _tell(self, k: int) -> None:
        """Sets the words in a tile."""
        card, recipe = self.cards[k], self.document.recipe
        figures = card.outcome.figures if card.fresh else None
        choices = recipe.figures or USUAL
        card.told, card.outside = (), False
        if figures is not None:
            by = self.sort.currentData()
            first = [by] if by else [c.figure for c in choices[:2]]
            card.told = tuple(f"{_short(f)}{figures.text(f)}" for f in first)
            card.outside = bool(figures.misses(choices))

    def _say_count(self) -> None:
        done = sum(c.fresh for c in self.cards[: len(self.variants)])
        self.count_label.setText(f"{done} of {len(self.variants)}")

    def _least(self) -> FigureChoice | None:
        """Least value of the figure that it is ordered by, as it is typed."""
        by, text = self.sort.currentData(), self.least.text().strip()
        self.least.setVisible(bool(by))
        if not by or not text:
            return None
        figure = FIGURES[by]
        try:
            return FigureChoice(by, numerals.read(text.removesuffix(figure.unit).strip()) * figure.factor)
        except ValueError:
            self.said.emit(f"At least {text!r} is no number; give it in {figure.unit}.")
            self.least.clear()
            return None

    def _order(self) -> list[int]:
        """Numbers of the variants that are shown, in order."""
        found = [c.outcome.figures if c.fresh else None for c in self.cards[: len(self.variants)]]
        order = variant.order(found, self.sort.currentData() or "")
        if self.within.isChecked() and self.within.isVisibleTo(self):
            fits = variant.fitting(found, self.document.recipe.figures)
            order = [k for k in order if fits[k]]
        least = self._least()
        if least is not None:
            fits = variant.fitting(found, (least,))
            order = [k for k in order if fits[k]]
        return order

    def _lay(self) -> None:
        """Puts the tiles in their order, as many beside each other as belong together or find room."""
        while self.grid.count():
            self.grid.takeAt(0)
        order = self._order()
        for k, card in enumerate(self.cards):
            card.setVisible(k in order)
            if k in order:
                self._tell(k)
                card.update()
        room = max(1, (self.area.viewport().width() + 8) // (LEAST + 8))
        columns = max(1, isqrt(max(0, len(self.variants) - 1)) + 1)
        columns = columns if self.spread.controls > 1 else min(columns, room)
        side = (self.area.viewport().width() - 8 * (columns - 1)) // columns
        rows = -(-len(order) // columns)
        tall = max(96, min(side + 27, (self.area.viewport().height() - 8 * (rows - 1)) // max(1, rows)))
        for place, k in enumerate(order):
            self.cards[k].setFixedHeight(max(tall, min(side, LEAST) + 27))
            self.cards[k].setMinimumWidth(min(84, side))
            self.grid.addWidget(self.cards[k], place // columns, place % columns)
        self.grid.setRowStretch(rows, 1)
        for r in range(rows):
            self.grid.setRowStretch(r, 0)

    def ask_save(self) -> None:
        """Asks where the sheet is to be written."""
        site = self.document.recipe.site
        start = self.document.folder / f"{slug(site.name)}_variants.png"
        name, _ = QFileDialog.getSaveFileName(self, "Save the sheet", str(start), "Pictures (*.png)")
        if name:
            self.save(name if name.endswith(".png") else name + ".png")

    def save(self, path: Path) -> None:
        """Writes the tiles that are shown with their figures as PNG."""
        recipe = self.document.recipe
        choices = recipe.figures or USUAL
        shown = [(self.cards[k], self.variants[k]) for k in self._order()]
        pictures = [
            (c.outcome.picture, sheet.caption(v.name, c.outcome.figures, choices))
            for c, v in shown
            if c.fresh and c.outcome.picture is not None
        ]
        if not pictures:
            self.said.emit("There is nothing to save yet.")
            return
        try:
            sheet.save_sheet(sheet.sheet_image(pictures, f"{recipe.site.name}: {len(pictures)} variants"), path)
        except OSError as error:
            self.said.emit(f"{path} cannot be written: {reason_of(error)}.")
        else:
            self.said.emit(f"Wrote {path}.")

    def stop(self) -> None:
        """Stops what is being computed."""
        for worker in self.workers:
            worker.stop_now()
        self.tile_order.release()

    @property
    def busy(self) -> bool:
        """True when tiles are being computed."""
        return any(worker.busy for worker in self.workers)

    def close_down(self) -> None:
        """Ends the threads."""
        for worker in self.workers:
            worker.close()
        for worker in self.workers:
            worker.join(5)


def _short(figure: str) -> str:
    """The word before a figure in a tile, where its value does not say enough."""
    words = {"relief": "", "highest": "top ", "lowest": "low ", "area": "area ", "stream": "stream ", "sight": "sight "}
    return words.get(figure, f"{figure} ")
