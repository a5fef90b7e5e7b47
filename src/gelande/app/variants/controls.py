"""The control sheet as rows by group, and the panel in which the author edits one control."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QComboBox,
    QFrame,
    QGridLayout,
    QLabel,
    QLineEdit,
    QMenu,
    QPushButton,
    QScrollArea,
    QVBoxLayout,
    QWidget,
)

from gelande.core import control as C
from gelande.core import model
from gelande.core.errors import GelandeError
from gelande.core.words import clean

from ..editors import make_row


class ControlSheet(QWidget):
    """Rows that set the recipe's controls; for the author, right click edits, moves and removes them."""

    said = pyqtSignal(str)

    def __init__(self, document, parent=None):
        super().__init__(parent)
        self.setObjectName("sheet")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.document = document
        self.rows: dict[str, object] = {}
        self.panel: ControlPanel | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 12, 10, 10)
        column.setSpacing(4)
        column.addWidget(QLabel("Control sheet", objectName="title"))
        self.about = QLabel("What this landscape lets you change", objectName="muted")
        self.about.setWordWrap(True)
        column.addWidget(self.about)
        area = QScrollArea()
        area.setWidgetResizable(True)
        area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.inner = QWidget(objectName="sheet")
        self.list = QVBoxLayout(self.inner)
        self.list.setContentsMargins(0, 4, 8, 4)
        self.list.setSpacing(7)
        area.setWidget(self.inner)
        column.addWidget(area, 1)
        self.seed_button = QPushButton("Publish the recipe's seed")
        self.seed_button.clicked.connect(lambda: document.edit("Publish", lambda r: C.publish(r, model.RECIPE, "seed")))
        column.addWidget(self.seed_button)
        document.changed.connect(self._changed)
        self._shape = None
        self._changed(None, document.recipe)

    def _changed(self, before, after):
        shape = tuple((c.label, c.group, c.low, c.high, c.targets) for c in after.controls)
        if shape != self._shape:
            self._shape = shape
            self._rebuild(after)
            return
        for control in after.controls:
            row = self.rows.get(control.label)
            if row is not None and row.value != (value := C.value_of(after, control)):
                row.set_value(value)

    def _rebuild(self, recipe):
        while self.list.count():
            item = self.list.takeAt(0)
            if item.widget():
                item.widget().deleteLater()
        self.rows = {}
        groups = list(dict.fromkeys(c.group for c in recipe.controls))
        for group in groups:
            head = QLabel(group or "Other", objectName="head")
            self.list.addWidget(head)
            rule = QFrame(objectName="rule")
            rule.setFixedHeight(1)
            self.list.addWidget(rule)
            for control in recipe.controls:
                if control.group == group:
                    self._add_row(recipe, control)
        self.list.addStretch(1)
        locked = self.document.locked
        published = any(t.node == model.RECIPE for c in recipe.controls for t in c.targets)
        self.seed_button.setVisible(not published and not locked)
        self.about.setText(
            "What this landscape lets you change"
            if recipe.controls
            else "Nothing is published yet. In Compose, click the dot beside a parameter to put it here."
            if not locked
            else "The author has published nothing."
        )

    def _add_row(self, recipe, control):
        param = C.param_of(recipe, control)
        if param is None:
            self.list.addWidget(QLabel(f"{control.label}: not known to this version", objectName="muted"))
            return
        shown = replace(param, label=control.label, help=control.help or param.help)
        row = make_row(
            shown,
            C.value_of(recipe, control),
            control.low,
            control.high,
            C.value_of(recipe, control),
            published=True,
            publishable=False,
            parent=self.inner,
        )
        row.edited.connect(lambda _, value, label=control.label: self.set_value(label, value))
        row.refused.connect(self.said)
        row.menu_asked.connect(lambda _, place, label=control.label: self._menu(label, place))
        self.rows[control.label] = row
        self.list.addWidget(row)

    def set_value(self, label: str, value):
        """Sets a control as one undoable step."""
        control = C.find(self.document.recipe, label)
        if not self.document.edit(
            f"Set {label.lower()}", lambda r: C.set_control(r, control, value), f"control.{label}"
        ):
            self.rows[label].set_value(C.value_of(self.document.recipe, control))

    def _menu(self, label: str, place):
        if self.document.locked:
            return
        recipe = self.document.recipe
        control = C.find(recipe, label)
        index = recipe.controls.index(control)
        menu = QMenu(self)
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

    def move_to(self, label: str, index: int):
        """Puts a control at another place of the sheet."""
        control = C.find(self.document.recipe, label)
        self.document.edit("Reorder", lambda r: C.reorder(r, control, index))

    def edit(self, label: str, place):
        if self.panel is not None:
            self.panel.deleteLater()
        self.panel = ControlPanel(self.document, label, self)
        self.panel.move(place)
        self.panel.show()


class ControlPanel(QFrame):
    """Name, group, sentence, range and further parameters of one control."""

    def __init__(self, document, label: str, parent):
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("sheet")
        self.document = document
        self.control = C.find(document.recipe, label)
        self.param = C.param_of(document.recipe, self.control)
        self.extra = list(self.control.targets)
        grid = QGridLayout(self)
        grid.setContentsMargins(14, 12, 14, 12)
        grid.addWidget(QLabel("Control", objectName="head"), 0, 0)
        self.fields = {}
        values = [
            ("label", "Name", self.control.label),
            ("group", "Group", self.control.group),
            ("help", "Sentence", self.control.help),
        ]
        if self.param.numeric:
            values += [
                ("low", "Lowest", self.param.text(self.control.low)),
                ("high", "Highest", self.param.text(self.control.high)),
            ]
        for row, (key, name, text) in enumerate(values, 1):
            self.fields[key] = QLineEdit(text)
            grid.addWidget(QLabel(name), row, 0)
            grid.addWidget(self.fields[key], row, 1)
        row = len(values) + 1
        self.drives = QLabel(objectName="muted")
        self.drives.setWordWrap(True)
        grid.addWidget(QLabel("Drives"), row, 0, Qt.AlignmentFlag.AlignTop)
        grid.addWidget(self.drives, row, 1)
        self.more = QComboBox()
        self.more.addItem("Drive another parameter too…")
        for node_id, p in self._candidates():
            self.more.addItem(f"{document.recipe.nodes[node_id].name}: {p.label}", model.Target(node_id, p.id))
        self.more.activated.connect(self._add_target)
        grid.addWidget(self.more, row + 1, 1)
        self.fault = QLabel(objectName="fault")
        self.fault.setWordWrap(True)
        grid.addWidget(self.fault, row + 2, 0, 1, 2)
        button = QPushButton("Set", objectName="primary")
        button.clicked.connect(self.take)
        grid.addWidget(button, row + 3, 1)
        self.setFixedWidth(330)
        self._show_targets()

    def _candidates(self):
        """Parameters of the same kind and unit that no control drives yet."""
        recipe = self.document.recipe
        for node_id, state in recipe.nodes.items():
            for p in state.spec.params if state.spec else ():
                alike = type(p) is type(self.param) and (p.unit, p.choices) == (self.param.unit, self.param.choices)
                if alike and not C.published(recipe, node_id, p.id):
                    yield node_id, p

    def _show_targets(self):
        recipe = self.document.recipe
        self.drives.setText(
            ", ".join(
                "the recipe's seed"
                if t.node == model.RECIPE
                else f"{recipe.nodes[t.node].name}: {recipe.nodes[t.node].setting(t.param).label}"
                for t in self.extra
            )
        )

    def _add_target(self, index: int):
        target = self.more.itemData(index)
        if target is not None and target not in self.extra:
            self.extra.append(target)
            self._show_targets()
        self.more.setCurrentIndex(0)

    def take(self):
        """Changes the control if everything is sound."""
        try:
            limits = {k: self.param.parse(self.fields[k].text()) for k in ("low", "high") if k in self.fields}
            new = replace(
                self.control,
                label=clean(self.fields["label"].text(), 80),
                targets=tuple(self.extra),
                group=clean(self.fields["group"].text(), 80),
                help=clean(self.fields["help"].text(), 500),
                **limits,
            )
            recipe = C.replace_control(self.document.recipe, self.control, new)
            if new.targets != self.control.targets:
                recipe = C.set_control(recipe, new, C.value_of(recipe, new))
        except (ValueError, GelandeError) as error:
            self.fault.setText(f"{str(error).rstrip('.')}.")
            return
        self.close()
        self.document.edit("Edit control", lambda r: recipe)
