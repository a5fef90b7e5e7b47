"""Small pictures of what goes into the chosen node and of what it makes of it."""

from __future__ import annotations

from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QWidget

from gelande.app.engine import Bench


class Pictures(QWidget):
    """Before and after, side by side."""

    def __init__(self) -> None:
        super().__init__()
        row = QHBoxLayout(self)
        row.setContentsMargins(0, 0, 0, 0)
        row.setSpacing(6)
        self.before, self.after, self.words = QLabel(), QLabel(), QLabel(objectName="muted")
        for label in (self.before, self.after):
            label.setFixedSize(58, 58)
            label.setScaledContents(True)
            row.addWidget(label)
        row.addWidget(self.words, 1)

    def show_bench(self, figures: Bench | None) -> None:
        self.before.setVisible(figures is not None and figures.before is not None)
        for label, image in ((self.before, figures and figures.before), (self.after, figures and figures.after)):
            label.setPixmap(QPixmap.fromImage(image) if image is not None else QPixmap())
        if figures is None:
            self.words.setText("")
            return
        time = f"{figures.seconds * 1000:.0f} ms" if figures.seconds < 1 else f"{figures.seconds:.1f} s"
        self.words.setText(
            ("before,\nafter" if figures.before is not None else "result") + (f"\n{time}" if figures.seconds else "")
        )
