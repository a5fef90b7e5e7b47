"""The control sheet as rows by group: what an artist sets, and what the author arranges."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import QEvent, QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QLabel, QMenu, QPushButton, QScrollArea, QVBoxLayout, QWidget

from gelande.app.document import Document
from gelande.app.editors.numbers import NumberRow
from gelande.core.recipe import control as C
from gelande.core.recipe import model
from gelande.core.recipe.model import Control, Recipe
from gelande.core.regenerate import preset

from ..editors import DOT, make_row
from ..flow import Flow
from .locks import Locks
from .panel import ControlPanel
from .presets import PresetBar


class ControlSheet(QWidget):
    """Rows that set the recipe's controls. A dot marks what is not as the author left it, and sets it back; for the
    author, rows are dragged by their left edge, and a right click edits, moves and removes them."""

    said = pyqtSignal(str)
    draw_asked = pyqtSignal(str, bool)

    def __init__(self, document: Document, parent=None) -> None:
        super().__init__(parent)
        self.setObjectName("sheet")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.document = document
        self.rows: dict[str, QWidget] = {}
        self.heads: dict[str, QPushButton] = {}
        self.folded: set[str] = set()
        self.panel: ControlPanel | None = None
        self._dragged = ""
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 12, 10, 10)
        column.setSpacing(5)
        column.addWidget(QLabel("Control sheet", objectName="title"))
        self.about = QLabel("What this landscape lets you change", objectName="muted")
        self.about.setWordWrap(True)
        column.addWidget(self.about)
        self.presets = PresetBar(document)
        self.presets.said.connect(self.said)
        column.addWidget(self.presets)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.inner = QWidget(objectName="sheet")
        self.list = QVBoxLayout(self.inner)
        self.list.setContentsMargins(0, 4, 8, 4)
        self.list.setSpacing(7)
        area.setWidget(self.inner)
        column.addWidget(area, 1)
        self.locks = Locks(document)
        column.addWidget(self.locks)
        row = Flow()
        self.reset_button = QPushButton("Reset all")
        self.reset_button.setToolTip("Sets every control and seed back to what it was when the recipe was opened")
        self.reset_button.clicked.connect(self.reset_all)
        row.addWidget(self.reset_button)
        self.seed_button = QPushButton("Publish the recipe's seed")
        self.seed_button.clicked.connect(lambda: document.edit("Publish", lambda r: C.publish(r, model.RECIPE, "seed")))
        row.addWidget(self.seed_button)
        column.addLayout(row)
        self.gap = QFrame(self.inner, objectName="rule")  # where a dragged row would go
        self.gap.setFixedHeight(3)
        self.gap.hide()
        document.changed.connect(self._changed)
        self._shape: tuple | None = None
        self._changed(None, document.recipe)

    # -- what is shown ----------------------------------------------------------------------------------
    def _changed(self, before: Recipe | None, after: Recipe) -> None:
        shape = (
            tuple((c.label, c.group, c.low, c.high, c.targets, c.closed, c.help, c.step) for c in after.controls),
            tuple(C.shown(after, c) for c in after.controls),
            tuple(sorted(self.folded)),
        )
        if shape != self._shape:
            self._shape = shape
            self._rebuild(after)
        for control in after.controls:
            row = self.rows.get(control.label)
            if C.param_of(after, control) is None:  # what it set is gone
                continue
            if row is not None and row.value != (value := C.value_of(after, control)):
                row.set_value(value)
        self._mark(after)

    def _mark(self, recipe: Recipe) -> None:
        """Shows which controls are not as they were when the recipe was opened."""
        moved = 0
        for control in recipe.controls:
            row, usual = self.rows.get(control.label), self.usual(control)
            if C.param_of(recipe, control) is None:
                continue
            other = usual is not None and usual != C.value_of(recipe, control)
            moved += other
            if row is not None and row.published != other:
                row.published = other
                row.update()
        free = preset.capture_preset(self.document.origin).locks == recipe.locks
        self.reset_button.setEnabled(bool(moved) or not free)
        self.reset_button.setText(f"Reset all ({moved})" if moved else "Reset all")

    def usual(self, control: Control) -> float | tuple | None:
        """The value that a control had when the recipe was opened or saved; None when there was none."""
        origin = self.document.origin
        same = (c for c in origin.controls if c.targets == control.targets and C.param_of(origin, c) is not None)
        return next((C.value_of(origin, c) for c in same), None)

    def _rebuild(self, recipe: Recipe) -> None:
        while self.list.count():
            item = self.list.takeAt(0)
            if item.widget():
                item.widget().deleteLater()
        self.rows, self.heads = {}, {}
        for group in dict.fromkeys(c.group for c in recipe.controls):
            held = [c for c in recipe.controls if c.group == group and C.shown(recipe, c)]
            if not held:
                continue
            head = self.heads[group] = QPushButton(
                f"{'▸' if group in self.folded else '▾'}  {group or 'Other'}", objectName="fold"
            )
            head.setToolTip("Folds this group, or opens it")
            head.clicked.connect(lambda _=False, g=group: self.fold(g))
            self.list.addWidget(head)
            rule = QFrame(objectName="rule")
            rule.setFixedHeight(1)
            self.list.addWidget(rule)
            for control in held if group not in self.folded else ():
                self._add_row(recipe, control)
        self.list.addStretch(1)
        locked = self.document.locked
        published = any(preset.drives_seed(c) for c in recipe.controls)
        self.seed_button.setVisible(not published and not locked)
        by = f" Made by {recipe.author}." if recipe.author else ""
        self.about.setText(
            f"What this landscape lets you change.{by}"
            if recipe.controls
            else "Nothing is published yet. In Compose, click the dot beside a parameter to put it here."
            if not locked
            else f"The author has published nothing.{by}"
        )

    def _add_row(self, recipe: Recipe, control: Control) -> None:
        param = C.param_of(recipe, control)
        if param is None:
            self.list.addWidget(QLabel(f"{control.label}: not known to this version", objectName="muted"))
            return
        value, usual = C.value_of(recipe, control), self.usual(control)
        shown = replace(param, label=control.label, help=control.help or param.help)
        row = make_row(
            shown,
            value,
            control.low,
            control.high,
            value if usual is None else usual,
            published=False,
            publishable=False,
            parent=self.inner,
        )
        if usual is not None and not param.drawn:
            row.setToolTip(f"{shown.help}\nAs opened: {param.text(usual)}. A dot marks a change; click it to go back.")
        if control.closed and self.document.locked:
            row.setEnabled(False)
            row.setToolTip(f"{shown.help}\nThe author keeps this one as it is.")
        row.edited.connect(lambda _, value, label=control.label: self.set_value(label, value))
        row.refused.connect(self.said)
        row.draw_asked.connect(lambda _, on, label=control.label: self.draw_asked.emit(label, on))
        row.menu_asked.connect(lambda _, place, label=control.label: self._menu(label, place))
        row.without_keep()
        row.installEventFilter(self)
        self.rows[control.label] = row
        self.list.addWidget(row)

    def tell_drawing(self, label: str) -> None:
        """Shows which control is being drawn on the land, "" for none."""
        for name, row in self.rows.items():
            if row.param.drawn:
                row.tell_drawing(name == label, False)

    def fold(self, group: str) -> None:
        """Folds a group, or opens it."""
        self.folded ^= {group}
        self._changed(None, self.document.recipe)

    # -- setting ----------------------------------------------------------------------------------------
    def set_value(self, label: str, value: float) -> None:
        """Sets a control as one undoable step."""
        control = C.find(self.document.recipe, label)
        value = C.stepped(self.document.recipe, control, value)
        if not self.document.edit(
            f"Set {label.lower()}", lambda r: C.set_control(r, control, value), f"control.{label}"
        ):
            self.rows[label].set_value(C.value_of(self.document.recipe, control))

    def reset(self, label: str) -> None:
        """Sets one control back."""
        control = C.find(self.document.recipe, label)
        usual = self.usual(control)
        if usual is not None and not (control.closed and self.document.locked):
            self.document.edit(f"Reset {label.lower()}", lambda r: C.set_control(r, control, usual))

    def reset_all(self) -> None:
        """Sets every control and seed back to what it was when the recipe was opened."""
        usual = preset.capture_preset(self.document.origin)
        self.document.edit("Reset all controls", lambda r: preset.apply_preset(r, usual)[0])

    # -- arranging --------------------------------------------------------------------------------------
    def _menu(self, label: str, place) -> None:
        recipe = self.document.recipe
        control = C.find(recipe, label)
        menu = QMenu(self)
        back = menu.addAction("Reset", lambda: self.reset(label))
        back.setEnabled(self.usual(control) not in (None, C.value_of(recipe, control)))
        if not self.document.locked:
            index = recipe.controls.index(control)
            menu.addAction("Edit", lambda: self.edit(label, place))
            up = menu.addAction("Move up", lambda: self.move_to(label, index - 1))
            down = menu.addAction("Move down", lambda: self.move_to(label, index + 1))
            up.setEnabled(index > 0)
            down.setEnabled(index + 1 < len(recipe.controls))
            menu.addAction(
                "Take off the sheet",
                lambda: self.document.edit(
                    "Unpublish", lambda r: replace(r, controls=tuple(c for c in r.controls if c is not control))
                ),
            )
        menu.exec(place)
        menu.deleteLater()

    def move_to(self, label: str, index: int, group: str | None = None) -> None:
        """Puts a control at another place of the sheet, into another group if need be."""
        control = C.find(self.document.recipe, label)

        def moved(recipe: Recipe) -> Recipe:
            recipe = C.reorder(recipe, control, index)
            if group is None or group == control.group:
                return recipe
            return C.replace_control(recipe, control, replace(control, group=group))

        self.document.edit("Reorder", moved)

    def edit(self, label: str, place: QPoint) -> None:
        """Opens the panel of one control."""
        if self.panel is not None:
            self.panel.deleteLater()
        self.panel = ControlPanel(self.document, label, self)
        self.panel.move(place)
        self.panel.show()

    def eventFilter(self, row, event) -> bool:
        """A press on the left edge of a row sets it back, or begins to drag it."""
        kind = event.type()
        if kind == QEvent.Type.MouseButtonPress and event.position().x() < DOT:
            self._dragged = "" if self.document.locked else row.param.label
            return True
        if kind == QEvent.Type.MouseMove and self._dragged:
            before = self._before(row.mapTo(self.inner, event.position().toPoint()).y())
            below = max((r.geometry().bottom() + 3 for r in self.rows.values()), default=0)
            self.gap.setGeometry(DOT, before.y() - 5 if before is not None else below, self.inner.width() - DOT, 3)
            self.gap.setVisible(not row.rect().contains(event.position().toPoint()))
            self.gap.raise_()
            return True
        if kind == QEvent.Type.MouseButtonRelease and event.position().x() < DOT:
            dragged, self._dragged = self._dragged, ""
            self.gap.hide()
            if row.rect().contains(event.position().toPoint()):
                self.reset(row.param.label)
            elif dragged:
                self._drop(dragged, self._before(row.mapTo(self.inner, event.position().toPoint()).y()))
            return True
        return super().eventFilter(row, event)

    def _before(self, y: int) -> NumberRow:
        """The row above which a height of the list lies, or None when it lies below all."""
        return next((row for row in self.rows.values() if y < row.geometry().center().y()), None)

    def _drop(self, label: str, before: NumberRow) -> None:
        """Puts a dragged control above a row, or last."""
        controls = self.document.recipe.controls
        rest = [c.label for c in controls if c.label != label]
        if before is None:
            self.move_to(label, len(rest), controls[-1].group)
        elif before.param.label != label:
            at = C.find(self.document.recipe, before.param.label)
            self.move_to(label, rest.index(at.label), at.group)
