"""Editors of choices, switches, texts and files."""

from __future__ import annotations

from PyQt6.QtGui import QResizeEvent
from PyQt6.QtWidgets import QFileDialog, QLineEdit, QPushButton

from gelande.core.recipe.param.words import Choice, Path, Text, Toggle

from ..switches import Pick, Tick
from .base import DOT, WidgetRow


class ChoiceRow(WidgetRow):
    def __init__(self, param: Choice, value: str, **more) -> None:
        super().__init__(param, value, **more)
        self.box = Pick(param.label, self)
        self.box.addItems(param.labels)
        self.box.setCurrentText(param.text(value))
        self.box.activated.connect(lambda i: self.edited.emit(param.id, param.choices[i]))

    def resizeEvent(self, event: QResizeEvent) -> None:
        width = min(130, max(70, self.width() // 2))
        self.box.setGeometry(self.width() - width, 1, width, 23)

    def set_value(self, value: str) -> None:
        self.value = value
        self.box.setCurrentText(self.param.text(value))
        self._describe()


class ToggleRow(WidgetRow):
    def __init__(self, param: Toggle, value: bool, **more) -> None:
        super().__init__(param, value, **more)
        self.box = Tick(param.label, self)
        self.box.setChecked(value)
        self.box.clicked.connect(lambda on: self.edited.emit(param.id, on))

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.box.setGeometry(DOT, 1, self.width() - DOT, 23)

    def caption(self) -> str:
        return ""

    def set_value(self, value: bool) -> None:
        self.value = value
        self.box.setChecked(value)
        self._describe()


class TextRow(WidgetRow):
    #: Text is longer than a number: it takes two columns of the bench where there are three.
    wide = True

    def __init__(self, param: Text, value: str, **more) -> None:
        super().__init__(param, value, 48, **more)
        self.line = QLineEdit(value, self)
        self.line.setAccessibleName(param.label)
        self.line.setCursorPosition(0)  # a long one is seen from its beginning
        self.line.editingFinished.connect(self._done)

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.line.setGeometry(DOT, 22, self.width() - DOT, 24)

    def _done(self) -> None:
        if self.line.text() != self.value:
            self.value = self.line.text()
            self.edited.emit(self.param.id, self.value)

    def set_value(self, value: str) -> None:
        self.value = value
        if self.line.text() != value:
            self.line.setText(value)
            self.line.setCursorPosition(0)


class PathRow(TextRow):
    """A file, typed or looked for."""

    def __init__(self, param: Path, value: str, **more) -> None:
        super().__init__(param, value, **more)
        self.browse = QPushButton("Browse", self)
        self.browse.clicked.connect(self._browse)

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.line.setGeometry(DOT, 22, self.width() - DOT - 66, 24)
        self.browse.setGeometry(self.width() - 62, 22, 62, 24)

    def _browse(self) -> None:
        name, _ = QFileDialog.getOpenFileName(self, self.param.label)
        if name:
            self.set_value(name)
            self.edited.emit(self.param.id, name)
