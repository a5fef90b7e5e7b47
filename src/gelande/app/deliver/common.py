"""What all files of a delivery have in common, and who computes them: the panel at the right of the page."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from gelande.app.document import Document
from gelande.core.errors import RecipeError
from gelande.core.recipe import param as P
from gelande.core.recipe.deliverables import FOUND, GIVEN, LARGEST_SHIFT, OWN, TILES, Delivery
from gelande.core.words import clean

from ..editors import DOT, make_row
from ..flow import CutLabel

WHOLE = "One file"
#: What the ways to choose the ends of 16-bit heights are called.
NAMED_SPANS = ((OWN, "Each file's own"), (FOUND, "Found for all"), GIVEN)
HERE, WORKERS, SCHEDULER = "This program", "Workers here", "A scheduler"
PARAMS = (
    P.text("pattern", "Names of files", "{site}_{what}", "Filled in: {site}, {seed}, {what}, {detail}, {x}, {y}."),
    P.choice("tile", "Tiles", WHOLE, (WHOLE, *map(str, TILES)), "Samples a side of a tile."),
    P.toggle("shared", "Tiles share their edges", True, "Neighbours both hold the samples of their common edge."),
    P.choice("span", "16-bit heights", OWN, NAMED_SPANS, "What the lowest and the highest count of heights stand for."),
    P.metres("low", "Lowest count", 0, "Height of the lowest count.", (-100_000, 100_000), (-500, 1000), 1),
    P.metres("high", "Highest count", 1000, "Height of the highest count.", (-100_000, 100_000), (0, 3000), 1),
    P.fraction("margin", "Margin", 0.08, "Of the range at 129 samples, added above and below."),
    P.text("epsg", "Reference system", "", "EPSG code of GeoTIFF and GeoPackage files; empty for local metres."),
    P.metres(
        "east", "Easting", 0, "Of the site's south-west corner.", (-LARGEST_SHIFT, LARGEST_SHIFT), (0, 1_000_000), 0
    ),
    P.metres(
        "north", "Northing", 0, "Of the site's south-west corner.", (-LARGEST_SHIFT, LARGEST_SHIFT), (0, 10_000_000), 0
    ),
    P.choice("who", "Computed by", HERE, (HERE, WORKERS, SCHEDULER), "Other processes, here or on other machines."),
    P.count("workers", "Workers", 2, "Processes on this machine.", (1, 64), (1, 8)),
    P.text("scheduler", "Scheduler", "", "Address of a Dask scheduler, as tls://host:8786."),
    P.text("certificates", "Certificates", "", "Folder with ca.pem, cert.pem and key.pem, for a scheduler at tls://."),
)
HEADS = {"pattern": "All files", "span": "Heights", "epsg": "Place", "who": "Machines"}


class CommonPanel(QFrame):
    """Rows of settings; edits the recipe's delivery. said: why a value is not taken."""

    said = pyqtSignal(str)

    def __init__(self, document: Document, parent=None) -> None:
        super().__init__(parent, objectName="sheet")
        self.setProperty("ruled", True)
        self.document = document
        self.machine = {"who": HERE, "workers": 2, "scheduler": "", "certificates": ""}
        outer = QVBoxLayout(self)
        outer.setContentsMargins(0, 0, 0, 0)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setFrameShape(QFrame.Shape.NoFrame)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        outer.addWidget(self.area)
        inside = QWidget(objectName="sheet")
        self.area.setWidget(inside)
        column = QVBoxLayout(inside)
        column.setContentsMargins(10, 8, 12, 10)
        column.setSpacing(2)
        self.rows, self.heads = {}, {}
        for param in PARAMS:
            if param.id in HEADS:
                self.heads[param.id] = head = CutLabel(HEADS[param.id], objectName="head")
                head.setContentsMargins(0, 6 if column.count() else 0, 0, 2)
                column.addWidget(head)
            row = self.rows[param.id] = make_row(param, param.default, publishable=False)
            row.edited.connect(self._edited)
            row.refused.connect(self.said)
            column.addWidget(row)
        self.example = CutLabel("", objectName="muted")
        self.example.setContentsMargins(DOT, 0, 0, 2)
        column.insertWidget(column.indexOf(self.rows["pattern"]) + 1, self.example)
        self.at = QLabel("", objectName="muted")
        self.at.setWordWrap(True)
        self.at.setTextFormat(Qt.TextFormat.PlainText)
        column.addWidget(self.at)
        self.link = QPushButton("Open the scheduler's page")
        self.link.hide()
        column.addWidget(self.link)
        column.addStretch(1)
        self.setFixedWidth(250)

    def show_delivery(self, example: str) -> None:
        """Shows the recipe's settings, and what a file would be called."""
        d = self.document.recipe.delivery
        values = {**vars(d), "tile": str(d.tile) if d.tile else WHOLE, "epsg": str(d.epsg) if d.epsg else ""}
        box = self.rows["tile"].box
        if box.findText(values["tile"]) < 0:
            box.addItem(values["tile"])  # a size that somebody gave on the command line
        for name, row in self.rows.items():
            row.set_value({**values, **self.machine}[name])
        shown = {
            "shared": d.tile > 0,
            "low": d.span == GIVEN,
            "high": d.span == GIVEN,
            "margin": d.span == FOUND or d.span == OWN and d.tile > 0,
            "east": d.epsg > 0,
            "north": d.epsg > 0,
            "workers": self.machine["who"] == WORKERS,
            "scheduler": self.machine["who"] == SCHEDULER,
            "certificates": self.machine["who"] == SCHEDULER,
        }
        for name, on in shown.items():
            self.rows[name].setVisible(on)
        self.example.setText(example)
        self.example.setToolTip(example)

    def _edited(self, name: str, value: float | str) -> None:
        if name in self.machine:
            self.machine[name] = value.strip() if isinstance(value, str) else value
            self.show_delivery(self.example.text())
            return
        try:
            change = self._read(name, value)
            ready = replace(self.document.recipe.delivery, **change).checked()
        except RecipeError as error:
            self.said.emit(str(error))
            self.show_delivery(self.example.text())
            return
        label = next(p.label for p in PARAMS if p.id == name)
        self.document.edit(label, lambda r: replace(r, delivery=ready))

    def _read(self, name: str, value: float | str) -> dict:
        """The delivery after an edited row. Raises RecipeError."""
        if name == "tile":
            return {"tile": 0 if value == WHOLE else int(value)}
        if name == "pattern":
            return {"pattern": clean(value, 200) or Delivery().pattern}
        if name == "epsg":
            code = value.strip().upper().removeprefix("EPSG:").strip()
            if code and not code.isdigit():
                raise RecipeError(f"{clean(value, 40)} is no EPSG code; give its digits, as 25832, or leave it empty.")
            return {"epsg": int(code or 0)}
        now = self.document.recipe.delivery
        if name == "low" and value >= now.high:
            return {"low": value, "high": value + 1}
        if name == "high" and value <= now.low:
            return {"high": value, "low": value - 1}
        return {name: value}

    def show_workers(self, at: dict[str, str], link: str) -> None:
        """Shows what each worker does; nothing when there are none."""
        self.at.setText("\n".join(f"{name}: {what or 'waiting'}" for name, what in at.items()))
        self.link.setVisible(bool(link))
        self.link.setToolTip(link)
