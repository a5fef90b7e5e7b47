"""Kept ground: the list of areas in which the land of a variant stays."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import pyqtSignal
from PyQt6.QtWidgets import QGridLayout, QLabel, QLineEdit, QMenu, QPushButton, QVBoxLayout, QWidget

from gelande.app.document import Document
from gelande.core.evaluate.query import masks_of
from gelande.core.recipe.model import Recipe
from gelande.core.recipe.node import spec_of
from gelande.core.regenerate import kept_ground

from ..flow import CutLabel, Flow
from ..switches import Switch, Tick

WIDTH = spec_of("inset").param("width")
EMPTY = "Draw around what must stay: the next seeds and controls leave it as it is in the selected variant."
IDLE = "Nothing is kept now: the step Keep area is off, not linked or missing in the graph."


class KeepPanel(QWidget):
    """Areas with their width and switch. ``area_asked`` begins to draw one; ``outline_asked`` carries the number of the
    one whose points are to be moved (-1: no more); ``mask_asked`` carries (node, output) of a mask to go around."""

    said = pyqtSignal(str)
    area_asked = pyqtSignal(bool)
    outline_asked = pyqtSignal(int)
    mask_asked = pyqtSignal(str, str)

    def __init__(self, document: Document, parent=None) -> None:
        super().__init__(parent)
        self.document = document
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.words = QLabel(EMPTY, objectName="muted")
        self.words.setWordWrap(True)
        column.addWidget(self.words)
        self.grid = QGridLayout()
        self.grid.setVerticalSpacing(3)
        self.grid.setColumnStretch(1, 1)
        column.addLayout(self.grid)
        row = Flow()
        self.draw_button = Switch("Keep an area")
        self.draw_button.setToolTip("Draw around the ground of the selected variant that must stay as it is")
        self.draw_button.clicked.connect(self.area_asked)
        self.mask_button = QPushButton("Keep what a mask covers")
        self.masks = QMenu(self.mask_button)
        self.masks.aboutToShow.connect(self._fill_masks)
        self.mask_button.setMenu(self.masks)
        row.addWidget(self.draw_button)
        row.addWidget(self.mask_button)
        column.addLayout(row)
        self.rows: list[tuple[Tick, QLineEdit, QPushButton]] = []
        self._shown: tuple | None = None
        document.changed.connect(lambda before, after: self._show(after))
        self._show(document.recipe)

    def _fill_masks(self) -> None:
        self.masks.clear()
        for node, port, words in masks_of(self.document.recipe):
            self.masks.addAction(words, lambda n=node, p=port: self.mask_asked.emit(n, p))
        if self.masks.isEmpty():
            self.masks.addAction("The recipe has no masks").setEnabled(False)

    def _show(self, recipe: Recipe) -> None:
        idle = bool(recipe.keeps) and not kept_ground.steps(recipe)
        self.words.setText(IDLE if idle else EMPTY)
        self.words.setVisible(idle or not recipe.keeps)
        if recipe.keeps == self._shown:
            return
        self._shown = recipe.keeps
        while self.grid.count():
            self.grid.takeAt(0).widget().deleteLater()
        self.rows = []
        for k, one in enumerate(recipe.keeps):
            on = Tick()
            on.setChecked(one.on)
            on.setToolTip("Off: the area follows the seeds again, and is not forgotten")
            on.clicked.connect(lambda value, k=k: self.change(k, "Switch kept area", on=value))
            name = CutLabel(f"{one.name}: seed {one.of.seed}")
            name.setToolTip(f"{one.name} keeps the land of seed {one.of.seed} and its controls")
            width = QLineEdit(WIDTH.text(one.width))
            width.setFixedWidth(64)
            width.setToolTip("Metres outside the edge over which the kept land turns into the new one")
            width.editingFinished.connect(lambda k=k, field=width: self._take_width(k, field))
            outline = Switch("Outline")
            outline.setStyleSheet("padding: 2px 6px;")
            outline.clicked.connect(lambda value, k=k: self.outline_asked.emit(k if value else -1))
            gone = QPushButton("×")
            gone.setFixedWidth(24)
            gone.setStyleSheet("padding: 2px 0;")
            gone.setToolTip("Forgets this area; undo brings it back")
            gone.setAccessibleName(f"Forget {one.name}")
            gone.clicked.connect(lambda _=False, k=k: self.forget(k))
            for c, part in enumerate((on, name, width, outline, gone)):
                self.grid.addWidget(part, k, c)
            self.rows.append((on, width, outline))

    def change(self, index: int, words: str, **more) -> bool:
        """Changes an area as one undoable step."""
        return self.document.edit(words, lambda r: kept_ground.changed(r, index, replace(r.keeps[index], **more)))

    def _take_width(self, index: int, field: QLineEdit) -> None:
        if index >= len(self.document.recipe.keeps):
            return
        one = self.document.recipe.keeps[index]
        try:
            width = WIDTH.parse(field.text())
        except ValueError as error:
            self.said.emit(f"{str(error).rstrip('.')}.")
            field.setText(WIDTH.text(one.width))
            return
        if width != one.width:
            self.change(index, "Set blend", width=width, fade=one.fade * width / one.width)

    def forget(self, index: int) -> None:
        """Takes an area away."""
        self.outline_asked.emit(-1)
        self.document.edit("Forget kept area", lambda r: kept_ground.changed(r, index, None))

    def tell_drawing(self, drawing: bool, outline: int) -> None:
        """Shows what is being drawn or changed."""
        self.draw_button.setChecked(drawing)
        for k, (_, _, button) in enumerate(self.rows):
            button.setChecked(k == outline)
