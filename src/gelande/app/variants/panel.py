"""The panel in which the author edits one control: words, range, step, when it is shown, and what it drives."""

from __future__ import annotations

from dataclasses import replace

from PyQt6.QtCore import Qt
from PyQt6.QtWidgets import QFrame, QGridLayout, QLabel, QLineEdit, QPushButton

from gelande.app.document import Document
from gelande.core.errors import GelandeError
from gelande.core.recipe import control as C
from gelande.core.recipe import model
from gelande.core.recipe import param as P
from gelande.core.recipe.model import Recipe
from gelande.core.words import clean

from ..switches import Pick, Tick

FACTOR = "Times"
ALWAYS = "Always"


class ControlPanel(QFrame):
    """Name, group, sentence, range, step and everything that one control drives."""

    def __init__(self, document: Document, label: str, parent) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("sheet")
        self.setProperty("ruled", True)
        self.document = document
        self.control = C.find(document.recipe, label)
        self.param = C.param_of(document.recipe, self.control)
        self.targets = list(self.control.targets)
        self.grid = QGridLayout(self)
        self.grid.setContentsMargins(14, 12, 14, 12)
        self.grid.addWidget(QLabel("Control", objectName="head"), 0, 0)
        self.fields: dict[str, QLineEdit] = {}
        self._row = 1
        self._build_words()
        self._build_when()
        self.drives = QGridLayout()
        self.grid.addWidget(QLabel("Drives"), self._row, 0, Qt.AlignmentFlag.AlignTop)
        self.grid.addLayout(self.drives, self._row, 1)
        self.more = Pick("Drive another setting")
        self.more.addItem("Drive another setting too…")
        for node_id, p in self._candidates():
            self.more.addItem(f"{document.recipe.nodes[node_id].name}: {p.label}", model.Target(node_id, p.id))
        self.more.activated.connect(self._add_target)
        self.grid.addWidget(self.more, self._row + 1, 1)
        self.fault = QLabel(objectName="fault")
        self.fault.setWordWrap(True)
        self.grid.addWidget(self.fault, self._row + 2, 0, 1, 2)
        button = QPushButton("Set", objectName="primary")
        button.clicked.connect(self.take)
        self.grid.addWidget(button, self._row + 3, 1)
        self.setFixedWidth(420)
        self.ways: list[tuple[Pick, QLineEdit, QLineEdit]] = []
        self._show_targets()

    def _build_words(self) -> None:
        c = self.control
        values = [("label", "Name", c.label), ("group", "Group", c.group), ("help", "Sentence", c.help)]
        if self.param.numeric:
            values += [
                ("low", "Lowest", self.param.text(c.low)),
                ("high", "Highest", self.param.text(c.high)),
                ("step", "In steps of", "" if c.step is None else self.param.text(c.step)),
            ]
        for key, name, text in values:
            self.fields[key] = QLineEdit(text)
            if key == "step":
                self.fields[key].setPlaceholderText("any value")
            self.grid.addWidget(QLabel(name), self._row, 0)
            self.grid.addWidget(self.fields[key], self._row, 1)
            self._row += 1

    def _build_when(self) -> None:
        recipe = self.document.recipe
        self.when = Pick("Shown")
        self.when.addItem(ALWAYS, ())
        for other in recipe.controls:
            param = C.param_of(recipe, other)
            if other.label == self.control.label or param is None:
                continue
            for value in param.choices or ((True, False) if isinstance(param, P.Toggle) else ()):
                self.when.addItem(f"while {other.label} is {param.text(value)}", (other.label, (value,)))
        found = self.when.findData(self.control.shown_when)
        self.when.setCurrentIndex(max(0, found))
        self.grid.addWidget(QLabel("Shown"), self._row, 0)
        self.grid.addWidget(self.when, self._row, 1)
        self.closed = Tick("Closed: artists see it and cannot change it")
        self.closed.setChecked(self.control.closed)
        self.grid.addWidget(self.closed, self._row + 1, 1)
        self._row += 2

    def _candidates(self):
        """Settings that no control drives yet: numbers, or of what is no number those of the same kind."""
        recipe = self.document.recipe
        for node_id, state in recipe.nodes.items():
            for p in state.spec.all_params if state.spec else ():
                alike = type(p) is type(self.param) and (p.unit, p.choices) == (self.param.unit, self.param.choices)
                number = isinstance(p, P.Number) and not isinstance(p, P.Seed) and self.param.numeric
                if (alike or number) and not p.tool and not C.published(recipe, node_id, p.id):
                    yield node_id, p

    def _show_targets(self) -> None:
        while self.drives.count():
            self.drives.takeAt(0).widget().deleteLater()
        self.ways = []
        recipe = self.document.recipe
        for r, target in enumerate(self.targets):
            if target.node == model.RECIPE:
                self.drives.addWidget(QLabel("the recipe's seed", objectName="muted"), 2 * r, 0)
                continue
            own = C.declared(recipe, target)
            name = f"{recipe.nodes[target.node].name}: {own.label if own else target.param}"
            self.drives.addWidget(QLabel(name, objectName="muted"), 2 * r, 0, 1, 3)
            if isinstance(own, P.Number) and not isinstance(own, P.Seed):
                self._show_way(2 * r + 1, own, target)

    def _show_way(self, row: int, own: P.Number, target: model.Target) -> None:
        """Shows how one number is driven: times a factor, or from one value to another by a curve."""
        way = Pick("Way of driving it")
        way.addItems((FACTOR, *C.CURVES))
        low, high = QLineEdit(), QLineEdit()
        if target.span is None:
            low.setText(f"{target.times:g}")
        else:
            way.setCurrentText(target.curve)
            low.setText(own.text(target.span[0]))
            high.setText(own.text(target.span[1]))
        high.setVisible(target.span is not None)
        index = len(self.ways)
        way.activated.connect(lambda _: self._way_chosen(index, own))
        way.setToolTip("Times: the control's value times a number. Else: from one value to another while it goes up.")
        for c, part in enumerate((way, low, high)):
            self.drives.addWidget(part, row, c)
        self.ways.append((way, low, high))

    def _way_chosen(self, index: int, own: P.Number) -> None:
        way, low, high = self.ways[index]
        mapped = way.currentText() != FACTOR
        high.setVisible(mapped)
        if mapped and not high.text():
            low.setText(own.text(own.soft[0]))
            high.setText(own.text(own.soft[1]))
        elif not mapped:
            low.setText("1")

    def _add_target(self, index: int) -> None:
        target = self.more.itemData(index)
        if target is not None and all((t.node, t.param) != (target.node, target.param) for t in self.targets):
            try:
                self.targets = [*self._read_targets(), target]
            except ValueError as error:
                self.fault.setText(f"{str(error).rstrip('.')}.")
            self._show_targets()
            self.adjustSize()
        self.more.setCurrentIndex(0)

    def _read_targets(self) -> list[model.Target]:
        """Targets of the control, as the fields say. Raises ValueError."""
        ways, found = iter(self.ways), []
        for target in self.targets:
            own = C.declared(self.document.recipe, target)
            if target.node == model.RECIPE or not isinstance(own, P.Number) or isinstance(own, P.Seed):
                found.append(target)
                continue
            way, low, high = next(ways)
            if way.currentText() == FACTOR:
                times = P.number("times", "Times", 1.0, "", (-1e9, 1e9)).parse(low.text())
                found.append(replace(target, times=times, span=None, curve=""))
            else:
                span = (own.parse(low.text()), own.parse(high.text()))
                found.append(replace(target, times=1.0, span=span, curve=way.currentText()))
        return found

    def take(self) -> None:
        """Changes the control if everything is sound."""
        try:
            recipe = self._changed()
        except (ValueError, GelandeError) as error:
            self.fault.setText(f"{str(error).rstrip('.')}.")
            return
        self.close()
        self.document.edit("Edit control", lambda r: recipe)

    def _changed(self) -> Recipe | None:
        """The recipe with the control as the fields say. Raises ValueError and GelandeError."""
        targets = tuple(self._read_targets())
        limits: dict = {}
        if "low" in self.fields:
            limits = {k: self.param.parse(self.fields[k].text()) for k in ("low", "high")}
            step = self.fields["step"].text().strip()
            limits["step"] = self.param.parse(step) if step else None
            if targets[0].span is not None and self.control.targets[0].span is None:
                limits |= {"low": 0.0, "high": 1.0, "step": None}  # it is a share of the way from now on
            elif targets[0].span is None and self.control.targets[0].span is not None:
                own = C.declared(self.document.recipe, targets[0])
                limits |= {"low": own.soft[0], "high": own.soft[1], "step": None}
        new = replace(
            self.control,
            label=clean(self.fields["label"].text(), 80),
            targets=targets,
            group=clean(self.fields["group"].text(), 80),
            help=clean(self.fields["help"].text(), 500),
            closed=self.closed.isChecked(),
            shown_when=self.when.currentData() or (),
            **limits,
        )
        recipe = C.replace_control(self.document.recipe, self.control, new)
        if new.targets != self.control.targets:
            recipe = C.set_control(recipe, new, C.value_of(recipe, new))
        return recipe
