"""The Deliver workspace: the table of deliverables, their progress, and what their numbers mean."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtGui import QPixmap
from PyQt6.QtWidgets import (
    QAbstractItemView,
    QComboBox,
    QFileDialog,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QMenu,
    QProgressBar,
    QPushButton,
    QSizePolicy,
    QTableWidget,
    QTableWidgetItem,
    QVBoxLayout,
    QWidget,
)

from gelande.core import model, walk
from gelande.core.errors import GelandeError
from gelande.core.evaluate import Stop
from gelande.core.orders import Deliverable
from gelande.core.site import COARSEST
from gelande.core.words import amount, clean
from gelande.deliver import build as B
from gelande.deliver.formats import FORMATS, formats_for
from gelande.deliver.names import default_folder, names_of, variant_folder
from gelande.deliver.wanted import usual

from ..flow import CutLabel
from ..theme import mono
from ..worker import Worker
from .bar import BarDelegate

COLUMNS = ("Deliverable", "From", "Format", "Samples", "Size", "Progress")


class DeliverPage(QWidget):
    """Edits the recipe's deliverables and builds them on a thread."""

    said = pyqtSignal(str)
    told = pyqtSignal(int, object)
    ended = pyqtSignal(object)

    def __init__(self, document, engine, parent=None):
        super().__init__(parent)
        self.setObjectName("paper")
        self.document, self.engine = document, engine
        self.items: dict[Deliverable, B.Item] = {}  # of the newest build; what is shown may have changed since
        self.building: tuple[Deliverable, ...] = ()
        self.level, self.folder = 5, None
        self.stop_flag = Stop()
        self.worker = Worker(
            "deliver", lambda error: self.ended.emit("The delivery ended with a fault inside; what was finished stays.")
        )
        self.worker.start()
        self.queued: list = []
        self.outcomes: list[
            tuple[bool, str]
        ] = []  # of each variant of a queue: whether it is whole, and what was said of it
        self.running = False
        self._build()
        self.told.connect(self._told)
        self.ended.connect(self._ended)
        document.changed.connect(self._changed)
        engine.card.connect(self._card_drawn)

    # -- parts ------------------------------------------------------------------------------------------
    def _card(self, title: str) -> tuple[QFrame, QVBoxLayout, QLabel]:
        card = QFrame(objectName="sheet")
        card.setProperty("ruled", True)
        column = QVBoxLayout(card)
        column.setContentsMargins(14, 9, 14, 9)
        head = CutLabel(title, objectName="head")
        column.addWidget(head)
        return card, column, head

    def _build(self):
        page = QVBoxLayout(self)
        page.setContentsMargins(20, 16, 20, 14)
        page.setSpacing(12)
        top = QHBoxLayout()
        top.setSpacing(16)
        what, column, self.title = self._card("")
        row = QHBoxLayout()
        self.detail = QComboBox()
        self.detail.setAccessibleName("Detail of the delivery")
        self.detail.activated.connect(lambda i: self.set_level(self.detail.itemData(i)))
        row.addWidget(self.detail, 1)
        column.addLayout(row)
        where, column, _ = self._card("Folder")
        row = QHBoxLayout()
        self.folder_label = CutLabel(cut=Qt.TextElideMode.ElideLeft, objectName="mono")
        choose = QPushButton("Choose")
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
        page.addWidget(self._table(), 3)
        page.addLayout(self._buttons())
        page.addLayout(self._facts(), 2)

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
        for c, width in enumerate((190, 170, 190, 130, 90)):
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
        self.hint = QLabel(objectName="muted")
        row.addWidget(self.add_button)
        row.addWidget(self.remove_button)
        row.addWidget(self.hint, 1)
        row.addWidget(self.stop_button)
        row.addWidget(self.go_button)
        return row

    def _facts(self) -> QHBoxLayout:
        row = QHBoxLayout()
        row.setSpacing(16)
        self.picture = QLabel()
        self.picture.setFixedSize(230, 230)
        self.picture.setScaledContents(True)
        frame, column, self.facts_title = self._card("")
        self.facts = QGridLayout()
        self.facts.setVerticalSpacing(3)
        column.addLayout(self.facts)
        column.addStretch(1)
        row.addWidget(self.picture, 0, Qt.AlignmentFlag.AlignTop)
        row.addWidget(frame, 1)
        return row

    # -- what is shown ----------------------------------------------------------------------------------
    def deliverables(self) -> tuple[Deliverable, ...]:
        recipe = self.document.recipe
        return recipe.deliverables or usual(recipe)

    def enter(self):
        """The workspace is shown."""
        self._fill()

    def _changed(self, before, after):
        if not self.running:
            self.items = {}
        if self.isVisible():
            self._fill()

    def out_folder(self) -> Path:
        return self.folder or default_folder(self.document.recipe, self.document.folder)

    def _fill(self):
        recipe = self.document.recipe
        site = recipe.site
        self.title.setText(f"{site.name}, seed {recipe.seed}")
        self.detail.clear()
        for level in self.document.recipe.site.levels:
            rows, columns = site.shape(level)
            self.detail.addItem(f"{columns} × {rows} · {site.spacing(level):.3g} m per sample", level)
        self.detail.setCurrentIndex(self.level - COARSEST)
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
        self.hint.setText("" if rows else "Nothing to deliver yet: make a height in Compose first.")
        self.go_button.setEnabled(bool(rows) and not self.running)
        self.remove_button.setEnabled(bool(recipe.deliverables))
        if rows:
            self.table.setCurrentCell(min(chosen, len(rows) - 1), 0)
        self._show_facts()

    def _fill_row(self, r: int, d: Deliverable):
        recipe, fmt = self.document.recipe, FORMATS.get(d.format)
        rows, columns = recipe.site.shape(self.level)
        item = self.items.get(d)
        size = amount(item.bytes) if item and item.files else "–"
        node = recipe.nodes.get(d.node)
        port = node.spec.output(d.port) if node and node.spec else None
        source = (node.name if node else "?") + (
            f" · {port.label.lower()}" if port and node.spec.main is not port else ""
        )
        for c, text in enumerate((d.name, source, fmt.label if fmt else d.format, f"{columns} × {rows}", size, "")):
            cell = QTableWidgetItem(text)
            if c or not recipe.deliverables:
                cell.setFlags(cell.flags() & ~Qt.ItemFlag.ItemIsEditable)
            if c in (3, 4):
                cell.setFont(mono(9))
            self.table.setItem(r, c, cell)
        self.table.item(r, 5).setData(Qt.ItemDataRole.UserRole, (item.state, item.share, item.note) if item else None)

    def _show_facts(self):
        while self.facts.count():
            self.facts.takeAt(0).widget().deleteLater()
        rows, r = self.deliverables(), self.table.currentRow()
        self._picture()
        if not 0 <= r < len(rows):
            self.facts_title.setText("")
            return
        d = rows[r]
        item = self.items.get(d)
        self.facts_title.setText(d.name)
        for k, (label, value) in enumerate(self._fact_lines(d, item)):
            name, text = QLabel(label, objectName="muted"), QLabel(value, objectName="mono")
            text.setTextInteractionFlags(Qt.TextInteractionFlag.TextSelectableByMouse)
            text.setWordWrap(True)
            text.setSizePolicy(QSizePolicy.Policy.Ignored, QSizePolicy.Policy.Preferred)
            text.setToolTip(value)
            self.facts.addWidget(name, k, 0)
            self.facts.addWidget(text, k, 1)
        self.facts.setColumnStretch(1, 1)

    def _fact_lines(self, d: Deliverable, item) -> list[tuple[str, str]]:
        if item is not None and item.state == B.FAILED:
            return [("Failed", item.note)]
        if item is None or not item.facts:
            return [
                ("File", names_of(self.document.recipe, d, self.level)[0]),
                ("Metres per sample", f"{self.document.recipe.site.spacing(self.level):.3f} m"),
                ("Numbers", "stated and read back when the file is written"),
            ]
        f = item.facts
        m = f["meaning"]
        lines = [("File", f["file"])]
        if f["kind"] == "height":
            lines += [
                ("Zero level" if "PNG" in f["format"] else "Lowest", f"{m['zero']:.2f} m"),
                ("Full level" if "PNG" in f["format"] else "Highest", f"{m['full']:.2f} m"),
                ("Height span to type in", f"{m['full'] - m['zero']:.2f} m"),
            ]
            if "PNG" in f["format"]:
                lines.append(("Step of one count", f"{m['step'] * 1000:.2f} mm"))
            lines.append(("Largest rounding error", f"{f['largest_rounding_error'] * 1000:.2f} mm"))
        else:
            lines += [
                ("Black is", "0 %"),
                ("White is", "100 %"),
                ("Largest rounding error", f"{f['largest_rounding_error'] * 100:.3f} %"),
            ]
        lines += [
            ("Metres per sample", f"{f['metres_per_sample']:.3f} m"),
            ("Read back", "identical, " + f"{f['samples'][0] * f['samples'][1]:,} samples".replace(",", " ")),
            ("SHA-256", f["sha256"][:32] + "…"),
        ]
        return lines

    def _card_drawn(self, node: str, picture, key):
        if self.isVisible():
            self._picture()

    def _picture(self):
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
                    230, 230, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
                )
            )

    # -- edits ------------------------------------------------------------------------------------------
    def _edit(self, text, change):
        """Edits the list; the usual deliverables become the recipe's own with the first edit."""
        self.document.edit(text, lambda r: replace(r, deliverables=change(r.deliverables or usual(r))))

    def _renamed(self, cell):
        name, row = clean(cell.text(), 80), cell.row()
        if cell.column() == 0 and name and self.document.recipe.deliverables:
            self._edit(
                "Rename deliverable",
                lambda ds: tuple(replace(d, name=name) if k == row else d for k, d in enumerate(ds)),
            )

    def _open_add(self):
        menu, recipe = QMenu(self), self.document.recipe
        for node_id in reversed(walk.in_order(recipe)):
            state = recipe.nodes[node_id]
            if state.spec is None or not state.spec.outputs or state.kind in ("junction", "entry", "group"):
                continue
            sub = menu.addMenu(state.name)
            for port in state.spec.outputs:
                for fmt in formats_for(model.kind_at(recipe, node_id, port.id)):
                    sub.addAction(
                        f"{port.label} · {fmt.label}", lambda n=node_id, p=port, f=fmt: self.add(n, p.id, f.id)
                    )
        menu.exec(self.add_button.mapToGlobal(self.add_button.rect().topLeft()))
        menu.deleteLater()

    def add(self, node_id: str, port: str, format_id: str):
        """Adds a deliverable with a name of its own."""
        state = self.document.recipe.nodes.get(node_id)
        if state is None or state.spec is None or state.spec.output(port) is None:
            return
        output = state.spec.output(port)
        base = state.name if output is state.spec.main else f"{state.name} {output.label.lower()}"
        if len(self.deliverables()) >= model.MOST_DELIVERABLES:
            self.said.emit(f"The recipe has {model.MOST_DELIVERABLES} deliverables already; remove some first.")
            return
        taken, name, n = {d.name for d in self.deliverables()}, base, 2
        while name in taken:
            name, n = f"{base} {n}", n + 1
        self._edit("Add deliverable", lambda ds: (*ds, Deliverable(name, node_id, port, format_id)))

    def add_node(self, node_id: str):
        """Adds a node's main output in its usual format."""
        recipe = self.document.recipe
        spec = recipe.nodes[node_id].spec if node_id in recipe.nodes else None
        if spec and spec.main:
            formats = formats_for(model.kind_at(recipe, node_id, spec.main.id))
            if formats:
                self.add(node_id, spec.main.id, formats[0].id)
            else:
                self.said.emit(
                    f"{recipe.nodes[node_id].name} has nothing linked to it yet, so it is not known what it would "
                    "deliver."
                )

    def remove_chosen(self):
        row = self.table.currentRow()
        self._edit("Remove deliverable", lambda ds: tuple(d for k, d in enumerate(ds) if k != row))

    def set_level(self, level: int):
        self.level, self.items = level, {}
        self._fill()

    def choose_folder(self):
        name = QFileDialog.getExistingDirectory(self, "Folder for the delivery", str(self.out_folder().parent))
        if name:
            self.folder = Path(name)
            self._fill()

    # -- building ---------------------------------------------------------------------------------------
    def deliver_all(self):
        """Builds everything on the worker thread."""
        if not self.running:
            self.outcomes = []
            self._start(self.document.recipe, self.out_folder())

    def queue(self, variants: list):
        """Builds several variants one after another, each into a folder of its own; those of a queue that still
        runs come first."""
        taken = {folder for _, folder in self.queued}
        if not self.running:
            self.outcomes = []
        for v in variants:
            folder, n = variant_folder(v.recipe, v.name, self.folder or self.document.folder), 2
            plain = folder
            while folder in taken:  # the same seed under other settings
                folder, n = plain.with_name(f"{plain.name}_{n}"), n + 1
            taken.add(folder)
            self.queued.append((v.recipe, folder))
        self._next()

    def _next(self):
        if self.queued and not self.running:
            recipe, folder = self.queued.pop(0)
            self._start(recipe, folder)

    def _start(self, recipe, folder: Path):
        self.items, self.running, self.stop_flag = {}, True, Stop()
        self._where, self.building = folder, recipe.deliverables or usual(recipe)
        self.stop_button.setEnabled(True)
        self.go_button.setEnabled(False)
        self.summary.setText("Working")
        stop, level, base, evaluator = self.stop_flag, self.level, self.document.folder, self.engine.evaluator

        def run():
            try:
                result = B.build(
                    recipe, level, folder, evaluator, stop, lambda i, item: self.told.emit(i, replace(item)), base
                )
            except (GelandeError, OSError) as error:
                result = str(error)
            self.ended.emit(result)

        self.worker.ask(run, stop)
        self._fill()

    def _told(self, index: int, item: B.Item):
        self.items[item.deliverable] = item
        rows = self.deliverables()
        row = (
            rows.index(item.deliverable) if item.deliverable in rows else -1
        )  # it may have been taken off the list meanwhile
        if 0 <= row < self.table.rowCount():
            self.table.blockSignals(True)
            self._fill_row(row, rows[row])
            self.table.blockSignals(False)
        count = max(1, len(self.building))
        done = sum(i.state == B.DONE for i in self.items.values())
        self.total.setValue(int(1000 * sum(i.share for i in self.items.values()) / count))
        self.summary.setText(
            f"{done} of {count} written" + (f" · {item.note}" if item.state == B.WORKING and item.note else "")
        )
        if item.state in (B.DONE, B.FAILED, B.STOPPED) and row == self.table.currentRow():
            self._show_facts()

    def _ended(self, result):
        self.running = False
        self.stop_button.setEnabled(False)
        self.go_button.setEnabled(bool(self.deliverables()))
        if isinstance(result, str):
            self.summary.setText("Not delivered")
            whole, words = False, result
        else:
            done = sum(i.state == B.DONE for i in result)
            failed = [i for i in result if i.state == B.FAILED]
            self.summary.setText(
                f"{done} of {len(result)} written and read back" + (f" · {len(failed)} failed" if failed else "")
            )
            whole = done == len(result)
            words = f"{done} of {len(result)} files written to {self._where}." + (
                f" {failed[0].deliverable.name}: {failed[0].note}" if failed else ""
            )
        self.outcomes.append((whole, words))
        self.said.emit(words)
        if self.queued:
            self._next()  # one that failed does not keep the others waiting
        elif len(self.outcomes) > 1:
            bad = [words for whole, words in self.outcomes if not whole]
            count = len(self.outcomes)
            self.said.emit(
                f"{count} variants delivered."
                if not bad
                else f"{count - len(bad)} of {count} variants delivered whole. {bad[0]}"
            )

    def stop(self):
        """Stops the build; what was finished stays."""
        self.queued = []
        self.stop_flag.set()

    def close_down(self):
        self.stop()
        self.worker.close()
        self.worker.join(10)
