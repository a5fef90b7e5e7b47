"""The Deliver workspace: the table of deliverables, their progress, and what their numbers mean."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import QPoint, Qt, QUrl, pyqtSignal
from PyQt6.QtGui import QDesktopServices, QImage, QPixmap
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QProgressBar,
    QPushButton,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from gelande.app.document import Document
from gelande.app.engine import Engine
from gelande.core.errors import DeliveryError
from gelande.core.files.disk import reason_of
from gelande.core.recipe import kinds, model
from gelande.core.recipe.deliverables import Deliverable
from gelande.core.recipe.model import Recipe
from gelande.core.words import amount, clean
from gelande.deliver import build as B
from gelande.deliver.farm import Progress
from gelande.deliver.formats import FORMATS, formats_for
from gelande.deliver.grid import Grid, level_for
from gelande.deliver.importsheet import sheet_name
from gelande.deliver.names import default_folder, is_one, manifest_name, names_of, parts_for
from gelande.deliver.wanted import usual

from ..flow import CutLabel
from ..sheetpdf import write_pdf
from ..theme import mono
from .adding import AddPanel, named
from .bar import BarDelegate
from .building import Builds
from .common import CommonPanel
from .detail import DetailBox
from .facts import FactsCard, after, before
from .options import OptionsCard, with_slots
from .preview import MeshPreview

#: Files that are looked for on disk before a delivery.
MOST_LOOKED_AT = 2000
COLUMNS = ("Deliverable", "From", "Format", "Samples", "Size", "Progress")


class DeliverPage(QWidget):
    """Edits the recipe's deliverables, and shows their builds."""

    said = pyqtSignal(str)

    def __init__(self, document: Document, engine: Engine, parent=None) -> None:
        super().__init__(parent)
        self.setObjectName("paper")
        self.document, self.engine = document, engine
        self.folder: Path | None = None
        self.unfit = ""
        self.common = CommonPanel(document)
        self.builds = Builds(document, engine, self.common.machine, self)
        self.told, self.ended, self.farmed = self.builds.told, self.builds.ended, self.builds.farmed
        self._build()
        self.builds.begun.connect(self._begun)
        self.builds.said.connect(self.said)
        self.told.connect(self._told)
        self.ended.connect(self._ended)
        self.farmed.connect(self._farmed)
        document.changed.connect(self._changed)
        engine.card.connect(self._card_drawn)

    @property
    def level(self) -> int:
        """Of the samples that are delivered."""
        return self.builds.level

    @property
    def running(self) -> bool:
        """True while a build runs."""
        return self.builds.running

    # -- parts ------------------------------------------------------------------------------------------
    def _card(self, title: str) -> tuple[QFrame, QVBoxLayout, QLabel]:
        card = QFrame(objectName="sheet")
        card.setProperty("ruled", True)
        column = QVBoxLayout(card)
        column.setContentsMargins(14, 9, 14, 9)
        head = CutLabel(title, objectName="head")
        column.addWidget(head)
        return card, column, head

    def _build(self) -> None:
        page = QVBoxLayout(self)
        page.setContentsMargins(20, 16, 20, 14)
        page.setSpacing(12)
        top = QHBoxLayout()
        top.setSpacing(16)
        what, column, self.title = self._card("")
        row = QHBoxLayout()
        self.detail = DetailBox()
        self.detail.picked.connect(self.set_grid)
        row.addWidget(self.detail, 1)
        column.addLayout(row)
        where, column, _ = self._card("Folder")
        row = QHBoxLayout()
        self.folder_label = CutLabel(cut=Qt.TextElideMode.ElideLeft, objectName="mono")
        choose = QPushButton("Choose", accessibleName="Choose the folder")
        choose.clicked.connect(self.choose_folder)
        row.addWidget(self.folder_label, 1)
        row.addWidget(choose)
        column.addLayout(row)
        state, column, self.summary = self._card("Nothing written yet")
        self.total = QProgressBar()
        self.total.setRange(0, 1000)
        self.total.setTextVisible(False)
        column.addWidget(self.total)
        column.addStretch(1)
        for card in (what, where, state):
            top.addWidget(card, 1)
        page.addLayout(top)
        both = QHBoxLayout()
        both.setSpacing(12)
        left = QVBoxLayout()
        left.setSpacing(10)
        left.addWidget(self._table(), 5)
        left.addLayout(self._buttons())
        left.addLayout(self._lower(), 4)
        both.addLayout(left, 1)
        self.common.said.connect(self.said)
        self.common.link.clicked.connect(lambda: QDesktopServices.openUrl(QUrl(self.common.link.toolTip())))
        both.addWidget(self.common)
        page.addLayout(both, 1)

    def _table(self) -> QTableWidget:
        self.table = QTableWidget(0, len(COLUMNS))
        self.table.setTabKeyNavigation(False)
        self.table.setHorizontalHeaderLabels(COLUMNS)
        self.table.verticalHeader().hide()
        self.table.setShowGrid(False)
        self.table.setSelectionBehavior(QAbstractItemView.SelectionBehavior.SelectRows)
        self.table.setSelectionMode(QAbstractItemView.SelectionMode.SingleSelection)
        self.table.verticalHeader().setDefaultSectionSize(36)
        head = self.table.horizontalHeader()
        head.setDefaultAlignment(Qt.AlignmentFlag.AlignLeft | Qt.AlignmentFlag.AlignVCenter)
        head.setHighlightSections(False)
        for c, width in enumerate((150, 150, 150, 110, 76)):
            self.table.setColumnWidth(c, width)
        head.setSectionResizeMode(5, QHeaderView.ResizeMode.Stretch)
        self.table.setItemDelegateForColumn(5, BarDelegate(self.table))
        self.table.itemChanged.connect(self._renamed)
        self.table.currentCellChanged.connect(lambda *_: self._show_facts())
        return self.table

    def _buttons(self) -> QHBoxLayout:
        row = QHBoxLayout()
        self.add_button, self.remove_button = QPushButton("Add deliverable"), QPushButton("Remove")
        self.add_button.clicked.connect(self._open_add)
        self.remove_button.clicked.connect(self.remove_chosen)
        self.stop_button, self.go_button = QPushButton("Stop"), QPushButton("Deliver all", objectName="primary")
        self.stop_button.clicked.connect(self.stop)
        self.go_button.clicked.connect(self.deliver_all)
        self.stop_button.setEnabled(False)
        self.sheet_button = QPushButton("Import sheet")
        self.sheet_button.setToolTip("Opens the page that says what to type in where these files are imported.")
        self.sheet_button.clicked.connect(self.open_sheet)
        self.hint = CutLabel("", objectName="muted")
        row.addWidget(self.add_button)
        row.addWidget(self.remove_button)
        row.addWidget(self.hint, 1)
        row.addWidget(self.sheet_button)
        row.addWidget(self.stop_button)
        row.addWidget(self.go_button)
        return row

    def _lower(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(12)
        self.picture = QLabel()
        self.picture.setMinimumSize(120, 120)
        self.picture.setMaximumSize(200, 200)
        self.picture.setScaledContents(True)
        self.facts = FactsCard()
        self.options = OptionsCard(self.document)
        self.options.changed.connect(self._replace)
        self.options.said.connect(self.said)
        self.options.preview_asked.connect(self.preview_mesh)
        self.options.setMinimumWidth(190)
        row.addWidget(self.picture, 0, Qt.AlignmentFlag.AlignTop)
        row.addWidget(self.facts, 5)
        row.addWidget(self.options, 4)
        return row

    # -- what is shown ----------------------------------------------------------------------------------
    def deliverables(self) -> tuple[Deliverable, ...]:
        recipe = self.document.recipe
        return recipe.deliverables or usual(recipe)

    def enter(self) -> None:
        """The workspace is shown."""
        self._fill()

    def _changed(self, before: Recipe, after: Recipe) -> None:
        if not self.running:
            self.builds.items = {}
        if self.isVisible():
            self._fill()

    def out_folder(self) -> Path:
        return self.folder or default_folder(self.document.recipe, self.document.folder)

    def _fill(self) -> None:
        recipe = self.document.recipe
        site = recipe.site
        self.title.setText(f"{site.name}, seed {recipe.seed}")
        if recipe.delivery.size:
            self.builds.level = level_for(site, recipe.delivery.size) or site.levels[-1]
        self.unfit = self._unfit()
        self.detail.show_grids(recipe, self.level)
        folder = str(self.out_folder())
        self.folder_label.setText(folder)
        self.folder_label.setToolTip(folder)
        rows = self.deliverables()
        chosen = max(0, self.table.currentRow())
        self.table.blockSignals(True)
        self.table.setRowCount(len(rows))
        for r, d in enumerate(rows):
            self._fill_row(r, d)
        self.table.blockSignals(False)
        nothing = "Nothing to deliver yet: make a height in Compose first."
        self.hint.setText(self.unfit or (self._told_before(rows) if rows else nothing))
        self.hint.setToolTip(self.hint.text())
        self.common.show_delivery(self._example(rows))
        self.sheet_button.setVisible(self.sheet.is_file())
        self.go_button.setEnabled(bool(rows) and not self.running and not self.unfit)
        self.remove_button.setEnabled(bool(recipe.deliverables))
        if rows:
            self.table.setCurrentCell(min(chosen, len(rows) - 1), 0)
        self._show_facts()

    def _unfit(self) -> str:
        """Why the number of samples cannot be had on this site; else nothing."""
        recipe = self.document.recipe
        try:
            Grid.of(recipe.site, self.level, recipe.delivery)
        except DeliveryError as error:
            return str(error)
        return ""

    def _example(self, rows: tuple) -> str:
        """Example of a file's name."""
        if not rows or self.unfit:
            return ""
        recipe = self.document.recipe
        return names_of(recipe, rows[0], self.level, parts_for(recipe, rows[0], self.level)[-1])[0]

    def _told_before(self, rows: tuple) -> str:
        """Warning about files that delivering would replace."""
        if self.running:
            return ""
        recipe, folder = self.document.recipe, self.out_folder()
        parts = {d: parts_for(recipe, d, self.level) for d in rows}
        count = sum(map(len, parts.values()))
        if count > MOST_LOOKED_AT:
            return f"{count} files"
        names = [n for d in rows for part in parts[d] for n in names_of(recipe, d, self.level, part)]
        there = sum((folder / name).exists() for name in names)
        of = f"{len(names)} file{'s' if len(names) != 1 else ''}"
        return f"{of}; {there} of them there already, written anew unless they would be the same" if there else of

    def _fill_row(self, r: int, d: Deliverable) -> None:
        recipe, fmt = self.document.recipe, FORMATS.get(d.format)
        rows, columns = (0, 0) if self.unfit else Grid.of(recipe.site, self.level, recipe.delivery).shape
        item = self.builds.items.get(d)
        size = amount(item.bytes) if item and item.files else "–"
        node = recipe.nodes.get(d.node)
        port = node.spec.output(d.port) if node and node.spec else None
        source = (node.name if node else "?") + (
            f" · {port.label.lower()}" if port and node.spec.main is not port else ""
        )
        tile = recipe.delivery.tile
        samples = f"{columns} × {rows}" if not tile or tile >= max(rows, columns) else f"tiles of {tile}"
        samples = "one file" if is_one(d) else samples
        for c, text in enumerate((d.name, source, fmt.label if fmt else d.format, samples, size, "")):
            cell = QTableWidgetItem(text)
            if c or not recipe.deliverables:
                cell.setFlags(cell.flags() & ~Qt.ItemFlag.ItemIsEditable)
            if c in (3, 4):
                cell.setFont(mono(9))
            self.table.setItem(r, c, cell)
        self.table.item(r, 5).setData(
            Qt.ItemDataRole.UserRole, (item.state, item.fraction, item.note) if item else None
        )

    def _show_facts(self) -> None:
        rows, r = self.deliverables(), self.table.currentRow()
        self._picture()
        d = rows[r] if 0 <= r < len(rows) else None
        self.options.show_deliverable(d)
        if d is None:
            self.facts.show_lines("", [])
            return
        item = self.builds.items.get(d)
        if item is not None and item.state == B.FAILED:
            lines = [("Failed", item.note)]
        elif item is None or not item.files:
            lines = [] if self.unfit else before(self.document.recipe, d, self.level)
        else:
            lines = after(item)
        self.facts.show_lines(d.name, lines)

    def _card_drawn(self, node: str, picture: QImage, key: str) -> None:
        if self.isVisible():
            self._picture()

    def _picture(self) -> None:
        rows, r = self.deliverables(), self.table.currentRow()
        image = (
            self.engine.picture_of(self.document.recipe, rows[r].node, self.document.folder)
            if 0 <= r < len(rows)
            else None
        )
        self.picture.setVisible(image is not None)
        if image is not None:
            self.picture.setPixmap(
                QPixmap.fromImage(image).scaled(
                    200, 200, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
                )
            )

    # -- edits ------------------------------------------------------------------------------------------
    def _edit(self, text: str, change: Callable) -> None:
        """Edits the list; the usual deliverables become the recipe's own with the first edit."""
        self.document.edit(text, lambda r: replace(r, deliverables=change(r.deliverables or usual(r))))

    def _renamed(self, cell: QTableWidgetItem) -> None:
        name, row = clean(cell.text(), 80), cell.row()
        if cell.column() == 0 and name and self.document.recipe.deliverables:
            self._edit(
                "Rename deliverable",
                lambda ds: tuple(replace(d, name=name) if k == row else d for k, d in enumerate(ds)),
            )

    def _open_add(self) -> None:
        self.panel = AddPanel(self.document, {d.name for d in self.deliverables()}, self)
        self.panel.chosen.connect(self.add_many)
        place = self.add_button.mapToGlobal(self.add_button.rect().topLeft())
        self.panel.open_at(place - QPoint(0, min(self.panel.height(), place.y())))

    def add_many(self, orders: tuple[Deliverable, ...]) -> None:
        """Adds deliverables as one step."""
        room = model.MOST_DELIVERABLES - len(self.deliverables())
        if len(orders) > room:
            self.said.emit(f"The recipe has {model.MOST_DELIVERABLES} deliverables at most; {room} can be added.")
            return
        self._edit("Add to the delivery", lambda ds: (*ds, *orders))

    @property
    def sheet(self) -> Path:
        """The import sheet of what is in the folder."""
        return self.out_folder() / sheet_name(manifest_name(self.document.recipe))

    def open_sheet(self) -> None:
        """Opens the import sheet."""
        QDesktopServices.openUrl(QUrl.fromLocalFile(str(self.sheet.resolve())))

    def preview_mesh(self, d: Deliverable) -> None:
        """Shows the mesh of a deliverable in Relief."""
        self.mesh = MeshPreview(self, d)
        self.mesh.open()

    def _replace(self, old: Deliverable, new: Deliverable) -> None:
        """Puts a changed deliverable in the place of what it was."""
        self._edit("Change a deliverable", lambda ds: tuple(new if d == old else d for d in ds))

    def add(self, node_id: str, port: str, format_id: str) -> None:
        """Adds a deliverable with a name of its own."""
        state = self.document.recipe.nodes.get(node_id)
        if state is None or state.spec is None or state.spec.output(port) is None:
            return
        recipe, output = self.document.recipe, state.declared.output(port)
        if len(self.deliverables()) >= model.MOST_DELIVERABLES:
            self.said.emit(f"The recipe has {model.MOST_DELIVERABLES} deliverables already; remove some first.")
            return
        d = Deliverable(named(recipe, node_id, output, {d.name for d in self.deliverables()}), node_id, port, format_id)
        self._edit("Add deliverable", lambda ds: (*ds, with_slots(recipe, d, FORMATS[format_id])))

    def add_node(self, node_id: str) -> None:
        """Adds a node's main output in its usual format."""
        recipe = self.document.recipe
        spec = recipe.nodes[node_id].spec if node_id in recipe.nodes else None
        if spec and spec.main:
            formats = formats_for(kinds.kind_at(recipe, node_id, spec.main.id))
            if formats:
                self.add(node_id, spec.main.id, formats[0].id)
            else:
                self.said.emit(
                    f"{recipe.nodes[node_id].name} has nothing linked to it yet, so it is not known what it would "
                    "deliver."
                )

    def remove_chosen(self) -> None:
        row = self.table.currentRow()
        self._edit("Remove deliverable", lambda ds: tuple(d for k, d in enumerate(ds) if k != row))

    def set_level(self, level: int) -> None:
        """Delivers the samples of a level."""
        self.set_grid(Grid(self.document.recipe.site, level))

    def set_grid(self, grid: Grid) -> None:
        """Delivers on a grid."""
        self.builds.level, self.builds.items = grid.level, {}
        if grid.size != self.document.recipe.delivery.size:
            change = replace(self.document.recipe.delivery, size=grid.size)
            self.document.edit("Samples of the files", lambda r: replace(r, delivery=change))
        self._fill()

    def choose_folder(self) -> None:
        name = QFileDialog.getExistingDirectory(self, "Folder for the delivery", str(self.out_folder().parent))
        if name:
            self.folder = Path(name)
            self._fill()

    # -- builds -----------------------------------------------------------------------------------------
    def deliver_all(self) -> None:
        """Builds everything on the worker thread."""
        self.builds.deliver(self.out_folder())

    def queue(self, variants: list) -> None:
        """Builds several variants, each into a folder of its own."""
        self.builds.queue(variants, self.folder or self.document.folder)

    def stop(self) -> None:
        """Stops the build; what was finished stays."""
        self.builds.stop()

    def close_down(self) -> None:
        """Ends the thread that builds."""
        self.builds.close()

    def _begun(self, by_workers: bool) -> None:
        self.stop_button.setEnabled(True)
        self.go_button.setEnabled(False)
        self._fill()
        self.summary.setText("Starting workers" if by_workers else "Working")

    def _told(self, index: int, item: B.Item) -> None:
        rows, items = self.deliverables(), self.builds.items
        # it may have been taken off the list meanwhile
        row = rows.index(item.deliverable) if item.deliverable in rows else -1
        if 0 <= row < self.table.rowCount():
            self.table.blockSignals(True)
            self._fill_row(row, rows[row])
            self.table.blockSignals(False)
        count = max(1, len(self.builds.building))
        done = sum(i.state == B.DONE for i in items.values())
        self.total.setValue(int(1000 * sum(i.fraction for i in items.values()) / count))
        doing = f" · {item.note}" if item.state == B.WORKING and item.note else ""
        self.summary.setText(f"{done} of {count} written{doing}")
        if item.over and row == self.table.currentRow():
            self._show_facts()

    def _farmed(self, progress: Progress) -> None:
        self.total.setValue(int(1000 * progress.done / max(1, progress.total)))
        self.summary.setText(f"{progress.done} of {progress.total} pieces done by {len(progress.at)} workers")
        self.common.show_workers(progress.at, progress.link)

    def _ended(self, result: list[B.Item] | str) -> None:
        self.common.show_workers({}, "")
        self.stop_button.setEnabled(False)
        self.go_button.setEnabled(bool(self.deliverables()))
        if isinstance(result, str):
            self.summary.setText("Not delivered")
        else:
            done = sum(i.state == B.DONE for i in result)
            failed = sum(i.state == B.FAILED for i in result)
            words = f"{done} of {len(result)} written and read back" + (f" · {failed} failed" if failed else "")
            self.summary.setText(words)
            self.total.setValue(1000 * done // max(1, len(result)))
            self._write_pdf()
        if self.isVisible():
            self._fill()

    def _write_pdf(self) -> None:
        """Writes the import sheet of what was delivered as a PDF too."""
        sheet = self.builds.where / self.sheet.name
        try:
            if sheet.is_file():
                write_pdf(sheet)
        except OSError as error:
            self.said.emit(f"{sheet.with_suffix('.pdf')} cannot be written: {reason_of(error)}.")
