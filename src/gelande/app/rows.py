"""Rows that show and set one parameter: publish dot, name, typed value with unit, slider."""

from __future__ import annotations

import math
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QFontMetrics, QLinearGradient, QPainter, QPainterPath, QPen
from PyQt6.QtWidgets import QCheckBox, QColorDialog, QComboBox, QFileDialog, QLineEdit, QPushButton, QWidget

from gelande.core.param import Param

from .plot import paint_histogram
from .theme import mono, sans, theme

DOT = 20


class Row(QWidget):
    """Common part: ``edited`` carries a checked value, ``refused`` why a typed one is not taken."""

    edited = pyqtSignal(str, object)
    refused = pyqtSignal(str)
    publish_asked = pyqtSignal(str)
    menu_asked = pyqtSignal(str, object)
    draw_asked = pyqtSignal(str, bool)

    def __init__(self, param: Param, value, published=False, publishable=True, parent=None):
        super().__init__(parent)
        self.param, self.value = param, value
        self.published, self.publishable = published, publishable and not param.tool and param.kind not in ("line", "strokes")
        self.setToolTip(f"{param.help}" + ("" if not publishable else "\nThe dot publishes it on the control sheet."))
        self.setAccessibleName(param.label)

    def focus_part(self) -> QWidget:
        """The part that takes the keyboard."""
        return getattr(self, "box", None) or getattr(self, "line", None) or self

    def set_value(self, value):
        """Shows a value without telling anybody."""
        self.value = value
        self.update()

    def paint_dot(self, painter: QPainter, y: float):
        """The publish dot: filled when on the control sheet."""
        if not self.publishable and not self.published:
            return
        t = theme()
        painter.setPen(QPen(t.colour("accent" if self.published else "muted"), 1))
        painter.setBrush(t.colour("accent") if self.published else Qt.BrushStyle.NoBrush)
        painter.drawEllipse(QPointF(6, y), 4, 4)

    def paint_text(self, painter: QPainter, text: str):
        """Name at the left, value at the right."""
        t = theme()
        painter.setPen(t.colour("ink"))
        font = mono(9)
        value_width = QFontMetrics(font).horizontalAdvance(text)
        painter.setFont(sans(9.6))
        name = painter.fontMetrics().elidedText(self.param.label, Qt.TextElideMode.ElideRight, self.width() - DOT - value_width - 6)
        painter.drawText(QRectF(DOT, 0, self.width() - DOT, 18), int(Qt.AlignmentFlag.AlignVCenter), name)
        painter.setFont(font)
        painter.drawText(QRectF(DOT, 0, self.width() - DOT, 18), int(Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight), text)

    def dot_clicked(self, event) -> bool:
        if event.button() == Qt.MouseButton.LeftButton and event.position().x() < DOT - 4 and event.position().y() < 20:
            if self.publishable:
                self.publish_asked.emit(self.param.id)
            return True
        return False

    def contextMenuEvent(self, event):
        self.menu_asked.emit(self.param.id, event.globalPos())


class NumberRow(Row):
    """A number: drag the slider, click the value to type, arrows to step, double-click the name to reset."""

    def __init__(self, param, value, low, high, default, **more):
        super().__init__(param, value, **more)
        self.low, self.high, self.default = low, high, default
        self.setFixedHeight(29)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.edit: QLineEdit | None = None
        self._dragging = False

    def sizeHint(self):
        return QSize(200, 29)

    def _track(self) -> QRectF:
        return QRectF(DOT, 20, self.width() - DOT, 5)

    @property
    def logarithmic(self) -> bool:
        return self.param.log and self.low > 0

    def share(self) -> float:
        """Where the value stands on the slider, 0-1."""
        if self.logarithmic:
            v = max(self.value, 1e-12)
            return (math.log(v) - math.log(self.low)) / (math.log(self.high) - math.log(self.low))
        return (self.value - self.low) / (self.high - self.low) if self.high > self.low else 0.0

    def at(self, share: float):
        """The value at a share of the slider, rounded as it is shown."""
        share = min(1.0, max(0.0, share))
        if self.logarithmic:
            v = math.exp(math.log(self.low) + share * (math.log(self.high) - math.log(self.low)))
        else:
            v = self.low + share * (self.high - self.low)
        if self.param.kind != "number":
            return int(round(v))
        digits = self.param.decimals + (1 if self.param.unit == "%" else 0)
        if self.high - self.low < 20 * 10 ** -digits:
            digits += 2
        return min(max(round(v, digits), self.low), self.high)

    def paintEvent(self, event):
        t, p = theme(), QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        self.paint_dot(p, 10)
        if self.edit is None:
            self.paint_text(p, self.param.text(self.value) + (" ⟳" if self.param.kind == "seed" else ""))
        track = self._track()
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(t.colour("track"))
        p.drawRoundedRect(track, 2, 2)
        if self.param.kind != "seed":
            p.setBrush(t.colour("accent" if self.hasFocus() else "ink"))
            done = QRectF(track)
            done.setWidth(max(2.0, track.width() * min(1.0, max(0.0, self.share()))))
            p.drawRoundedRect(done, 2, 2)
        elif self.hasFocus():
            p.setBrush(t.colour("accent"))
            p.drawRoundedRect(QRectF(track.x(), track.y() + 1.5, track.width(), 2), 1, 1)

    def _give(self, value):
        try:
            value = self.param.check(value)
        except ValueError as error:
            self.refused.emit(f"{error}.")
            return
        if value != self.value:
            self.value = value
            self.update()
            self.edited.emit(self.param.id, value)

    def mousePressEvent(self, event):
        if self.dot_clicked(event) or event.button() != Qt.MouseButton.LeftButton:
            return
        x, y = event.position().x(), event.position().y()
        if y >= 17 and self.param.kind != "seed":
            self._dragging = True
            self._give(self.at((x - DOT) / max(1, self.width() - DOT)))
        elif self.param.kind == "seed" and x > self.width() - 20:
            self._give((self.value + 1) % (int(self.param.hard[1]) + 1))
        elif x > self.width() - 26 - QFontMetrics(mono(9)).horizontalAdvance(self.param.text(self.value)):
            self.type_value()

    def mouseMoveEvent(self, event):
        if self._dragging:
            self._give(self.at((event.position().x() - DOT) / max(1, self.width() - DOT)))

    def mouseReleaseEvent(self, event):
        self._dragging = False

    def mouseDoubleClickEvent(self, event):
        if event.position().y() < 18 and event.position().x() > DOT:
            self.finish_typing(False)
            self._give(self.default)

    def wheelEvent(self, event):
        event.ignore()  # the bench scrolls; a wheel must not change values by accident

    def keyPressEvent(self, event):
        steps = {Qt.Key.Key_Right: 1, Qt.Key.Key_Up: 1, Qt.Key.Key_Left: -1, Qt.Key.Key_Down: -1}
        if event.key() in steps:
            n = steps[event.key()] * (10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1)
            if self.param.kind != "number":
                low, high = (self.param.hard if self.param.kind == "seed" else (self.low, self.high))
                self._give(int(min(max(self.value + n, low), high)))
            else:
                self._give(self.at(self.share() + 0.01 * n))
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) or event.text() and event.text() in "0123456789-.":
            self.type_value(event.text() if event.text().strip() else "")
        elif event.key() == Qt.Key.Key_P and self.publishable:
            self.publish_asked.emit(self.param.id)
        else:
            super().keyPressEvent(event)

    def type_value(self, first: str = ""):
        """Opens a line to type a value in."""
        if self.edit is not None:
            return
        self.edit = QLineEdit(self)
        self.edit.setFont(mono(9))
        self.edit.setStyleSheet("padding: 0 2px;")
        self.edit.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.edit.setGeometry(self.width() - 96, 0, 96, 19)
        self.edit.setText(first or self.param.text(self.value))
        if not first:
            self.edit.selectAll()
        self.edit.editingFinished.connect(lambda: self.finish_typing(True))
        self.edit.show()
        self.edit.setFocus()
        self.update()

    def finish_typing(self, take: bool):
        edit, self.edit = self.edit, None
        if edit is None:
            return
        text = edit.text()
        edit.deleteLater()
        self.setFocus()
        self.update()
        if not take or text == self.param.text(self.value):
            return
        try:
            value = self.param.parse(text)
        except ValueError as error:
            self.refused.emit(f"{error}.")
            return
        if self.low is not None and not self.publishable and not self.low <= value <= self.high:
            self.refused.emit(f"{self.param.label} is {self.param.text(value)}, outside {self.param.text(self.low)} to {self.param.text(self.high)}.")
            return
        self._give(value)

    def focusInEvent(self, event):
        self.update()

    def focusOutEvent(self, event):
        self.update()


class WidgetRow(Row):
    """A row with a name and some widget under or beside it."""

    def __init__(self, param, value, tall=29, **more):
        super().__init__(param, value, **more)
        self.setFixedHeight(tall)

    def paintEvent(self, event):
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        self.paint_dot(p, 12)
        p.setFont(sans(9.6))
        p.setPen(theme().colour("ink"))
        p.drawText(QRectF(DOT, 0, self.width() - DOT, 24), int(Qt.AlignmentFlag.AlignVCenter), self.caption())

    def caption(self) -> str:
        return self.param.label

    def mousePressEvent(self, event):
        self.dot_clicked(event)


class ChoiceRow(WidgetRow):
    def __init__(self, param, value, **more):
        super().__init__(param, value, **more)
        self.box = QComboBox(self)
        self.box.addItems(param.choices)
        self.box.setCurrentText(value)
        self.box.setAccessibleName(param.label)
        self.box.activated.connect(lambda i: self.edited.emit(param.id, param.choices[i]))
        self.box.wheelEvent = lambda event: event.ignore()

    def resizeEvent(self, event):
        width = min(130, max(70, self.width() // 2))
        self.box.setGeometry(self.width() - width, 1, width, 23)

    def set_value(self, value):
        self.value = value
        self.box.setCurrentText(value)


class ToggleRow(WidgetRow):
    def __init__(self, param, value, **more):
        super().__init__(param, value, **more)
        self.box = QCheckBox(param.label, self)
        self.box.setChecked(value)
        self.box.clicked.connect(lambda on: self.edited.emit(param.id, on))

    def resizeEvent(self, event):
        self.box.setGeometry(DOT, 1, self.width() - DOT, 23)

    def caption(self):
        return ""

    def set_value(self, value):
        self.value = value
        self.box.setChecked(value)


class TextRow(WidgetRow):
    def __init__(self, param, value, **more):
        super().__init__(param, value, 48, **more)
        self.line = QLineEdit(value, self)
        self.line.setAccessibleName(param.label)
        self.line.editingFinished.connect(self._done)
        self.browse = QPushButton("Browse", self) if param.kind == "path" else None
        if self.browse:
            self.browse.clicked.connect(self._browse)

    def resizeEvent(self, event):
        room = 66 if self.browse else 0
        self.line.setGeometry(DOT, 22, self.width() - DOT - room, 24)
        if self.browse:
            self.browse.setGeometry(self.width() - 62, 22, 62, 24)

    def _done(self):
        if self.line.text() != self.value:
            self.value = self.line.text()
            self.edited.emit(self.param.id, self.value)

    def _browse(self):
        name, _ = QFileDialog.getOpenFileName(self, self.param.label)
        if name:
            self.set_value(name)
            self.edited.emit(self.param.id, name)

    def set_value(self, value):
        self.value = value
        if self.line.text() != value:
            self.line.setText(value)


class MarksRow(WidgetRow):
    """A line or strokes on the land: how many there are, drawing, clearing."""

    def __init__(self, param, value, **more):
        super().__init__(param, value, 48, **more)
        self.box, self.clear = QPushButton("Draw" if param.kind == "line" else "Brush", self), QPushButton("Clear", self)
        self.box.setCheckable(True)
        self.box.setToolTip("Click points on the land, or draw in one go; Enter or a double-click ends the line." if param.kind == "line" else
                            "Brush on the land. With this off, click a stroke to choose it, drag to move it, Delete removes it.")
        self.box.clicked.connect(lambda on: self.draw_asked.emit(param.id, on))
        self.clear.clicked.connect(lambda: self.edited.emit(param.id, ()))
        self.set_value(value)

    def caption(self):
        return f"{self.param.label}: {self.param.text(self.value)}"

    def resizeEvent(self, event):
        half = (self.width() - DOT - 6) // 2
        self.box.setGeometry(DOT, 23, half, 24)
        self.clear.setGeometry(DOT + half + 6, 23, half, 24)

    def set_value(self, value):
        self.value = value
        self.clear.setEnabled(bool(value))
        self.update()


class PointsRow(WidgetRow):
    """A colour ramp or a curve with points to drag; double-click adds one, right click takes one away."""

    def __init__(self, param, value, **more):
        super().__init__(param, value, 62 if param.kind == "ramp" else 112, **more)
        self._held = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._chosen = 0
        self.histogram = None

    def _area(self) -> QRectF:
        return QRectF(DOT + 5, 24, self.width() - DOT - 10, 18 if self.param.kind == "ramp" else 82)

    def _spot(self, point) -> QPointF:
        area = self._area()
        x = area.left() + point[0] * area.width()
        return QPointF(x, area.bottom() + 7) if self.param.kind == "ramp" else QPointF(x, area.bottom() - point[1] * area.height())

    def paintEvent(self, event):
        super().paintEvent(event)
        t, p, area = theme(), QPainter(self), self._area()
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(QPen(t.colour("line"), 1))
        if self.param.kind == "ramp":
            shade = QLinearGradient(area.topLeft(), area.topRight())
            for x, r, g, b in self.value:
                shade.setColorAt(x, QColor.fromRgbF(r, g, b))
            p.fillRect(area, shade)
            p.drawRect(area)
        else:
            p.fillRect(area, t.colour("paper"))
            if self.histogram is not None:
                paint_histogram(p, area, self.histogram)
                p.setPen(QPen(t.colour("line"), 1))
                p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRect(area)
            for k in (0.25, 0.5, 0.75):
                p.drawLine(QPointF(area.left() + k * area.width(), area.top()), QPointF(area.left() + k * area.width(), area.bottom()))
            from gelande.kernels.curves import through

            line = QPainterPath()
            for k in range(49):
                spot = self._spot((k / 48, min(1.0, max(0.0, through(self.value, k / 48)))))
                line.lineTo(spot) if k else line.moveTo(spot)
            p.setPen(QPen(t.colour("ink"), 1.4))
            p.drawPath(line)
        for k, point in enumerate(self.value):
            p.setPen(QPen(t.colour("accent" if k == self._chosen and self.hasFocus() else "ink"), 1.2))
            p.setBrush(QColor.fromRgbF(*point[1:]) if self.param.kind == "ramp" else t.colour("accent"))
            p.drawEllipse(self._spot(point), 4.5, 4.5)

    def _near(self, pos) -> int | None:
        return next((k for k, point in enumerate(self.value)
                     if (self._spot(point) - pos).manhattanLength() < 11), None)

    def _from(self, pos):
        area = self._area()
        return (min(1.0, max(0.0, (pos.x() - area.left()) / area.width())), min(1.0, max(0.0, (area.bottom() - pos.y()) / area.height())))

    def _set(self, points):
        self.value = tuple(sorted(points, key=lambda q: q[0]))
        self.update()
        self.edited.emit(self.param.id, self.value)

    def mousePressEvent(self, event):
        if self.dot_clicked(event):
            return
        near = self._near(event.position())
        if event.button() == Qt.MouseButton.RightButton and near is not None and len(self.value) > 2:
            self._set([p for k, p in enumerate(self.value) if k != near])
        elif event.button() == Qt.MouseButton.LeftButton and near is not None:
            self._held, self._chosen = near, near
            self.update()

    def mouseMoveEvent(self, event):
        if self._held is None:
            return
        x, y = self._from(event.position())
        points = list(self.value)
        low = points[self._held - 1][0] + 0.004 if self._held else 0.0
        high = points[self._held + 1][0] - 0.004 if self._held + 1 < len(points) else 1.0
        x = min(max(x, low), high)
        points[self._held] = (x, *points[self._held][1:]) if self.param.kind == "ramp" else (x, y)
        self._set(points)

    def mouseReleaseEvent(self, event):
        self._held = None

    def mouseDoubleClickEvent(self, event):
        near, (x, y) = self._near(event.position()), self._from(event.position())
        if self.param.kind == "ramp" and near is not None:
            self.choose_colour(near)
        elif near is None and len(self.value) < 64 and self._area().adjusted(-2, -2, 2, 12).contains(event.position()):
            if self.param.kind == "ramp":
                from gelande.kernels.curves import ramp_at

                self._set([*self.value, (x, *ramp_at(self.value, x))])
            else:
                self._set([*self.value, (x, y)])

    def choose_colour(self, index: int):
        """Opens a colour chooser for one stop."""
        now = QColor.fromRgbF(*self.value[index][1:])
        colour = QColorDialog.getColor(now, self, f"Colour at {self.value[index][0] * 100:.0f} %")
        if colour.isValid():
            points = list(self.value)
            points[index] = (points[index][0], round(colour.redF(), 4), round(colour.greenF(), 4), round(colour.blueF(), 4))
            self._set(points)

    def contextMenuEvent(self, event):
        if self._near(QPointF(event.pos())) is None:
            super().contextMenuEvent(event)


def make_row(param: Param, value, low=None, high=None, default=None, **more) -> Row:
    """The row for a kind of parameter."""
    if param.numeric:
        low, high = (param.soft if low is None else (low, high))
        return NumberRow(param, value, low, high, param.default if default is None else default, **more)
    kinds = {"choice": ChoiceRow, "toggle": ToggleRow, "ramp": PointsRow, "curve": PointsRow, "path": TextRow, "text": TextRow,
             "line": MarksRow, "strokes": MarksRow}
    return kinds[param.kind](param, value, **more)
