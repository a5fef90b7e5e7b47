"""A plain window for a delivery as it arrived: the land in Relief, what lies on it, and what does not fit."""

from __future__ import annotations

import sys
from pathlib import Path

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QColor
from PyQt6.QtWidgets import (
    QApplication,
    QHBoxLayout,
    QLabel,
    QListWidget,
    QListWidgetItem,
    QVBoxLayout,
    QWidget,
)

from gelande.core.recipe.raster import COLOUR, HEIGHT, MASK
from gelande.receive import Land

from .looks import looks, set_scale
from .switches import Pick
from .theme import load_fonts, theme
from .view.compare import Content
from .view.widget import ViewWidget

PLAIN, COLOURS = "Height", "Colours"


class ReceivedWindow(QWidget):
    """Shows one delivery."""

    def __init__(self, land: Land, parent: QWidget | None = None) -> None:
        super().__init__(parent, objectName="paper")
        self.land = land
        self.setWindowTitle(f"{land.name} as it arrived")
        row = QHBoxLayout(self)
        row.setContentsMargins(12, 12, 12, 12)
        self.view = ViewWidget(self, False)
        row.addWidget(self.view, 1)
        column = QVBoxLayout()
        column.addWidget(QLabel(land.name, objectName="head"))
        shape = "no height" if land.height is None else f"{land.height.shape[1]} × {land.height.shape[0]} samples"
        column.addWidget(QLabel(f"{land.width:g} × {land.depth:g} m, {shape}", objectName="muted"))
        self.shown = Pick("What lies on the land")
        self.shown.addItems([*([COLOURS] if land.colour is not None else ()), PLAIN, *land.masks])
        self.shown.activated.connect(lambda *_: self.show_land())
        column.addWidget(self.shown)
        self.list = QListWidget()
        self.list.setWordWrap(True)
        self.list.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        for words in land.faults:
            item = QListWidgetItem(words)
            item.setForeground(QColor(theme().colour("fault")))
            self.list.addItem(item)
        for words in land.fits:
            self.list.addItem(words)
        column.addWidget(self.list, 1)
        state = "Everything fits." if not land.faults else f"{len(land.faults)} things do not fit."
        self.state = QLabel(state, objectName="head")
        column.addWidget(self.state)
        side = QWidget()
        side.setLayout(column)
        side.setFixedWidth(320)
        row.addWidget(side, 0, Qt.AlignmentFlag.AlignRight)
        self.resize(1180, 720)
        self.show_land()

    def show_land(self) -> None:
        """Shows the land with what is chosen on it."""
        land, name = self.land, self.shown.currentText()
        if land.height is None:
            self.view.clear("No height arrived.")
            return
        kind, data = HEIGHT, land.height
        if name == COLOURS and land.colour is not None:
            v = land.colour[..., :3].astype(np.float64)
            kind, data = COLOUR, np.where(v <= 0.04045, v / 12.92, ((v + 0.055) / 1.055) ** 2.4).astype(np.float32)
        elif name in land.masks:
            kind, data = MASK, land.masks[name]
        if data.shape[:2] != land.height.shape:
            self.view.clear(f"{name} has other samples than the height.")
            return
        content = Content(
            ("received", id(land), name), land.height, land.dx, kind, np.ascontiguousarray(data), None, name
        )
        self.view.show_content(content, name)

    def closeEvent(self, event) -> None:
        self.view.close_renderer()
        super().closeEvent(event)


def show(land: Land, shot: Path | None = None) -> int:
    """Opens the window and runs until it is closed. shot: write a picture of it once it is drawn, and end."""
    set_scale()
    app = QApplication.instance() or QApplication(sys.argv[:1])
    app.setStyle("Fusion")
    load_fonts()
    looks.begin()
    window = ReceivedWindow(land)
    window.show()
    if shot is not None:

        def drawn(frame) -> None:
            if frame.passes >= frame.request.projection.passes:
                window.grab().save(str(shot))
                window.close()

        window.view.renderer.pictured.connect(drawn)
    return app.exec()
