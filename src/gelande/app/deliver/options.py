"""How the chosen deliverable is written: its format, the format's options, and other outputs that go into the file."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from gelande.app.document import Document
from gelande.core.evaluate.query import last_of
from gelande.core.recipe import kinds, model, walk
from gelande.core.recipe.deliverables import Deliverable
from gelande.core.recipe.model import Recipe
from gelande.deliver.formats import FORMATS, Slot, Writer, formats_for

from ..editors import DOT, make_row
from ..flow import CutLabel
from ..switches import Pick

NOTHING = "Nothing"


def givers(recipe: Recipe) -> list[tuple[str, model.NodeState]]:
    """Nodes whose outputs may be delivered, the most worked-on first."""
    found = ((n, recipe.nodes[n]) for n in reversed(walk.in_order(recipe)))
    passing = ("junction", "entry", "group")
    return [(n, s) for n, s in found if s.spec is not None and s.declared.outputs and s.kind not in passing]


def outputs(recipe: Recipe, kind: str = "") -> list[tuple[str, str, str]]:
    """(words, node, port) of all outputs, or of those of a kind; the most worked-on first."""
    found = []
    for node_id, state in givers(recipe):
        for port in state.declared.outputs:
            if not kind or kinds.kind_at(recipe, node_id, port.id) == kind:
                words = state.name if port is state.declared.result else f"{state.name} · {port.label.lower()}"
                found.append((words, node_id, port.id))
    return found


def with_slots(recipe: Recipe, d: Deliverable, fmt: Writer) -> Deliverable:
    """A deliverable with what its format cannot do without, taken from the recipe's last outputs; what the format has
    no place for is left out."""
    last = last_of(recipe)
    more = [(s, node, port) for s, node, port in d.more if any(slot.id == s for slot in fmt.slots)]
    for slot in fmt.slots:
        if slot.kind in last and all(s != slot.id for s, _, _ in more) and (slot.needed or slot.usual):
            more.append((slot.id, *last[slot.kind]))
    return replace(d, more=tuple(sorted(more)))


class OptionsCard(QFrame):
    """Edits one deliverable. changed: by the deliverable that it was and the one that it is to be."""

    changed = pyqtSignal(object, object)
    preview_asked = pyqtSignal(object)
    said = pyqtSignal(str)

    def __init__(self, document: Document, parent=None) -> None:
        super().__init__(parent, objectName="sheet")
        self.setProperty("ruled", True)
        self.document, self.d = document, None
        outer = QVBoxLayout(self)
        outer.setContentsMargins(14, 9, 4, 6)
        outer.addWidget(CutLabel("How it is written", objectName="head"))
        self.format = Pick("Format")
        self.format.activated.connect(self._format_chosen)
        line = QHBoxLayout()
        line.setContentsMargins(0, 0, 10, 0)
        line.addWidget(self.format, 1)
        self.preview = QPushButton("Preview")
        self.preview.setToolTip("Shows the mesh in Relief, with its number of triangles and largest height error.")
        self.preview.clicked.connect(lambda: self.preview_asked.emit(self.d))
        line.addWidget(self.preview)
        outer.addLayout(line)
        self.area = QScrollArea()
        self.area.setWidgetResizable(True)
        self.area.setFrameShape(QFrame.Shape.NoFrame)
        self.area.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        outer.addWidget(self.area, 1)
        self.rows: dict[str, object] = {}
        self.slots: dict[str, Pick] = {}
        self._made_for: tuple = ()

    def show_deliverable(self, d: Deliverable | None) -> None:
        """Shows a deliverable's format and options."""
        self.d = d
        self.setVisible(d is not None)
        if d is None:
            return
        recipe, fmt = self.document.recipe, FORMATS.get(d.format)
        port = kinds.output_port(recipe, *d.source)
        fitting = formats_for(port.kind) if port is not None else []
        self.format.clear()
        for f in fitting:
            self.format.addItem(f.label, f.id)
        if fmt is None or fmt not in fitting:
            self.format.addItem(d.format if fmt is None else fmt.label, d.format)
        self.format.setCurrentIndex(self.format.findData(d.format))
        self.preview.setVisible(fmt is not None and fmt.group == "Mesh")
        made_for = (d.format, fmt is not None and tuple(outputs(recipe)) if fmt and fmt.slots else ())
        if made_for != self._made_for:
            self._made_for = made_for
            self._make(fmt)
        options = dict(d.options)
        for name, row in self.rows.items():
            row.set_value(options.get(name, row.param.default))
        for slot, box in self.slots.items():
            # tuples are not found by findData
            there = [k for k in range(box.count()) if box.itemData(k) == d.other(slot)]
            box.setCurrentIndex(there[0] if there else 0)

    def _make(self, fmt: Writer | None) -> None:
        inside = QWidget(objectName="sheet")
        column = QVBoxLayout(inside)
        column.setContentsMargins(0, 4, 10, 4)
        column.setSpacing(2)
        self.rows, self.slots = {}, {}
        for slot in fmt.slots if fmt else ():
            column.addLayout(self._slot(slot))
        for param in fmt.params if fmt else ():
            row = self.rows[param.id] = make_row(param, param.default, publishable=False)
            row.edited.connect(self._edited)
            row.refused.connect(self.said)
            column.addWidget(row)
        if not self.rows and not self.slots:
            column.addWidget(QLabel("This format has no options.", objectName="muted"))
        column.addStretch(1)
        self.area.setWidget(inside)

    def _slot(self, slot: Slot) -> QHBoxLayout:
        line = QHBoxLayout()
        line.setContentsMargins(DOT, 0, 0, 2)
        name, box = QLabel(slot.label), Pick(slot.label)
        if not slot.needed:
            box.addItem(NOTHING, None)
        for words, node, port in outputs(self.document.recipe, slot.kind):
            box.addItem(words, (node, port))
        box.activated.connect(lambda i, s=slot.id, b=box: self._slot_chosen(s, b.itemData(i)))
        self.slots[slot.id] = box
        line.addWidget(name)
        line.addWidget(box, 1)
        return line

    def _format_chosen(self, index: int) -> None:
        chosen = self.format.itemData(index)
        if self.d is None or chosen == self.d.format or chosen not in FORMATS:
            return
        fmt = FORMATS[chosen]
        keep = tuple(o for o in self.d.options if any(p.id == o[0] for p in fmt.params))
        after = with_slots(self.document.recipe, replace(self.d, format=chosen, options=keep), fmt)
        self.changed.emit(self.d, after)

    def _edited(self, name: str, value: float) -> None:
        if self.d is None:
            return
        options = {k: v for k, v in self.d.options if k != name}
        if value != self.rows[name].param.default:
            options[name] = value
        self.changed.emit(self.d, replace(self.d, options=tuple(sorted(options.items()))))

    def _slot_chosen(self, slot: str, source: tuple[str, str]) -> None:
        more = [m for m in self.d.more if m[0] != slot]
        if source is not None:
            more.append((slot, *source))
        self.changed.emit(self.d, replace(self.d, more=tuple(sorted(more))))
