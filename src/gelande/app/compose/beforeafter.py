"""Small pictures of what goes into the chosen node and of what it makes of it."""

from __future__ import annotations

from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import QHBoxLayout, QLabel, QWidget

from gelande.app.engine import Bench
from gelande.scene.things import Things


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
        self._figures: Bench | None = None
        self._counts: dict[str, str] = {}

    def show_bench(self, figures: Bench | None) -> None:
        self._figures = figures
        self.before.setVisible(figures is not None and figures.before is not None)
        for label, image in ((self.before, figures and figures.before), (self.after, figures and figures.after)):
            label.setPixmap(QPixmap.fromImage(image) if image is not None else QPixmap())
        if figures is None:
            self.words.setText("")
            return
        time = f"{figures.seconds * 1000:.0f} ms" if figures.seconds < 1 else f"{figures.seconds:.1f} s"
        lines = ["before,\nafter" if figures.before is not None else "result"]
        lines += [time] if figures.seconds else []
        lines += [self._counts[figures.node]] if figures.node in self._counts else []
        self.words.setText("\n".join(lines))

    def count_things(self, things: Things, hectares: float) -> None:
        """Says how many things of its own the node has, in all and a hectare."""
        self._counts = {
            layer.node: layer.left or f"{len(layer.table):,} things\n{len(layer.table) / hectares:.3g} a hectare"
            for layer in things.layers
        }
        if self._figures is not None:
            self.show_bench(self._figures)
