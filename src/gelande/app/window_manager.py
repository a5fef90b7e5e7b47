"""The windows of one running Gelande."""

from __future__ import annotations

from functools import partial
from pathlib import Path

from PyQt6.QtCore import QObject
from PyQt6.QtWidgets import QWidget

from gelande.core.evaluate.executor import Evaluator
from gelande.places import kept_evaluator

from .window import Window


class WindowManager(QObject):
    """Opens windows and keeps them while they are open. They share what is computed: two windows on the same recipe
    compute nothing twice, and have workers and stops of their own."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.windows: list[Window] = []
        self._evaluator: Evaluator | None = None  # while windows are open
        self._leaving: list[Window] = []  # until Qt has let go of them: a timer may still call what is collected

    def window(self, regenerate: bool = False) -> Window:
        """A new window."""
        self._evaluator = self._evaluator or kept_evaluator()
        window = Window(regenerate, evaluator=self._evaluator)
        self.windows.append(window)
        window.closed.connect(lambda: self._left(window))
        window.another.connect(lambda: self.open(None, False, False))
        if len(self.windows) > 1:
            before = self.windows[-2].geometry()
            window.setGeometry(before.translated(36, 36))
        window.show()
        return window

    def open(self, path: Path | None, example: bool, regenerate: bool) -> None:
        """Opens a file, or nothing, in a window of its own; one that shows the file already comes to the front."""
        for window in self.windows:
            if path is not None and window.document.path == path and window.regenerate == regenerate:
                window.raise_()
                window.activateWindow()
                return
        window = self.window(regenerate)
        if path is None:
            window.document.opened.emit()
        else:
            window.filing.open_path(path, example)
        window.raise_()
        window.activateWindow()

    def _left(self, window: Window) -> None:
        self.windows.remove(window)
        self._leaving.append(window)
        window.destroyed.connect(partial(self._leaving.remove, window))
        window.deleteLater()
        if not self.windows and self._evaluator is not None:
            self._evaluator.close()
            self._evaluator = None
