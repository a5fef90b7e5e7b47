"""Buttons, boxes and choices as assistive technology needs them: what it sets without a click counts as one."""

from __future__ import annotations

from PyQt6.QtGui import QWheelEvent
from PyQt6.QtWidgets import QCheckBox, QComboBox, QPushButton, QWidget


class Heard:
    """What a button that is on or off has besides, so that assistive technology is heard: it sets the state without a
    click, and ``clicked`` comes then, too. Stands before the Qt class among the bases."""

    _ours = False  # while a click or the program changes it

    def __init__(self, *args, **more) -> None:
        super().__init__(*args, **more)
        self.setCheckable(True)
        self.toggled.connect(self._toggled)

    def setChecked(self, on: bool) -> None:
        self._ours, before = True, self._ours
        super().setChecked(on)
        self._ours = before

    def nextCheckState(self) -> None:
        self._ours = True
        super().nextCheckState()
        self._ours = False

    def _toggled(self, on: bool) -> None:
        # one of a group goes off because another goes on
        if not self._ours and (on or self.group() is None):
            self.clicked.emit(on)


class Switch(Heard, QPushButton):
    """A button that stays down."""


class Tick(Heard, QCheckBox):
    """A check box."""


class Pick(QComboBox):
    """A choice of several. On Linux Qt tells what is chosen in the place of a name, so the name is told besides. A
    wheel that scrolls by must not choose."""

    def __init__(self, name: str, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.setAccessibleName(name)
        self.setAccessibleDescription(name)

    def wheelEvent(self, event: QWheelEvent) -> None:
        event.ignore()
