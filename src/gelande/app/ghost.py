"""Real widgets behind painted ones: Qt tells assistive technology what a control is by its kind of widget alone."""

from __future__ import annotations

from collections.abc import Callable

from PyQt6.QtCore import QRect, Qt
from PyQt6.QtGui import QPaintEvent
from PyQt6.QtWidgets import QCheckBox, QLineEdit, QWidget


class GhostBox(QCheckBox):
    """A switch that a widget paints and clicks by itself, as assistive technology sees and presses it. It paints
    nothing and takes neither pointer nor focus: the widget has a key for it."""

    def __init__(self, parent: QWidget, name: str, place: QRect, pressed: Callable[[], None]) -> None:
        super().__init__(parent)
        self.setGeometry(place)
        self.setFocusPolicy(Qt.FocusPolicy.NoFocus)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.setAccessibleName(name)
        self._pressed, self._showing = pressed, False
        self.toggled.connect(self._toggled)

    def show_state(self, on: bool) -> None:
        """Takes the state that is painted."""
        self._showing = True
        self.setChecked(on)
        self._showing = False

    def _toggled(self, on: bool) -> None:
        if not self._showing:
            self.show_state(not on)  # whoever paints it says whether it is on
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
