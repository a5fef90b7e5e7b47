"""The list of a node's layers beside its settings: the topmost first, with each one's share of the site."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import QPointF, QRect, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QKeyEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QLineEdit, QPushButton, QScrollArea, QVBoxLayout, QWidget

from gelande.app.engine import Bench
from gelande.core.recipe.model import NodeState
from gelande.core.recipe.node import SHARE
from gelande.core.recipe.param import Layers, Param, Ramp
from gelande.core.recipe.ramps import find
from gelande.core.recipe.site import Site

from ..ramps import paint_strip
from ..theme import BOLD, mono, sans, theme

#: Pixels of the panel, of a row, and from the left: the tick, solo, the colours, the name.
WIDTH, ROW, TICK, SOLO, TONE, NAME = 236, 21, 8, 28, 48, 90
#: Ramps that new layers begin with, one after the other.
FIRST = ("Bent and fescue", "Moor tor", "Dark loam", "Machair", "Green bracken", "Honey cliff", "Shell beach")


def layered(state: NodeState | None) -> Layers | None:
    """A node's list of layers."""
    params = state.spec.params if state is not None and state.spec else ()
    return next((p for p in params if isinstance(p, Layers)), None)


def fractions_of(figures: Bench | None, state: NodeState) -> dict[int, float]:
    """Share of the site by a layer's number, as far as it was measured."""
    known = dict(figures.fractions) if figures is not None else {}
    ports = [p.id for p in state.spec.outputs if p.role == SHARE]
    return {int(p.rpartition("_")[2]): known[p] for p in ports if p in known}


class LayerList(QWidget):
    """Rows that are ticked, soloed, dragged and renamed."""

    edited = pyqtSignal(str, object)
    chose = pyqtSignal(int)

    def __init__(self, parent=None) -> None:
        super().__init__(parent)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Layers, the topmost first")
        self.setToolTip(
            "Click a layer to set it; tick: on or off, S: solo. Drag to move it, double-click to rename it.\n"
            "Keys: up and down select, with Alt they move the layer; Space, S, F2, Insert, Delete, Ctrl+D duplicates."
        )
        self.param: Layers | None = None
        self.value: tuple = ()
        self.fractions: dict[int, float] = {}
        self.chosen, self.long_side = 0, 0.0  # number of the chosen layer; of the site, metres
        self._dragged: tuple[int, float] | None = None  # (number, where the pointer is)
        self.line = QLineEdit(self)
        self.line.hide()
        self.line.editingFinished.connect(self._renamed)

    def show_layers(self, param: Layers, value: tuple, chosen: int) -> None:
        """Shows a node's layers."""
        self.param, self.value, self.chosen = param, value, chosen
        self.setFixedHeight(ROW * len(value) + 2)
        self.update()

    def order(self) -> list[tuple]:
        """The layers as they are listed, from above."""
        return list(reversed(self.value))

    def row_of(self, number: int) -> int:
        """The row of a layer."""
        return next(k for k, one in enumerate(self.order()) if one[-1] == number)

    def row_box(self, row: int) -> QRectF:
        """Rectangle of a row."""
        return QRectF(0, 1 + ROW * row, self.width(), ROW)

    # -- painting
    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        solo = any(self.param.of(one, "solo") for one in self.value) if self.param else False
        for k, one in enumerate(self.order()):
            self._paint_row(p, self.row_box(k), one, solo)
        if self._dragged is not None:
            y = 1 + ROW * self._gap(self._dragged[1])
            p.setPen(QPen(theme().colour("accent"), 2))
            p.drawLine(QPointF(0, y), QPointF(self.width(), y))

    def _paint_row(self, p: QPainter, box: QRectF, one: tuple, solo: bool) -> None:
        t, v = theme(), self.param.values(one)
        chosen, y = one[-1] == self.chosen, box.center().y()
        if chosen:
            p.fillRect(box, t.colour("accent" if self.hasFocus() else "muted", 46))
        ink = t.colour("ink" if v["on"] else "muted")
        p.setPen(QPen(ink, 1))
        p.setBrush(t.colour("ink") if v["on"] else Qt.BrushStyle.NoBrush)
        p.drawRoundedRect(QRectF(TICK, y - 5.5, 11, 11), 2, 2)
        if v["on"]:
            p.setPen(QPen(t.colour("sheet"), 1.6))
            p.drawPolyline([QPointF(TICK + 2.5, y), QPointF(TICK + 4.8, y + 2.6), QPointF(TICK + 8.6, y - 2.8)])
        p.setBrush(t.colour("accent") if v["solo"] else Qt.BrushStyle.NoBrush)
        p.setPen(QPen(t.colour("accent" if v["solo"] else "line"), 1))
        p.drawRoundedRect(QRectF(SOLO, y - 6.5, 14, 13), 2, 2)
        p.setPen(t.colour("on_accent" if v["solo"] else "muted"))
        p.setFont(sans(7.6, BOLD))
        p.drawText(QRectF(SOLO, y - 6.5, 14, 13), int(Qt.AlignmentFlag.AlignCenter), "S")
        self._paint_tone(p, QRectF(TONE, y - 6, NAME - TONE - 8, 12), one)
        fraction = self._share_text(one[-1])
        p.setFont(mono(8.4))
        wide = p.fontMetrics().horizontalAdvance(fraction)
        p.setPen(ink if not solo or v["solo"] else t.colour("muted"))
        right = int(Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight)
        p.drawText(box.adjusted(0, 0, -8, 0), right, fraction)
        p.setFont(sans(9.6, BOLD) if chosen else sans(9.6))
        room = int(self.width() - NAME - wide - 16)
        p.drawText(
            QRectF(NAME, box.y(), room, ROW),
            int(Qt.AlignmentFlag.AlignVCenter),
            p.fontMetrics().elidedText(v["name"], Qt.TextElideMode.ElideRight, room),
        )

    def _paint_tone(self, p: QPainter, box: QRectF, one: tuple) -> None:
        """The layer's ramp, its colour, or that another one is linked."""
        t, tone = theme(), self.param.tone(one)
        if tone is not None and isinstance(tone[0], Ramp):
            paint_strip(p, box, tone[1])
        elif tone is not None:
            p.fillRect(box, QColor.fromRgbF(*tone[1]))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.setPen(QPen(t.colour("line"), 1))
        p.drawRect(box)
        if tone is None:
            p.setPen(t.colour("muted"))
            p.setFont(sans(7.4))
            p.drawText(box, int(Qt.AlignmentFlag.AlignCenter), "linked")

    def _share_text(self, number: int) -> str:
        fraction = self.fractions.get(number)
        return "" if fraction is None else f"{fraction * 100:.1f} %"

    # -- hand and keys
    def _row_at(self, y: float) -> int:
        return max(0, min(int((y - 1) // ROW), len(self.value) - 1))

    def _gap(self, y: float) -> int:
        """The gap between rows that a height is nearest to, 0 above all."""
        return max(0, min(round((y - 1) / ROW), len(self.value)))

    def mousePressEvent(self, event) -> None:
        row, x = self._row_at(event.position().y()), event.position().x()
        one = self.order()[row]
        self.choose(one[-1])
        if event.button() != Qt.MouseButton.LeftButton:
            return
        if x < SOLO - 3:
            self.flip(one[-1], "on")
        elif x < TONE - 3:
            self.flip(one[-1], "solo")
        else:
            self._pressed = event.position()

    _pressed = None

    def mouseMoveEvent(self, event) -> None:
        if self._pressed is not None and abs(event.position().y() - self._pressed.y()) > 5:
            self._dragged = (self.chosen, event.position().y())
            self.update()

    def mouseReleaseEvent(self, event) -> None:
        dragged, self._dragged, self._pressed = self._dragged, None, None
        if dragged is not None:
            gap, row = self._gap(dragged[1]), self.row_of(dragged[0])
            self.move_to_row(dragged[0], gap - (gap > row))
        self.update()

    def mouseDoubleClickEvent(self, event) -> None:
        if event.position().x() >= TONE - 3:
            self._pressed = None
            self.rename(self.order()[self._row_at(event.position().y())][-1])

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, alt = event.key(), event.modifiers() & Qt.KeyboardModifier.AltModifier
        row = self.row_of(self.chosen)
        step = {Qt.Key.Key_Up: -1, Qt.Key.Key_Down: 1}.get(key, 0)
        if step and alt:
            self.move_to_row(self.chosen, row + step)
        elif step:
            self.choose(self.order()[max(0, min(row + step, len(self.value) - 1))][-1])
        elif key == Qt.Key.Key_Space:
            self.flip(self.chosen, "on")
        elif key == Qt.Key.Key_S:
            self.flip(self.chosen, "solo")
        elif key == Qt.Key.Key_F2:
            self.rename(self.chosen)
        elif key == Qt.Key.Key_Insert:
            self.add()
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.remove()
        elif key == Qt.Key.Key_D and event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.duplicate()
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event) -> None:
        self.update()

    def focusOutEvent(self, event) -> None:
        self.update()

    # -- edits
    def choose(self, number: int) -> None:
        """Shows a layer's settings."""
        if number != self.chosen:
            self.chosen = number
            self.chose.emit(number)
            self.update()

    def flip(self, number: int, setting: str) -> None:
        """Turns a switch of a layer."""
        now = self.param.of(self.value[self.param.index(self.value, number)], setting)
        self.edited.emit(self.param.path(number, setting), not now)

    def _put(self, value: tuple, chosen: int) -> None:
        if value != self.value:
            before, self.chosen = self.chosen, chosen
            self.edited.emit(self.param.id, value)
            if chosen != before:
                self.chose.emit(chosen)

    def move_to_row(self, number: int, row: int) -> None:
        """Moves a layer to a row, counted from above."""
        self._put(self.param.moved(self.value, number, len(self.value) - 1 - row), number)

    def add(self) -> None:
        """A new layer above the chosen one."""
        if len(self.value) < self.param.most:
            number = self.param.fresh_number(self.value)
            ramp = find(FIRST[number % len(FIRST)])[0].stops
            self._put(
                self.param.added(self.value, self.chosen, self.long_side, name=f"Layer {number}", ramp=ramp), number
            )

    def duplicate(self) -> None:
        """A copy of the chosen layer above it."""
        if len(self.value) < self.param.most:
            self._put(self.param.twice(self.value, self.chosen), self.param.fresh_number(self.value))

    def remove(self) -> None:
        """Takes the chosen layer away; the one that takes its row is chosen."""
        if len(self.value) > 1:
            row = self.row_of(self.chosen)
            rest = [one[-1] for one in self.order() if one[-1] != self.chosen]
            self._put(self.param.removed(self.value, self.chosen), rest[min(row, len(rest) - 1)])

    def rename(self, number: int) -> None:
        """Opens the name of a layer."""
        box = self.row_box(self.row_of(number))
        one = self.value[self.param.index(self.value, number)]
        self.line.setProperty("number", number)
        self.line.setText(self.param.of(one, "name"))
        self.line.setGeometry(QRect(NAME - 7, int(box.y()), self.width() - NAME + 3, ROW))
        self.line.selectAll()
        self.line.show()
        self.line.setFocus()

    def _renamed(self) -> None:
        if self.line.isHidden():
            return
        self.line.hide()
        self.setFocus()
        name = self.line.text().strip()
        if name:
            self.edited.emit(self.param.path(self.line.property("number"), "name"), name)


class LayersPanel(QWidget):
    """The list with what is done to it, and in words what the chosen layer covers."""

    def __init__(self, parent=None) -> None:
        super().__init__(parent)
        self.setObjectName("sheet")
        self.list, self.words = LayerList(), QLabel(objectName="muted")
        self.setFixedWidth(WIDTH)
        self.hectares, self._node = 0.0, ""
        self._numbers: dict[str, int] = {}
        self.list.chose.connect(self._chosen)
        area = QScrollArea()
        area.setWidgetResizable(True)
        inner = QWidget(objectName="sheet")
        column = QVBoxLayout(inner)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.list)
        column.addStretch(1)
        area.setWidget(inner)
        self.area = area
        buttons = QHBoxLayout()
        buttons.setSpacing(4)
        self.buttons = {}
        for name, act, tip in (
            ("Add", self.list.add, "A new layer above the selected one (Insert)"),
            ("Duplicate", self.list.duplicate, "A copy of the selected layer above it (Ctrl+D)"),
            ("Remove", self.list.remove, "Takes the selected layer away (Delete)"),
        ):
            button = self.buttons[name] = QPushButton(name)
            button.setStyleSheet("padding: 2px 7px;")
            button.setToolTip(tip)
            button.clicked.connect(act)
            buttons.addWidget(button)
        buttons.addStretch(1)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(8, 8, 4, 8)
        layout.setSpacing(4)
        layout.addWidget(self.words)
        layout.addWidget(area, 1)
        layout.addLayout(buttons)

    # -- of which node
    def number_of(self, node_id: str, value: tuple) -> int:
        """The number of the layer that is chosen in a node: the topmost until another one is."""
        number = self._numbers.get(node_id)
        return number if number in [one[-1] for one in value] else value[-1][-1]

    def settings(self, node_id: str, state: NodeState) -> list[Param]:
        """Settings of the chosen layer of a node that has layers; their ids name it."""
        listed = layered(state)
        if listed is None:
            return []
        value = state.params[listed.id]
        number = self.number_of(node_id, value)
        shown = listed.shown(value[listed.index(value, number)])
        return [replace(p, id=listed.path(number, p.id), shown_when=()) for p in shown]

    def show_node(self, node_id: str, state: NodeState | None, figures: Bench | None, site: Site) -> None:
        """Shows the layers of a node, or nothing where it has none."""
        listed = layered(state)
        self.setVisible(listed is not None)
        if listed is not None:
            self._node = node_id
            value = state.params[listed.id]
            self.list.fractions, self.list.long_side = fractions_of(figures, state), site.long_side
            self.hectares = site.width * site.depth / 10_000
            self._show(listed, value, self.number_of(node_id, value))

    def _chosen(self, number: int) -> None:
        self._numbers[self._node] = number

    def _show(self, param: Layers, value: tuple, chosen: int) -> None:
        self.list.show_layers(param, value, chosen)
        self.buttons["Add"].setEnabled(len(value) < param.most)
        self.buttons["Duplicate"].setEnabled(len(value) < param.most)
        self.buttons["Remove"].setEnabled(len(value) > 1)
        self.area.ensureVisible(0, int(self.list.row_box(self.list.row_of(chosen)).center().y()), 0, ROW)
        self._tell()

    def _tell(self) -> None:
        one = self.list.value[self.list.param.index(self.list.value, self.list.chosen)]
        name, fraction = self.list.param.of(one, "name"), self.list.fractions.get(one[-1])
        lowest = " · takes what is left" if one is self.list.value[0] else ""
        if fraction is None:
            self.words.setText(f"{name}{lowest}")
            return
        area = fraction * self.hectares
        self.words.setText(f"{name}: {area:.{0 if area >= 100 else 1 if area >= 1 else 3}f} ha{lowest}")
