"""Editors of numbers: a slider and a value to type; seeds have a step in place of a slider."""

from __future__ import annotations

import math
from typing import cast

from PyQt6 import sip
from PyQt6.QtCore import QRectF, QSize, Qt
from PyQt6.QtGui import (
    QContextMenuEvent,
    QFocusEvent,
    QFontMetrics,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPaintEvent,
    QResizeEvent,
    QValidator,
    QWheelEvent,
)
from PyQt6.QtWidgets import QDoubleSpinBox, QLineEdit

from ..theme import mono, theme
from .base import DOT, Row

#: What stands for a range without an end.
ENDLESS = 1e15
#: Digits behind the point that are told apart; a spin box rounds to them.
DIGITS = 10


class ValueBox(QDoubleSpinBox):
    """Shows and takes the value of a row. Qt tells what assistive technology is told (role, value, range) by the kind
    of widget alone, so a row that paints itself needs a real one for its value.

    While nothing is typed, keys mean what they mean to the row; Return, a digit or a click begins typing."""

    def __init__(self, row: NumberRow) -> None:
        super().__init__(row)
        self.row, self.typing, self._showing = row, False, True
        self.setObjectName("value")
        self.setButtonSymbols(QDoubleSpinBox.ButtonSymbols.NoButtons)
        self.setFrame(False)
        self.setAlignment(Qt.AlignmentFlag.AlignRight)
        self.setKeyboardTracking(False)
        self.setDecimals(0 if row.whole else DIGITS)
        low, high = (row.low, row.high) if not row.publishable else row.param.hard
        self.setRange(*(v if math.isfinite(v) else math.copysign(ENDLESS, v) for v in (low, high)))
        self.setAccessibleName(row.param.label)
        self.setAccessibleDescription(row.param.help)
        self.line = cast(QLineEdit, self.lineEdit())
        self.line.setContextMenuPolicy(Qt.ContextMenuPolicy.NoContextMenu)  # the row has one
        self.line.installEventFilter(self)
        self.show_value()
        self.valueChanged.connect(self._changed)

    def show_value(self) -> None:
        """Shows the row's value, without telling anybody but assistive technology."""
        self._showing = True
        self.setValue(self.row.value)
        self._showing = False
        text = self.row.param.text(self.row.value)
        if not self.typing and self.line.text() != text:
            self.line.setText(text)

    def _changed(self, value: float) -> None:
        if not self._showing:  # set by assistive technology
            self.row.give(value)
            self.show_value()  # where it was refused

    def begin(self, first: str = "") -> None:
        """Begins typing, with a text in place of the value."""
        if not self.typing:
            self.typing = True
            self.setFocus()
            self.line.selectAll()
        if first:
            self.line.setText(first)

    def end(self) -> str:
        """Ends typing; the text that was typed. The value shows again."""
        text, self.typing = self.line.text(), False
        self.show_value()
        self.line.setText(self.row.param.text(self.row.value))
        self.line.deselect()
        return text

    # -- what a spin box asks -----------------------------------------------------------------------------
    def textFromValue(self, value: float) -> str:
        return self.row.param.text(int(round(value)) if self.row.whole else value)

    def valueFromText(self, text: str | None) -> float:
        return self.row.value  # the row takes what was typed, once it is whole

    def validate(self, text: str | None, at: int) -> tuple[QValidator.State, str, int]:
        return QValidator.State.Acceptable, text or "", at  # the row says what is wrong with it

    def stepBy(self, steps: int) -> None:
        self.row.give(self.row.stepped(steps))

    # -- keys and pointer ---------------------------------------------------------------------------------
    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not self.typing:
            if not self.row.key(event):
                event.ignore()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.row.finish_typing(True)
        elif event.key() == Qt.Key.Key_Escape:
            self.row.finish_typing(False)
        else:
            super().keyPressEvent(event)

    def eventFilter(self, watched, event) -> bool:
        if watched is self.line and event.type() == QMouseEvent.Type.MouseButtonPress and not self.typing:
            if event.button() == Qt.MouseButton.LeftButton:
                self.row.type_value()
            return True
        return super().eventFilter(watched, event)

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        event.ignore()

    def wheelEvent(self, event: QWheelEvent) -> None:
        event.ignore()  # the bench scrolls; a wheel must not change values by accident

    def focusInEvent(self, event: QFocusEvent) -> None:
        super().focusInEvent(event)
        if not self.typing:
            self.line.deselect()
        self.row.update()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        if sip.isdeleted(self.row):  # it goes, and takes this with it
            return
        if self.typing:
            self.row.finish_typing(True)
        super().focusOutEvent(event)
        self.row.update()


class NumberRow(Row):
    """A number: drag the slider, click the value to type, arrows to step, double-click the name to reset."""

    #: Whether only whole numbers are given.
    whole = False
    #: Shown after the value, and how wide that is.
    mark, mark_width = "", 0

    def __init__(self, param, value: float, low: float, high: float, default: float, **more) -> None:
        super().__init__(param, value, **more)
        self.low, self.high, self.default = low, high, default
        self.setFixedHeight(29)
        self._dragging = False
        self.box = ValueBox(self)
        self.setFocusProxy(self.box)
        self._place()

    def sizeHint(self) -> QSize:
        return QSize(200, 29)

    @property
    def edit(self) -> QLineEdit:
        """The line in which the value is typed."""
        return self.box.line

    def hasFocus(self) -> bool:
        return self.box.hasFocus()

    def set_value(self, value: float) -> None:
        super().set_value(value)
        self.box.show_value()
        self._place()

    def _place(self) -> None:
        """Puts the value at the right end, as wide as it is."""
        width = QFontMetrics(mono(9)).horizontalAdvance(self.param.text(self.value)) + 8
        if self.box.typing:
            width = max(width, 96)
        self.box.setGeometry(self.width() - self.mark_width - width + 3, 0, width, 18)

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._place()

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
        self.paint_text(p, self.param.text(self.value), self.mark)
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

    def give(self, value: float) -> None:
        """Takes a value from a person, or says why not."""
        try:
            value = self.param.check(int(round(value)) if self.whole else value)
        except ValueError as error:
            self.refused.emit(f"{error}.")
            return
        if value != self.value:
            self.value = value
            self.box.show_value()
            self._place()
            self._describe()
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
        self.give(self.at((x - DOT) / max(1, self.width() - DOT)))
        return True

    def mouseMoveEvent(self, event) -> None:
        if self._dragging:
            self.give(self.at((event.position().x() - DOT) / max(1, self.width() - DOT)))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._dragging = False

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        if event.position().y() < 18 and event.position().x() > DOT:
            self.finish_typing(False)
            self.give(self.default)

    def wheelEvent(self, event) -> None:
        event.ignore()  # the bench scrolls; a wheel must not change values by accident

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if not self.key(event):
            super().keyPressEvent(event)

    def key(self, event: QKeyEvent) -> bool:
        """Does what a key means while nothing is being typed; False when it means nothing here."""
        steps = {Qt.Key.Key_Right: 1, Qt.Key.Key_Up: 1, Qt.Key.Key_Left: -1, Qt.Key.Key_Down: -1}
        if event.key() in steps:
            n = steps[event.key()] * (10 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 1)
            self.give(self.stepped(n))
        elif event.key() in (Qt.Key.Key_Home, Qt.Key.Key_End):
            self.give(self.at(0.0 if event.key() == Qt.Key.Key_Home else 1.0))
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter) or event.text() and event.text() in "0123456789-.":
            self.type_value(event.text() if event.text().strip() else "")
        elif event.key() == Qt.Key.Key_P and self.publishable:
            self.publish_asked.emit(self.param.id)
        else:
            return False
        return True

    def stepped(self, n: int) -> float:
        """The value n steps on."""
        return self.at(self.fraction() + 0.01 * n)

    def type_value(self, first: str = "") -> None:
        """Has the next keys change the text of the value; first: what it begins with in place of the value."""
        self.box.begin(first)
        self._place()

    def finish_typing(self, take: bool) -> None:
        """Ends typing. take: whether what was typed becomes the value."""
        text = self.box.end()
        self._place()
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
        self.give(value)


class CountRow(NumberRow):
    """A whole number."""

    whole = True

    def stepped(self, n: int):
        return int(min(max(self.value + n, self.low), self.high))


class SeedRow(CountRow):
    """A seed: one number is as good as another, so there is no slider; the mark steps to the next."""

    mark, mark_width = " ⟳", 18

    def paint_track(self, p: QPainter, track: QRectF) -> None:
        if self.hasFocus():
            p.setBrush(theme().colour("accent"))
            p.drawRoundedRect(QRectF(track.x(), track.y() + 1.5, track.width(), 2), 1, 1)

    def press_track(self, x: float, y: float) -> bool:
        if x <= self.width() - 20:
            return False
        self.give((self.value + 1) % (int(self.param.hard[1]) + 1))
        return True

    def stepped(self, n: int):
        low, high = self.param.hard
        return int(min(max(self.value + n, low), high))
