"""Real widgets behind painted ones: Qt tells assistive technology what a control is by its kind of widget alone."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QRect, Qt
from PyQt6.QtGui import QPaintEvent
from PyQt6.QtWidgets import QLineEdit, QWidget

from .switches import Tick


class GhostBox(Tick):
    """A switch that a widget paints and clicks by itself, as assistive technology sees and presses it. It paints
    nothing and takes neither pointer nor focus: the widget has a key for it. Whoever paints it sets its state."""

    def __init__(self, parent: QWidget, name: str, place: QRect, pressed: Callable[[], None]) -> None:
        super().__init__(parent)
        self.setGeometry(place)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.setAccessibleName(name)
        self._pressed = pressed
        self.clicked.connect(self._press)

    def _press(self, on: bool) -> None:
        self.setChecked(not on)  # until whoever paints it says otherwise
        self._pressed()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Nothing: another widget paints it."""


class GhostLine(QLineEdit):
    """What a widget paints, as a text that assistive technology reads and sets. given: takes a text that was set, and
    may raise ValueError, after which ``text_now`` shows again."""

    def __init__(self, parent: QWidget, name: str, text_now: Callable[[], str], given: Callable[[str], None]) -> None:
        super().__init__(parent)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.setAccessibleName(name)
        self._now, self._given, self._showing = text_now, given, False
        self.show_text()
        self.textChanged.connect(self._changed)

    def show_text(self) -> None:
        """Takes the text that is painted now."""
        self._showing = True
        if self.text() != self._now():
            self.setText(self._now())
        self._showing = False

    def _changed(self, text: str) -> None:
        if self._showing:
            return
        try:
            self._given(text)
        except ValueError:
            return  # not whole yet: a reader may set it letter by letter
        self.show_text()

    def paintEvent(self, event: QPaintEvent) -> None:
        """Nothing: another widget paints it."""
