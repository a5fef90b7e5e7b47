"""Editors of numbers: a slider and a value to type; seeds have a step in place of a slider."""

from __future__ import annotations

import math

from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import QFocusEvent, QFontMetrics, QKeyEvent, QMouseEvent, QPainter, QPaintEvent
from PyQt6.QtWidgets import QLineEdit

from ..theme import mono, theme
from .base import DOT, Row


class NumberRow(Row):
    """A number: drag the slider, click the value to type, arrows to step, double-click the name to reset."""

    #: Whether only whole numbers are given.
    whole = False
    #: Shown after the value.
    mark = ""

    def __init__(self, param, value: float, low: float, high: float, default: float, **more) -> None:
        super().__init__(param, value, **more)
        self.low, self.high, self.default = low, high, default
        self.setFixedHeight(29)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.edit: QLineEdit | None = None
        self._dragging = False

    def sizeHint(self) -> QSize:
        return QSize(200, 29)

    def _track(self) -> QRectF:
        return QRectF(DOT, 20, self.width() - DOT, 5)

    @property
    def logarithmic(self) -> bool:
        return self.param.log and self.low > 0

    def fraction(self) -> float:
        """Position of the value on the slider, 0-1."""
        if self.logarithmic:
            v = max(self.value, 1e-12)
            return (math.log(v) - math.log(self.low)) / (math.log(self.high) - math.log(self.low))
        return (self.value - self.low) / (self.high - self.low) if self.high > self.low else 0.0

    def at(self, fraction: float) -> float:
        """The value at a share of the slider, rounded as it is shown."""
        fraction = min(1.0, max(0.0, fraction))
        if self.logarithmic:
            v = math.exp(math.log(self.low) + fraction * (math.log(self.high) - math.log(self.low)))
        else:
            v = self.low + fraction * (self.high - self.low)
        if self.whole:
            return int(round(v))
        digits = self.param.decimals + (1 if self.param.unit == "%" else 0)
        if self.high - self.low < 20 * 10**-digits:
            digits += 2
        return min(max(round(v, digits), self.low), self.high)

    def paintEvent(self, event: QPaintEvent) -> None:
        t, p = theme(), QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        self.paint_dot(p, 10)
        if self.edit is None:
            self.paint_text(p, self.param.text(self.value) + self.mark)
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(t.colour("track"))
        p.drawRoundedRect(self._track(), 2, 2)
        self.paint_track(p, self._track())

    def paint_track(self, p: QPainter, track: QRectF) -> None:
        """Paints how far along its range the value is."""
        p.setBrush(theme().colour("accent" if self.hasFocus() else "ink"))
        done = QRectF(track)
        done.setWidth(max(2.0, track.width() * min(1.0, max(0.0, self.fraction()))))
        p.drawRoundedRect(done, 2, 2)

    def _give(self, value: float) -> None:
        try:
            value = self.param.check(value)
        except ValueError as error:
            self.refused.emit(f"{error}.")
            return
        if value != self.value:
            self.value = value
            self.update()
            self.edited.emit(self.param.id, value)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.dot_clicked(event) or event.button() != Qt.MouseButton.LeftButton:
            return
        x, y = event.position().x(), event.position().y()
        if self.press_track(x, y):
            return
        if x > self.width() - 26 - QFontMetrics(mono(9)).horizontalAdvance(self.param.text(self.value)):
            self.type_value()

    def press_track(self, x: float, y: float) -> bool:
        """True when a press belongs to the slider."""
        if y < 17:
            return False
        self._dragging = True
        self._give(self.at((x - DOT) / max(1, self.width() - DOT)))
        return True

    def mouseMoveEvent(self, event) -> None:
        if self._dragging:
            self._give(self.at((event.position().x() - DOT) / max(1, self.width() - DOT)))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._dragging = False

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if event.position().y() < 18 and event.position().x() > DOT:
            self.finish_typing(False)
            self._give(self.default)

    def wheelEvent(self, event) -> None:
        event.ignore()  # the bench scrolls; a wheel must not change values by accident

    def keyPressEvent(self, event: QKeyEvent) -> None:
        steps = {Qt.Key.Key_Right: 1, Qt.Key.Key_Up: 1, Qt.Key.Key_Left: -1, Qt.Key.Key_Down: -1}
        if event.key() in steps:
            n = steps[event.key()] * (10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1)
            self._give(self.stepped(n))
        elif event.key() in (Qt.Key.Key_Home, Qt.Key.Key_End):
            self._give(self.at(0.0 if event.key() == Qt.Key.Key_Home else 1.0))
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) or event.text() and event.text() in "0123456789-.":
            self.type_value(event.text() if event.text().strip() else "")
        elif event.key() == Qt.Key.Key_P and self.publishable:
            self.publish_asked.emit(self.param.id)
        else:
            super().keyPressEvent(event)

    def stepped(self, n: int) -> float:
        """The value n steps on."""
        return self.at(self.fraction() + 0.01 * n)

    def type_value(self, first: str = "") -> None:
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

    def finish_typing(self, take: bool) -> None:
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
            self.refused.emit(
                f"{self.param.label} is {self.param.text(value)}, outside {self.param.text(self.low)} to "
                f"{self.param.text(self.high)}."
            )
            return
        self._give(value)

    def focusInEvent(self, event: QFocusEvent) -> None:
        self.update()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        self.update()


class CountRow(NumberRow):
    """A whole number."""

    whole = True

    def stepped(self, n: int):
        return int(min(max(self.value + n, self.low), self.high))


class SeedRow(CountRow):
    """A seed: one number is as good as another, so there is no slider; the mark steps to the next."""

    mark = " ⟳"

    def paint_track(self, p: QPainter, track: QRectF) -> None:
        if self.hasFocus():
            p.setBrush(theme().colour("accent"))
            p.drawRoundedRect(QRectF(track.x(), track.y() + 1.5, track.width(), 2), 1, 1)

    def press_track(self, x: float, y: float) -> bool:
        if x <= self.width() - 20:
            return False
        self._give((self.value + 1) % (int(self.param.hard[1]) + 1))
        return True

    def stepped(self, n: int):
        low, high = self.param.hard
        return int(min(max(self.value + n, low), high))
