"""The graph as a list: nodes in the order of the work, what each is linked to and how it stands. For those who do not
see the sheet, and for finding a node in a long one."""

from __future__ import annotations

from PyQt6.QtCore import Qt, QTimer
from PyQt6.QtGui import QHideEvent, QKeyEvent, QShowEvent
from PyQt6.QtWidgets import QTreeWidget, QTreeWidgetItem

from gelande.core.evaluate.waiting import waiting
from gelande.core.recipe import walk
from gelande.core.recipe.kinds import output_port
from gelande.core.recipe.model import Recipe
from gelande.core.recipe.node import FRAME, GROUP, NOTE

from .canvas import Canvas
from .cardlook import CardLook

#: Keys that walk in the list; all others mean what they mean on the sheet.
WALKING = {
    *(Qt.Key.Key_Up, Qt.Key.Key_Down, Qt.Key.Key_Left, Qt.Key.Key_Right, Qt.Key.Key_Home, Qt.Key.Key_End),
    *(Qt.Key.Key_PageUp, Qt.Key.Key_PageDown, Qt.Key.Key_Tab, Qt.Key.Key_Backtab, Qt.Key.Key_Space),
}
#: Where an item holds the node that it belongs to and, a line about a link, the one at the other end.
NODE, OTHER = Qt.ItemDataRole.UserRole, Qt.ItemDataRole.UserRole + 1


#: Nodes that an output of a node leads to, by node and output.
Targets = dict[tuple[str, str], list[str]]


def targets_of(recipe: Recipe) -> Targets:
    """Where all outputs of a recipe lead."""
    found: Targets = {}
    for source, port, target, _ in recipe.links():
        if target in recipe.nodes:
            found.setdefault((source, port), []).append(target)
    return found


def links_of(recipe: Recipe, node_id: str, leads: Targets) -> list[tuple[str, str]]:
    """Sentences about the links of a node, each with the node at the other end, "" for none: inputs first."""
    state, found = recipe.nodes[node_id], []
    if state.spec is None:
        return [("Not known to this version", "")]
    for port in state.spec.inputs:
        source = state.inputs.get(port.id)
        if source is None or source[0] not in recipe.nodes:
            found.append((f"Input {port.label}: not linked", ""))
            continue
        out = output_port(recipe, *source)
        what = f", its {out.label}" if out is not None and out.id != "height" else ""
        found.append((f"Input {port.label}: from {recipe.nodes[source[0]].name}{what}", source[0]))
    for port in state.spec.outputs:
        targets = leads.get((node_id, port.id), [])
        names = ", ".join(recipe.nodes[t].name for t in targets)
        told = f"to {names}" if names else "not linked"
        found.append((f"Output {port.label}: {told}", targets[0] if targets else ""))
    return found


def state_of(recipe: Recipe, node_id: str, look: CardLook | None, waits: dict[str, str]) -> str:
    """How a node stands, in words; "" for one that is up to date."""
    if recipe.nodes[node_id].off:
        return "off"
    if node_id in waits:
        return f"waits: {waits[node_id]}"
    if look is None:
        return ""
    if look.fault:
        return f"failed: {look.fault}"
    return "at work" if look.working else "baked" if look.baked else "out of date" if look.stale else ""


class NodeList(QTreeWidget):
    """The list beside the sheet; the node that is marked in it is the selected one."""

    def __init__(self, canvas: Canvas) -> None:
        super().__init__()
        self.canvas, self.document = canvas, canvas.document
        self.setAccessibleName("List of nodes")
        self.setHeaderLabels(["Node", "Kind", "State"])
        self.setUniformRowHeights(True)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setMinimumWidth(220)
        self.items: dict[str, QTreeWidgetItem] = {}
        self._shape: object = None
        self._soon = QTimer(self, singleShot=True, interval=0)
        self._soon.timeout.connect(self.refresh)
        self.document.changed.connect(lambda *_: self.ask())
        canvas.chosen_changed.connect(self._mark)
        self.itemSelectionChanged.connect(self._selected)
        self.itemActivated.connect(self._follow)
        self.hide()

    def ask(self) -> None:
        """Has it told anew, once what is going on is over; not while nobody sees it."""
        if self.isVisible() and not self._soon.isActive():
            self._soon.start()

    def showEvent(self, event: QShowEvent) -> None:
        super().showEvent(event)
        self.refresh()
        for column, share in enumerate((0.48, 0.3)):
            self.setColumnWidth(column, int(share * self.width()))

    def hideEvent(self, event: QHideEvent) -> None:
        super().hideEvent(event)
        self._soon.stop()

    def refresh(self) -> None:
        """Tells the recipe as it is. Items are made anew only when nodes or links changed."""
        recipe, leads = self.document.recipe, targets_of(self.document.recipe)
        lines = {
            n: [] if state.role in (NOTE, GROUP) else links_of(recipe, n, leads)
            for n, state in recipe.nodes.items()
            if state.role != FRAME
        }
        shape = [(n, recipe.nodes[n].group, tuple(recipe.nodes[n].inputs.items()), len(of)) for n, of in lines.items()]
        self.blockSignals(True)
        if shape != self._shape:
            self._shape = shape
            self._fill(recipe, {n: len(of) for n, of in lines.items()})
        waits = waiting(recipe)
        for node_id, item in self.items.items():
            state = recipe.nodes[node_id]
            spec = state.spec
            kind = "Note" if state.role == NOTE else spec.name if spec else "unknown"
            told = (state.name, kind, state_of(recipe, node_id, self.canvas.looks.get(node_id), waits))
            for column, text in enumerate(told):
                if item.text(column) != text:
                    item.setText(column, text)
            for k, (text, other) in enumerate(lines[node_id]):
                item.child(k).setText(0, text)
                item.child(k).setData(0, OTHER, other)
        self.blockSignals(False)
        self._mark(self.canvas.chosen)

    def _fill(self, recipe: Recipe, lines: dict[str, int]) -> None:
        opened = {n for n, item in self.items.items() if item.isExpanded()}
        self.clear()
        self.items = {}
        shown = [n for n in walk.in_order(recipe) if n in lines]
        for node_id in shown:
            self.items[node_id] = item = QTreeWidgetItem()
            item.setData(0, NODE, node_id)
            for _ in range(lines[node_id]):
                QTreeWidgetItem(item).setData(0, NODE, node_id)
        for node_id in shown:
            group = self.items.get(recipe.nodes[node_id].group)
            (group.addChild if group is not None else self.addTopLevelItem)(self.items[node_id])
        for node_id, item in self.items.items():
            group = recipe.nodes[node_id].role == GROUP
            item.setExpanded(group or node_id in opened)
            for k in range(lines[node_id]):
                item.child(k).setFirstColumnSpanned(True)

    def _mark(self, node_id: str) -> None:
        item, now = self.items.get(node_id), self.currentItem()
        if item is None or not self.isVisible() or now is not None and now.data(0, NODE) == node_id:
            return  # it, or a line about its links, is marked
        self.blockSignals(True)
        self.setCurrentItem(item)
        self.blockSignals(False)

    def _selected(self) -> None:
        """Marking a node, or a line about its links, selects it."""
        marked = self.selectedItems()
        if not marked:
            return
        node_id = marked[0].data(0, NODE)
        group = self.document.recipe.nodes[node_id].group
        if group != self.canvas.inside:
            self.canvas.enter(group)
        self.canvas.choose(node_id)

    def _follow(self, item: QTreeWidgetItem, column: int) -> None:
        """Return on a line about a link goes to the node at its other end."""
        other = self.items.get(item.data(0, OTHER))
        if other is not None:
            self.setCurrentItem(other)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        item = self.currentItem()
        link = item is not None and item.data(0, OTHER) is not None
        if event.key() in WALKING or link and event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            super().keyPressEvent(event)
        else:
            self.canvas.keyPressEvent(event)
