"""The Variants workspace: control sheet, sheet of variants, the selected one large with figures and kept ground."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QKeySequence, QShortcut
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QPushButton, QScrollArea, QSplitter, QVBoxLayout, QWidget

from gelande.app.document import Document
from gelande.app.engine import Engine
from gelande.app.variants.cards import Outcome
from gelande.core.recipe.model import Recipe
from gelande.core.regenerate import kept_ground, preset, variant

from ..flow import CutLabel, Flow
from .controls import ControlSheet
from .drawing import Drawing
from .figures import FigureTable
from .keeping import KeepPanel
from .large import LargeView
from .tilesheet import TileSheet

#: Milliseconds after a change until the sheet is computed anew; the large view follows at once.
SOON = 220


class VariantsPage(QWidget):
    """Ties the control sheet, the sheet of variants and the large view together."""

    said = pyqtSignal(str)
    progress = pyqtSignal(float, str, object)
    deliver_asked = pyqtSignal(list)
    state_changed = pyqtSignal(str)

    def __init__(self, document: Document, engine: Engine, parent=None) -> None:
        super().__init__(parent)
        self.document, self.engine = document, engine
        self.stars: dict[str, variant.Variant] = {}
        self.chosen = 0
        self.other: variant.Variant | None = None
        self._names: list[str] = []
        self._build()
        self._soon = QTimer(self, singleShot=True, interval=SOON)
        self._soon.timeout.connect(self.tiles.start)
        document.changed.connect(self._changed)
        document.opened.connect(self._opened)
        self.tiles.small_done.connect(self._tile_done)
        self.large.done.connect(self._tell_state)
        for keys, run in (("C", lambda: self.view.comparison.toggle()), ("N", self.next_seed)):
            QShortcut(QKeySequence(keys), self, run, context=Qt.ShortcutContext.WidgetWithChildrenShortcut)

    # -- parts ------------------------------------------------------------------------------------------
    def _build(self) -> None:
        self.sheet = ControlSheet(self.document)
        self.sheet.said.connect(self.said)
        self.sheet.setMinimumWidth(200)
        self.sheet.setMaximumWidth(268)
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(0)
        row.addWidget(self.sheet, 1)
        split = QSplitter(Qt.Orientation.Horizontal)
        split.setHandleWidth(2)
        split.setChildrenCollapsible(False)
        self.tiles = TileSheet(self.document, self.engine)
        self.tiles.said.connect(self.said)
        self.tiles.chose.connect(self.choose)
        self.tiles.starred.connect(self.toggle_star)
        self.tiles.made.connect(self._made)
        self.tiles.laid.connect(self._mark)
        split.addWidget(self.tiles)
        split.addWidget(self._right())
        split.setSizes([540, 472])
        row.addWidget(split, 3)

    def _right(self) -> QWidget:
        right = QWidget(objectName="sheet")
        right.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(right)
        column.setContentsMargins(0, 0, 0, 10)
        self.large = LargeView(self.document, self.engine, self.tiles.tile_order)
        self.large.said.connect(self.said)
        self.large.progress.connect(self.progress)
        self.large.side_changed.connect(lambda on: self.tiles.setVisible(not on))
        self.large.compare_asked.connect(self._ask_large)
        self.large.masked.connect(self.keep_area)
        self.view = self.large.view
        column.addWidget(self.large, 5)
        self.heading = CutLabel(objectName="title")
        self.figures, self.keeping = FigureTable(self.document), KeepPanel(self.document)
        self.keeping.said.connect(self.said)
        self.keeping.area_asked.connect(self._draw_area)
        self.keeping.outline_asked.connect(self._draw_outline)
        self.keeping.mask_asked.connect(self.keep_mask)
        self.drawing = Drawing(self.document, self.view, self)
        self.drawing.said.connect(self.said)
        self.drawing.drawn.connect(self.keep_area)
        self.drawing.ended.connect(self._tell_drawing)
        self.figures.pins_asked.connect(self.drawing.pins)
        self.sheet.draw_asked.connect(self.drawing.control)
        inner = QWidget(objectName="sheet")
        inside = QVBoxLayout(inner)
        inside.setContentsMargins(16, 2, 10, 2)
        inside.setSpacing(6)
        inside.addWidget(self.figures)
        inside.addWidget(QLabel("Kept ground", objectName="head"))
        inside.addWidget(self.keeping)
        inside.addStretch(1)
        rest = QScrollArea()
        rest.setWidgetResizable(True)
        rest.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        rest.setWidget(inner)
        head = QVBoxLayout()
        head.setContentsMargins(16, 4, 16, 0)
        head.addWidget(self.heading)
        column.addLayout(head)
        column.addWidget(rest, 4)
        column.addLayout(self._actions())
        return right

    def _actions(self) -> QVBoxLayout:
        around = QVBoxLayout()
        around.setContentsMargins(16, 0, 16, 0)
        row = Flow()
        self.use_button = QPushButton("Use this variant", objectName="primary")
        self.use_button.setToolTip("The controls and the seed become those of the selected variant")
        self.use_button.clicked.connect(self.use)
        self.next_seed_button = QPushButton("Next seed")
        self.next_seed_button.setToolTip("N. The recipe's seed plus one")
        self.next_seed_button.clicked.connect(self.next_seed)
        self.send_button = QPushButton("Deliver starred (0)")
        self.send_button.clicked.connect(lambda: self.deliver_asked.emit(list(self.stars.values())))
        for b in (self.use_button, self.next_seed_button, self.send_button):
            row.addWidget(b)
        around.addLayout(row)
        return around

    # -- what is shown ----------------------------------------------------------------------------------
    @property
    def variants(self) -> list[variant.Variant]:
        """The variants of the sheet."""
        return self.tiles.variants

    @property
    def selected(self) -> variant.Variant | None:
        """The variant that is shown large."""
        return self.variants[self.chosen] if self.chosen < len(self.variants) else None

    def enter(self) -> None:
        """The workspace is shown."""
        self.tiles.refresh()

    def refresh(self, keep_page: bool = False) -> None:
        """Makes the sheet anew for the recipe as it stands."""
        self.tiles.refresh(keep_page)

    def _opened(self) -> None:
        """Another recipe: its variants are not those of the one before."""
        self.stars.clear()
        self.tiles.figures.clear()
        self.chosen, self.other, self._names = 0, None, []
        self.drawing.end()
        self.large.forget()
        self._mark()

    def _changed(self, before: Recipe, after: Recipe) -> None:
        if self.isVisible():
            self.tiles.stop()  # what is looked at comes first
            self.tiles.make(keep_page=before is not None and before.seed == after.seed)
            self._soon.start()

    def _made(self) -> None:
        """The sheet was made anew. When it holds others than before, that which the recipe now is is selected."""
        names, self._names = self._names, [v.name for v in self.variants]
        if names != self._names and self.tiles.spread.paged:
            self.chosen = 0
        elif names != self._names:
            here, keys = self._key(self.document.recipe), [self._key(v.recipe) for v in self.variants]
            self.chosen = keys.index(here) if here in keys else 0
        if self.other is not None:  # the same one, as it is now
            self.other = next((v for v in self.variants if v.name == self.other.name), None)
        self._ask_large()

    def _ask_large(self) -> None:
        if self.selected is None:
            self.heading.setText("Make a landscape in Compose first." if not self.variants else "")
        self.tiles.large = self.selected.recipe if self.selected else None
        self.large.show_variants(self.selected, self._against())
        self._tell_state()
        recipe = self.selected.recipe if self.selected else self.document.recipe
        areas = [(k.name, k.outlines, k.on) for k in recipe.keeps]
        for view in (self.large.view, self.large.second):
            view.areas.show(areas, recipe.measures.pins)

    def _tile_done(self, index: int, _: Outcome) -> None:
        self._tell_state()
        card = self.tiles.cards[index]
        card.star = card.fresh and card.outcome.key in self.stars
        if index == self.chosen or self.other is not None and self.variants[index].name == self.other.name:
            self._show_figures()

    def _tell_state(self) -> None:
        """Says whether all that is asked for is there."""
        waits = any(c.variant is not None and not c.fresh for c in self.tiles.cards)
        if not self.variants:
            self.state_changed.emit("empty")
        else:
            self.state_changed.emit("working" if waits or not self.large.complete else "up to date")

    def _against(self) -> variant.Variant | None:
        """The variant that the selected one is compared with: the one before, or the recipe as it stands."""
        if self.other is not None:
            return self.other
        return variant.Variant("as it stands", self.document.recipe)

    def _mark(self) -> None:
        for k, card in enumerate(self.tiles.cards):
            card.chosen = k == self.chosen
            card.star = card.fresh and card.outcome.key in self.stars
            card.update()
        self.send_button.setText(f"Deliver starred ({len(self.stars)})")
        self.send_button.setEnabled(bool(self.stars))
        here = self.selected
        self.use_button.setEnabled(here is not None and self._key(here.recipe) != self._key(self.document.recipe))
        self._show_figures()

    def _key(self, recipe: Recipe) -> str:
        return self.tiles.key(recipe)

    def _show_figures(self) -> None:
        here = self.selected
        if here is None:
            self.figures.show_figures([])
            return
        columns = [(here.name, self.tiles.figures_of(here))]
        if self.other is not None and self.other.name != here.name:
            columns.append((self.other.name, self.tiles.figures_of(self.other)))
        against = f" against {columns[1][0]}" if len(columns) > 1 else ""
        self.heading.setText(here.name[:1].upper() + here.name[1:] + against)
        self.figures.show_figures(columns)

    # -- actions ----------------------------------------------------------------------------------------
    def choose(self, index: int) -> None:
        """Shows a variant large; the one chosen before is what its figures are set against."""
        if index != self.chosen and index < len(self.variants):
            self.other, self.chosen = self.selected, index
            self._mark()
            self._ask_large()

    def toggle_star(self, index: int) -> None:
        """Marks a variant for delivery, or takes the mark away."""
        if index >= len(self.variants):
            return
        v = self.variants[index]
        key = self._key(v.recipe)
        if self.stars.pop(key, None) is None:
            self.stars[key] = v
        self._mark()

    def use(self) -> None:
        """Makes the selected variant the recipe, as one undoable step."""
        v = self.selected
        if v is not None:
            self.document.edit("Use variant", lambda r: variant.use(r, v.recipe))

    def next_seed(self) -> None:
        """Another landscape of the same kind."""
        self.document.edit("Next seed", lambda r: replace(r, seed=(r.seed + 1) % (variant.LAST_SEED + 1)))

    # -- ground that stays --------------------------------------------------------------------------------
    def _draw_area(self, on: bool) -> None:
        if on and self.selected is not None:
            self.drawing.area()
            self._tell_drawing()
        else:
            self.drawing.end()

    def _draw_outline(self, index: int) -> None:
        if index < 0:
            self.drawing.end()
        else:
            self.drawing.outline(index)
            self._tell_drawing()

    def _tell_drawing(self) -> None:
        kind, which = self.drawing.what
        self.sheet.tell_drawing(which if kind == "control" and self.view.marks.drawing else "")
        self.keeping.tell_drawing(kind == "area", which if kind == "keep" else -1)

    def keep_area(self, outlines: tuple) -> None:
        """Keeps the selected variant's land inside outlines from now on."""
        v = self.selected
        if v is None:
            return
        of = preset.capture_preset(v.recipe)
        if self.document.edit("Keep area", lambda r: kept_ground.add(r, outlines, of=of)):
            name = self.document.recipe.keeps[-1].name
            self.said.emit(f"{name} stays as it is in {v.name}: try other seeds and controls now.")

    def keep_mask(self, node: str, port: str) -> None:
        """Keeps the selected variant's land where one of its masks is at least half white."""
        if self.selected is not None:
            self.large.ask_mask(self.selected, node, port)

    # -- ends -------------------------------------------------------------------------------------------
    def stop(self) -> None:
        """Stops what is being computed."""
        self.tiles.stop()
        self.large.stop()

    @property
    def busy(self) -> bool:
        """True when anything is being computed, or will be soon."""
        return self._soon.isActive() or self.tiles.busy or self.large.worker.busy

    def close_down(self) -> None:
        """Ends the threads."""
        self.tiles.close_down()
        self.large.close_down()
