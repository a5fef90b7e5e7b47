"""Why a node failed, and where in its code: for whoever wrote it."""

from __future__ import annotations

import html

from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QLabel, QPushButton, QVBoxLayout, QWidget


class Fault(QWidget):
    """One sentence. When it was not the node's own, where its code failed can be seen as its tip, and copied."""

    def __init__(self, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.label, self.copy, self._whole = QLabel(objectName="fault"), QPushButton("Copy where it failed"), ""
        self.label.setWordWrap(True)
        self.copy.setToolTip("For whoever wrote the node: the lines of code that led there")
        self.copy.clicked.connect(lambda: QGuiApplication.clipboard().setText(self._whole))
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.addWidget(self.label)
        column.addWidget(self.copy)

    def text(self) -> str:
        """The sentence that is shown."""
        return self.label.text()

    def tell(self, text: str, trace: str = "") -> None:
        """Shows a sentence. trace: the lines of code, "" for none."""
        self.label.setText(text)
        self.label.setToolTip(f"<pre>{html.escape(trace)}</pre>" if trace else "")
        self.copy.setVisible(bool(trace))
        self._whole = f"{text}\n\n{trace}"
        self.show()
