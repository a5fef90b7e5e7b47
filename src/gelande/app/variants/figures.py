"""Figures of the selected variant beside another's, with limits; and the panel in which the author chooses them."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QGridLayout, QLabel, QLineEdit, QPushButton, QVBoxLayout, QWidget

from gelande.app.document import Document
from gelande.core.files import numerals
from gelande.core.recipe.choices import FigureChoice
from gelande.core.regenerate.figures import FIGURES, USUAL, Figures, label_of, limit_text
from gelande.core.words import shorten

from ..flow import Flow
from ..switches import Tick
from ..theme import theme


class FigureTable(QWidget):
    """Names, values, and limits in a muted hand; what is outside its limits stands in red with a mark."""

    pins_asked = pyqtSignal()

    def __init__(self, document: Document, parent=None) -> None:
        super().__init__(parent)
        self.document = document
        self.panel: FigurePanel | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        self.table = QGridLayout()
        self.table.setVerticalSpacing(2)
        self.table.setHorizontalSpacing(16)
        self.table.setColumnStretch(0, 1)
        column.addLayout(self.table)
        self.setMaximumWidth(560)
        row = Flow()
        self.choose_button = QPushButton("Figures and limits…")
        self.choose_button.clicked.connect(self.open_panel)
        self.choose_button.setVisible(not document.locked)
        self.pins_button = QPushButton("Set two pins")
        self.pins_button.setToolTip("Whether one place is seen from the other, over the ground between them")
        self.pins_button.clicked.connect(self.pins_asked)
        row.addWidget(self.choose_button)
        row.addWidget(self.pins_button)
        column.addLayout(row)

    def show_figures(self, columns: list[tuple[str, Figures | None]]) -> None:
        """Shows the figures of one variant, or of two."""
        while self.table.count():
            self.table.takeAt(0).widget().deleteLater()
        recipe = self.document.recipe
        choices = recipe.figures or USUAL
        self.choose_button.setVisible(not self.document.locked)
        for r, choice in enumerate(choices):
            limit = limit_text(choice)
            label = QLabel(label_of(choice.figure, recipe.measures))
            if limit:
                label.setText(f"{label.text()}, {limit}")
            self.table.addWidget(label, r, 0)
            for c, (_, figures) in enumerate(columns, 1):
                if figures is None:
                    continue
                fits = choice.fits(figures.values.get(choice.figure))
                cell = QLabel(figures.text(choice.figure) + ("" if fits else " !"), objectName="mono")
                cell.setAlignment(Qt.AlignmentFlag.AlignRight)
                if not fits:
                    cell.setStyleSheet(f"color: {theme().fault};")
                    cell.setToolTip(f"Outside the limit: {limit}")
                elif c > 1:
                    cell.setStyleSheet(f"color: {theme().muted};")
                self.table.addWidget(cell, r, c)

    def open_panel(self) -> None:
        """Opens the panel in which the author chooses figures and limits."""
        if self.panel is not None:
            self.panel.deleteLater()
        self.panel = FigurePanel(self.document, self)
        place = self.mapToGlobal(self.rect().topLeft())
        self.panel.adjustSize()
        self.panel.move(place.x(), max(40, place.y() - self.panel.height() // 2))
        self.panel.show()


class FigurePanel(QFrame):
    """Panel that chooses figures, within which limits, and the slopes that they go by."""

    def __init__(self, document: Document, parent: FigureTable) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("sheet")
        self.setProperty("ruled", True)
        self.document = document
        recipe = document.recipe
        chosen = {c.figure: c for c in recipe.figures or USUAL}
        grid = QGridLayout(self)
        grid.setContentsMargins(14, 12, 14, 12)
        for c, words in enumerate(("Figure", "At least", "At most", "")):
            grid.addWidget(QLabel(words, objectName="head"), 0, c)
        self.rows: dict[str, tuple[Tick, QLineEdit, QLineEdit]] = {}
        for r, (key, figure) in enumerate(FIGURES.items(), 1):
            box = Tick(figure.label)
            box.setChecked(key in chosen)
            choice = chosen.get(key, FigureChoice(key))
            fields = []
            for value in (choice.low, choice.high):
                field = QLineEdit("" if value is None else f"{value / figure.factor:g}")
                field.setFixedWidth(70)
                field.setPlaceholderText("none")
                fields.append(field)
            self.rows[key] = (box, *fields)
            for c, part in enumerate((box, *fields, QLabel(figure.unit, objectName="muted"))):
                grid.addWidget(part, r, c)
        r = len(FIGURES) + 1
        self.slopes = []
        for k, (words, value) in enumerate(
            (("Walkable up to", recipe.measures.walkable), ("Flat up to", recipe.measures.flat))
        ):
            field = QLineEdit(f"{value:g}")
            field.setFixedWidth(70)
            self.slopes.append(field)
            for c, part in enumerate((QLabel(words), field, QLabel("°", objectName="muted"))):
                grid.addWidget(part, r + k, c)
        self.fault = QLabel(objectName="fault")
        self.fault.setWordWrap(True)
        grid.addWidget(self.fault, r + 2, 0, 1, 4)
        button = QPushButton("Set", objectName="primary")
        button.clicked.connect(self.take)
        grid.addWidget(button, r + 3, 0)

    def _number(self, field: QLineEdit, words: str) -> float | None:
        text = field.text().strip()
        if not text:
            return None
        try:
            return numerals.read(text)
        except ValueError:
            raise ValueError(f"{words} is {shorten(text, 40)!r}; it must be a number") from None

    def take(self) -> None:
        """Changes what is shown, if everything is sound."""
        found = []
        try:
            for key, (box, low, high) in self.rows.items():
                figure = FIGURES[key]
                ends = [self._number(f, figure.label) for f in (low, high)]
                ends = [None if v is None else v * figure.factor for v in ends]
                if None not in ends and ends[0] > ends[1]:
                    raise ValueError(f"{figure.label}: at least is more than at most")
                if box.isChecked():
                    found.append(FigureChoice(key, *ends))
            walkable, flat = (self._number(f, "A slope") for f in self.slopes)
            if not all(v is not None and 0 < v <= 90 for v in (walkable, flat)):
                raise ValueError("Slopes must be more than 0° and at most 90°")
        except ValueError as error:
            self.fault.setText(f"{error}.")
            return
        self.close()
        self.document.edit(
            "Choose figures",
            lambda r: replace(r, figures=tuple(found), measures=replace(r.measures, walkable=walkable, flat=flat)),
        )
