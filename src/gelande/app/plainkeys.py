"""Keys without modifiers that mean the same wherever the focus is on the Compose page, but where somebody types."""

from __future__ import annotations

from PyQt6.QtCore import QEvent, QObject, Qt
from PyQt6.QtWidgets import QApplication, QLineEdit, QMainWindow, QPlainTextEdit, QTextEdit, QWidget

from .compose.page import ComposePage


class PlainKeys(QObject):
    """Sees the keys of what has the focus in a window: a filter of the whole application would see every event."""

    def __init__(self, window: QMainWindow, compose: ComposePage) -> None:
        super().__init__(window)
        self.window, self.compose = window, compose
        window.installEventFilter(self)
        QApplication.instance().focusChanged.connect(self._follow)

    def close(self) -> None:
        """Follows the focus no more."""
        QApplication.instance().focusChanged.disconnect(self._follow)

    def _follow(self, old: QWidget | None, new: QWidget | None) -> None:
        if old is not None and old is not self.window:
            old.removeEventFilter(self)
        if new is not None and new.window() is self.window:
            new.installEventFilter(self)

    def eventFilter(self, watched: QObject, event: QEvent) -> bool:
        kind, compose = event.type(), self.compose
        if (
            kind in (QEvent.Type.KeyPress, QEvent.Type.KeyRelease)
            and self.window.isActiveWindow()
            and compose.isVisible()
            and not event.modifiers()
            and not isinstance(QApplication.focusWidget(), (QLineEdit, QPlainTextEdit, QTextEdit))
        ):
            if event.key() == Qt.Key.Key_X and not event.isAutoRepeat():
                compose.peek(kind == QEvent.Type.KeyPress)
                return True
            run = {Qt.Key.Key_V: compose.hold, Qt.Key.Key_C: compose.view.comparison.toggle}
            if event.key() in run and kind == QEvent.Type.KeyPress:
                run[event.key()]()
                return True
        return super().eventFilter(watched, event)
