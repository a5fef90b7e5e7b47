"""How natural the chosen node's land looks: its figures beside those of real land."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, Qt
from PyQt6.QtWidgets import QFrame, QGridLayout, QLabel, QVBoxLayout, QWidget


class NaturalSheet(QFrame):
    """A small sheet with a row a figure: name, value, what real land has; what lies outside is said in words."""

    def __init__(self, parent: QWidget, name: str, rows: list[tuple[str, str, str, bool]]) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("sheet")
        self.setProperty("ruled", True)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 10, 14, 12)
        column.addWidget(QLabel(f"How natural: {name}", objectName="head"))
        grid = QGridLayout()
        grid.setHorizontalSpacing(18)
        grid.setVerticalSpacing(3)
        for k, words in enumerate(("513 samples", "here", "real land has", "")):
            grid.addWidget(QLabel(words, objectName="muted"), 0, k)
        self.rows = rows
        for k, (label, value, land, inside) in enumerate(rows, 1):
            cells = (QLabel(label), QLabel(value, objectName="mono"), QLabel(land, objectName="mono"))
            for n, cell in enumerate(cells):
                grid.addWidget(cell, k, n)
            grid.addWidget(QLabel("" if inside else "outside", objectName="fault"), k, 3)
        column.addLayout(grid)
        outside = sum(not inside for *_, inside in rows)
        words = "All lie where real land's do." if not outside else f"{outside} of {len(rows)} lie outside real land's."
        column.addWidget(QLabel(words, objectName="muted"))

    def open_above(self, widget: QWidget) -> None:
        """Opens above a widget, at its right end."""
        self.adjustSize()
        corner = widget.mapToGlobal(QPoint(widget.width(), 0))
        self.move(corner - QPoint(self.width(), self.height() + 6))
        self.show()
