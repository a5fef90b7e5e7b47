"""The panel in which outputs are marked for delivery, many at once."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QHeaderView,
    QLabel,
    QLineEdit,
    QPushButton,
    QTreeWidget,
    QTreeWidgetItem,
    QVBoxLayout,
)

from gelande.app.document import Document
from gelande.core.recipe import kinds
from gelande.core.recipe.deliverables import Deliverable
from gelande.core.recipe.model import Recipe
from gelande.core.recipe.node import Port
from gelande.core.recipe.raster import COLOUR, HEIGHT, MASK
from gelande.deliver.formats import FORMATS, formats_for

from ..switches import Pick
from .options import givers, with_slots

SOURCE, KIND = Qt.ItemDataRole.UserRole, Qt.ItemDataRole.UserRole + 1
KINDS = {HEIGHT: "Heights as", MASK: "Masks as", COLOUR: "Colours as"}


def named(recipe: Recipe, node_id: str, port: Port, taken: set[str]) -> str:
    """A name of its own for a deliverable."""
    state = recipe.nodes[node_id]
    base = state.name if port is state.declared.result else f"{state.name} {port.label.lower()}"
    name, n = base, 2
    while name in taken:
        name, n = f"{base} {n}", n + 1
    return name


class AddPanel(QFrame):
    """All outputs by node; a tick marks one, a node's tick all of its outputs. chosen: the deliverables to add."""

    chosen = pyqtSignal(tuple)

    def __init__(self, document: Document, taken: set[str], parent=None) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("sheet")
        self.setProperty("ruled", True)
        self.document, self.taken = document, taken
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 12, 14, 12)
        column.addWidget(QLabel("Add to the delivery", objectName="head"))
        self.search = QLineEdit()
        self.search.setPlaceholderText("Find an output")
        self.search.textChanged.connect(self._find)
        column.addWidget(self.search)
        self.tree = QTreeWidget()
        self.tree.setHeaderLabels(("Output", "Holds"))
        self.tree.header().setStretchLastSection(False)
        self.tree.header().setSectionResizeMode(0, QHeaderView.ResizeMode.Stretch)
        self.tree.itemChanged.connect(lambda *_: self._count())
        column.addWidget(self.tree, 1)
        grid = QGridLayout()
        self.formats: dict[str, Pick] = {}
        for k, (kind, words) in enumerate(KINDS.items()):
            box = self.formats[kind] = Pick(words)
            for f in formats_for(kind):
                box.addItem(f.label, f.id)
            grid.addWidget(QLabel(words), k, 0)
            grid.addWidget(box, k, 1)
        grid.setColumnStretch(1, 1)
        column.addLayout(grid)
        line = QHBoxLayout()
        self.count = QLabel(objectName="muted")
        self.button = QPushButton("Add marked", objectName="primary")
        self.button.clicked.connect(self.take)
        line.addWidget(self.count, 1)
        line.addWidget(self.button)
        column.addLayout(line)
        self._fill()
        self._count()
        self.setFixedSize(440, 520)

    def _fill(self) -> None:
        recipe = self.document.recipe
        for node_id, state in givers(recipe):
            top = QTreeWidgetItem(self.tree, [state.name, ""])
            top.setFlags(top.flags() | Qt.ItemFlag.ItemIsUserCheckable | Qt.ItemFlag.ItemIsAutoTristate)
            for port in state.declared.outputs:
                kind = kinds.kind_at(recipe, node_id, port.id)
                item = QTreeWidgetItem(top, [port.label, kind])
                item.setData(0, SOURCE, (node_id, port.id))
                item.setData(0, KIND, kind)
                item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
                item.setCheckState(0, Qt.CheckState.Unchecked)
                item.setDisabled(kind not in KINDS)
            top.setExpanded(len(state.declared.outputs) <= 4)

    def items(self) -> list[QTreeWidgetItem]:
        """All outputs."""
        tops = [self.tree.topLevelItem(k) for k in range(self.tree.topLevelItemCount())]
        return [top.child(k) for top in tops for k in range(top.childCount())]

    def marked(self) -> list[QTreeWidgetItem]:
        """Those that are ticked."""
        return [i for i in self.items() if i.checkState(0) == Qt.CheckState.Checked and i.data(0, KIND) in KINDS]

    def _count(self) -> None:
        marked = self.marked()
        self.count.setText(f"{len(marked)} marked" if marked else "Nothing marked")
        self.button.setEnabled(bool(marked))
        kinds = {i.data(0, KIND) for i in marked}
        for kind, box in self.formats.items():
            box.setEnabled(kind in kinds or not marked)

    def _find(self, text: str) -> None:
        words = text.casefold().split()
        for k in range(self.tree.topLevelItemCount()):
            top, shown = self.tree.topLevelItem(k), False
            for c in range(top.childCount()):
                item = top.child(c)
                whole = f"{top.text(0)} {item.text(0)} {item.text(1)}".casefold()
                item.setHidden(not all(w in whole for w in words))
                shown = shown or not item.isHidden()
            top.setHidden(not shown)
            if words:
                top.setExpanded(True)

    def take(self) -> None:
        """Adds what is marked."""
        recipe, taken, found = self.document.recipe, set(self.taken), []
        for item in self.marked():
            node_id, port_id = item.data(0, SOURCE)
            port = recipe.nodes[node_id].declared.output(port_id)
            fmt = FORMATS[self.formats[item.data(0, KIND)].currentData()]
            name = named(recipe, node_id, port, taken)
            taken.add(name)
            found.append(with_slots(recipe, Deliverable(name, node_id, port_id, fmt.id), fmt))
        self.close()
        self.chosen.emit(tuple(found))

    def open_at(self, place: QPoint) -> None:
        """Shows the panel."""
        self.move(place)
        self.show()
        self.search.setFocus()
