"""The Variants workspace: control sheet, sheet of variants computed in the background, the chosen one with its
figures."""

from __future__ import annotations

from dataclasses import dataclass, replace

from PyQt6.QtCore import QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QPainter, QPen
from PyQt6.QtWidgets import QComboBox, QGridLayout, QHBoxLayout, QLabel, QPushButton, QSplitter, QVBoxLayout, QWidget

from gelande.core import model, variant
from gelande.core.errors import NodeError
from gelande.core.evaluate import Job, Stop
from gelande.core.figures import Figures, figures_of
from gelande.core.query import ground_under, last_node
from gelande.core.site import COARSEST
from gelande.kernels.light import lit_textures

from ..flow import Flow
from ..guard import floor
from ..pictures import image_of
from ..theme import mono, sans, theme
from ..view.compare import Content
from ..view.renderer import albedo_of
from ..view.widget import ViewWidget
from ..worker import Worker
from .controls import ControlSheet

COUNT = 9
SMALL, LARGE = COARSEST + 1, 3


@dataclass(frozen=True)
class Outcome:
    """What was computed of a variant: picture, figures, and for the large one the rasters."""

    key: str
    image: object = None
    figures: Figures | None = None
    shown: tuple | None = None
    fault: str = ""


class VariantCard(QWidget):
    """A picture from above with relief and walkable share, a name and a star."""

    clicked = pyqtSignal(int)
    starred = pyqtSignal(int)

    def __init__(self, index: int, parent=None):
        super().__init__(parent)
        self.index, self.variant, self.outcome = index, None, None
        self.chosen = self.star = False
        self.setMinimumSize(84, 96)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)

    def paintEvent(self, event):
        t, p = theme(), QPainter(self)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        r = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        p.setPen(QPen(t.colour("accent" if self.chosen or self.hasFocus() else "line"), 2 if self.chosen else 1))
        p.setBrush(t.colour("sheet"))
        p.drawRoundedRect(r, 3, 3)
        picture = r.adjusted(1, 1, -1, -27)
        o = self.outcome
        if o is not None and o.image is not None:
            wide = min(o.image.width(), o.image.height() * picture.width() / max(1, picture.height()))
            tall = min(o.image.height(), wide * picture.height() / max(1, picture.width()))
            source = QRectF((o.image.width() - wide) / 2, (o.image.height() - tall) / 2, wide, tall)
            p.drawImage(picture, o.image, source)
        else:
            p.fillRect(picture, t.colour("track"))
            p.setPen(t.colour("fault" if o and o.fault else "muted"))
            p.setFont(sans(9))
            p.drawText(
                picture,
                int(Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap),
                o.fault if o and o.fault else "waiting",
            )
        if o is not None and o.figures is not None:
            p.setFont(mono(8))
            text = f"{o.figures.relief:.0f} m · walkable {o.figures.walkable * 100:.0f} %"
            if p.fontMetrics().horizontalAdvance(text) > picture.width() - 22:
                text = f"{o.figures.relief:.0f} m"
            box = QRectF(picture.x() + 6, picture.y() + 6, p.fontMetrics().horizontalAdvance(text) + 10, 17)
            p.fillRect(box, t.colour("sheet", 225))
            p.setPen(t.colour("ink"))
            p.drawText(box, int(Qt.AlignmentFlag.AlignCenter), text)
        p.setPen(t.colour("ink"))
        p.setFont(mono(8.6))
        line = QRectF(r.x() + 8, r.bottom() - 25, r.width() - 34, 24)
        if self.variant:
            p.drawText(
                line,
                int(Qt.AlignmentFlag.AlignVCenter),
                p.fontMetrics().elidedText(self.variant.name, Qt.TextElideMode.ElideRight, int(line.width())),
            )
            p.setPen(t.colour("accent" if self.star else "muted"))
            p.setFont(sans(12))
            p.drawText(self.star_box(), int(Qt.AlignmentFlag.AlignCenter), "★" if self.star else "☆")

    def star_box(self) -> QRectF:
        return QRectF(self.width() - 27, self.height() - 26, 24, 24)

    def mousePressEvent(self, event):
        (self.starred if self.star_box().contains(event.position()) else self.clicked).emit(self.index)

    def keyPressEvent(self, event):
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.clicked.emit(self.index)
        elif event.key() == Qt.Key.Key_S:
            self.starred.emit(self.index)
        else:
            super().keyPressEvent(event)


class VariantsPage(QWidget):
    """Ties the control sheet, the sheet of variants and the large view together."""

    said = pyqtSignal(str)
    progress = pyqtSignal(float, str, object)
    deliver_asked = pyqtSignal(list)
    small_done = pyqtSignal(int, object)
    large_done = pyqtSignal(object)

    def __init__(self, document, engine, parent=None):
        super().__init__(parent)
        self.document, self.engine = document, engine
        self.spread, self.first = variant.SPREADS["seed"], 0
        self.variants: list[variant.Variant] = []
        self.stars: dict[str, variant.Variant] = {}
        self.chosen, self.other = 0, None
        self._figures: dict[str, Figures] = {}
        self.small_worker, self.large_worker = (
            Worker(
                n,
                lambda e: self.said.emit(
                    "The variants could not be computed: "
                    + ("not enough memory." if isinstance(e, MemoryError) else "a fault inside.")
                ),
            )
            for n in ("variants", "variant")
        )
        for w in (self.small_worker, self.large_worker):
            w.start()
        self._build()
        self._soon = QTimer(self, singleShot=True, interval=120)
        self._soon.timeout.connect(self.refresh)
        document.changed.connect(self._changed)
        document.opened.connect(self._opened)
        self.small_done.connect(self._small)
        self.large_done.connect(self._large)

    # -- parts ------------------------------------------------------------------------------------------
    def _build(self):
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
        split.addWidget(self._middle())
        split.addWidget(self._right())
        split.setSizes([556, 456])
        row.addWidget(split, 3)

    def _middle(self) -> QWidget:
        middle = QWidget(objectName="paper")
        column = QVBoxLayout(middle)
        column.setContentsMargins(12, 10, 12, 12)
        bar = Flow()
        self.mode_buttons = {}
        for key, spread in variant.SPREADS.items():
            button = self.mode_buttons[key] = QPushButton(spread.name)
            button.setCheckable(True)
            button.clicked.connect(lambda _=False, k=key: self.set_spread(k))
            bar.addWidget(button)
        self.which = QComboBox()
        self.which.activated.connect(lambda _: self.refresh())
        bar.addWidget(self.which)
        self.next_button = QPushButton("Next seeds")
        self.next_button.setToolTip(f"The next {COUNT} seeds")
        self.next_button.clicked.connect(self.next_seeds)
        bar.addWidget(self.next_button)
        self.count_label = QLabel(objectName="mono")
        bar.addWidget(self.count_label)
        column.addLayout(bar)
        grid = QGridLayout()
        grid.setSpacing(10)
        self.cards = [VariantCard(k) for k in range(COUNT)]
        for k, card in enumerate(self.cards):
            grid.addWidget(card, k // 3, k % 3)
            card.clicked.connect(self.choose)
            card.starred.connect(self.toggle_star)
        column.addLayout(grid, 1)
        return middle

    def _right(self) -> QWidget:
        right = QWidget(objectName="sheet")
        right.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(right)
        column.setContentsMargins(0, 0, 0, 12)
        self.view = ViewWidget()
        bar = self.view.bar
        for button in (bar.colours, bar.section, bar.compare, bar.masks):
            button.hide()
        column.addWidget(self.view, 1)
        inner = QVBoxLayout()
        inner.setContentsMargins(16, 4, 16, 0)
        self.heading = QLabel(objectName="title")
        inner.addWidget(self.heading)
        self.table = QGridLayout()
        self.table.setVerticalSpacing(3)
        inner.addLayout(self.table)
        row = Flow()
        self.use_button = QPushButton("Use this variant", objectName="primary")
        self.use_button.clicked.connect(self.use)
        self.next_seed_button = QPushButton("Next seed")
        self.next_seed_button.setToolTip("The recipe's seed plus one")
        self.next_seed_button.clicked.connect(self.next_seed)
        self.send_button = QPushButton("Deliver starred (0)")
        self.send_button.clicked.connect(lambda: self.deliver_asked.emit(list(self.stars.values())))
        for b in (self.use_button, self.next_seed_button, self.send_button):
            row.addWidget(b)
        inner.addLayout(row)
        column.addLayout(inner)
        return right

    # -- what is shown ----------------------------------------------------------------------------------
    def enter(self):
        """The workspace is shown."""
        self.refresh()

    def _opened(self):
        """Another recipe: its variants are not those of the one before."""
        self.stars.clear()
        self._figures.clear()
        self.chosen, self.other = 0, None
        self.which.clear()
        self.view.clear()
        self.view.forget_camera()
        self._mark()

    def _changed(self, before, after):
        if before.controls != after.controls:
            self._fill_which()
        if self.isVisible():
            self._soon.start()

    def _fill_which(self):
        now = self.which.currentText()
        self.which.clear()
        for control in self.document.recipe.controls:
            self.which.addItem(control.label)
        self.which.setCurrentIndex(max(0, self.which.findText(now)))

    def set_spread(self, key: str):
        """Lays the variants out in another way."""
        self.spread = variant.SPREADS[key]
        self.refresh()

    def next_seeds(self):
        """The next page of seeds."""
        self.spread, self.first = variant.SPREADS["seed"], self.first + COUNT
        self.refresh(keep_page=True)

    def next_seed(self):
        """Another landscape of the same kind."""
        self.document.edit("Next seed", lambda r: replace(r, seed=(r.seed + 1) % (variant.LAST_SEED + 1)))

    def refresh(self, keep_page: bool = False):
        """Makes the sheet of variants anew for the recipe as it stands."""
        recipe = self.document.recipe
        if not keep_page:
            self.first = recipe.seed
        if not self.which.count():
            self._fill_which()
        self.variants = self._make(recipe)
        for key, button in self.mode_buttons.items():
            button.setChecked(variant.SPREADS[key] is self.spread)
        self.which.setVisible(self.spread.by_control)
        self.next_button.setVisible(self.spread.paged)
        self.chosen = 0
        if self.spread.by_control:  # the one nearest to what the recipe is now
            keys = [self._key(v.recipe) for v in self.variants]
            self.chosen = keys.index(self._key(recipe)) if self._key(recipe) in keys else 0
        for k, card in enumerate(self.cards):
            card.variant = self.variants[k] if k < len(self.variants) else None
            card.outcome = None
            card.setVisible(card.variant is not None)
        self._mark()
        stop, jobs, folder = Stop(), list(enumerate(self.variants)), self.document.folder
        self.small_worker.ask(lambda: self._compute_small(jobs, folder, stop), stop)
        self._ask_large()

    def _make(self, recipe):
        if not last_node(recipe):
            return []
        control = recipe.controls[max(0, self.which.currentIndex())] if recipe.controls else None
        return self.spread.make(recipe, self.first, COUNT, control)

    def _key(self, recipe) -> str:
        node = last_node(recipe)
        return self.engine.evaluator.keys(recipe, self.document.folder)[node] if node else ""

    def _rasters(self, recipe, folder, stop, level, tell=None):
        """(kind, data, ground, depth of water over it or None) of the recipe's last node at a level."""
        node, job = last_node(recipe), Job(recipe, folder, stop, tell)
        port = recipe.nodes[node].spec.main
        data = self.engine.evaluator.run(job, node, level)[port.id]
        under, water = ground_under(self.engine.evaluator, job, node, port.id, level)
        return model.kind_at(recipe, node, port.id), data, under, water

    def _compute_small(self, jobs, folder, stop):
        for k, v in jobs:
            stop.check()
            try:
                kind, data, under, water = self._rasters(v.recipe, folder, stop, SMALL)
                dx = v.recipe.site.spacing(SMALL)
                seen = under if water is None else under + water
                top = lit_textures(seen, dx, 318.0, 34.0, albedo_of(kind, data), 0.12 * v.recipe.site.long_side, water)[
                    0
                ]
                outcome = Outcome(
                    self._key(v.recipe), image_of(top[..., :3]), figures_of(under, v.recipe.site, SMALL, water)
                )
            except NodeError as error:
                outcome = Outcome(self._key(v.recipe), fault=str(error))
            except (MemoryError, ArithmeticError, ValueError, LookupError) as error:
                floor.take(error, v.name)
                outcome = Outcome(self._key(v.recipe), fault="could not be computed")
            stop.check()
            self.small_done.emit(k, outcome)

    def _small(self, k: int, outcome):
        if k >= len(self.variants) or outcome.key != self._key(self.variants[k].recipe):
            return
        self.cards[k].outcome = outcome
        if outcome.figures:
            self._figures[outcome.key] = outcome.figures
            while len(self._figures) > 2000:
                del self._figures[next(iter(self._figures))]
        self.cards[k].update()
        done = sum(c.outcome is not None for c in self.cards[: len(self.variants)])
        self.count_label.setText(f"{done} of {len(self.variants)}")
        self._show_figures()

    def _ask_large(self):
        if not self.variants:
            self.view.clear()
            self.heading.setText("Make a landscape in Compose first.")
            return
        v, stop, folder = self.variants[self.chosen], Stop(), self.document.folder
        key = self._key(v.recipe)

        def run():
            for level in range(COARSEST, LARGE + 1):
                try:
                    kind, data, under, water = self._rasters(
                        v.recipe, folder, stop, level, lambda s, n, t: self.progress.emit(s, n, t)
                    )
                except NodeError as error:
                    self.large_done.emit(Outcome(key, fault=str(error)))
                    return
                stop.check()
                self.large_done.emit(Outcome(key, shown=(level, kind, data, under, water, v.recipe.site)))

        self.large_worker.ask(run, stop)

    def _large(self, outcome):
        if outcome.fault:
            self.said.emit(outcome.fault)
            self.view.mark_old(outcome.fault)
        elif self.variants and outcome.key == self._key(self.variants[self.chosen].recipe):
            level, kind, data, under, water, site = outcome.shown
            name = self.variants[self.chosen].name
            content = Content((outcome.key, level), under, site.spacing(level), kind, data, water, name)
            self.view.show_content(content, name, site.sea_level, rough=level < LARGE)

    def _mark(self):
        for k, card in enumerate(self.cards):
            card.chosen = k == self.chosen
            card.star = bool(card.variant) and self._key(card.variant.recipe) in self.stars
            card.update()
        self.send_button.setText(f"Deliver starred ({len(self.stars)})")
        self.send_button.setEnabled(bool(self.stars))
        self.use_button.setEnabled(
            bool(self.variants) and self._key(self.variants[self.chosen].recipe) != self._key(self.document.recipe)
        )
        self._show_figures()

    def _show_figures(self):
        while self.table.count():
            self.table.takeAt(0).widget().deleteLater()
        if not self.variants:
            return
        here = self.variants[self.chosen]
        columns = [(here.name, self._figures.get(self._key(here.recipe)))]
        if self.other is not None and self._key(self.other.recipe) != self._key(here.recipe):
            columns.append((self.other.name, self._figures.get(self._key(self.other.recipe))))
        self.heading.setText(
            here.name[:1].upper() + here.name[1:] + (f" against {columns[1][0]}" if len(columns) > 1 else "")
        )
        for c, (_name, figures) in enumerate(columns, 1):
            if figures is None:
                continue
            for r, (label, value) in enumerate(figures.lines()):
                if c == 1:
                    self.table.addWidget(QLabel(label), r, 0)
                cell = QLabel(value, objectName="mono")
                if c > 1:
                    cell.setStyleSheet(f"color: {theme().muted};")
                self.table.addWidget(cell, r, c)

    # -- actions ----------------------------------------------------------------------------------------
    def choose(self, index: int):
        """Shows a variant large; the one chosen before is what its figures are set against."""
        if index != self.chosen and index < len(self.variants):
            self.other, self.chosen = self.variants[self.chosen], index
            self._mark()
            self._ask_large()

    def toggle_star(self, index: int):
        if index >= len(self.variants):
            return
        v = self.variants[index]
        key = self._key(v.recipe)
        if self.stars.pop(key, None) is None:
            self.stars[key] = v
        self._mark()

    def use(self):
        """Makes the chosen variant the recipe, as one undoable step."""
        if not self.variants:
            return
        v = self.variants[self.chosen]
        self.document.edit("Use variant", lambda r: v.recipe)

    def stop(self):
        self.small_worker.stop_now()
        self.large_worker.stop_now()
        self.view.settle()

    def close_down(self):
        for w in (self.small_worker, self.large_worker):
            w.close()
            w.join(5)
        self.view.close_renderer()
