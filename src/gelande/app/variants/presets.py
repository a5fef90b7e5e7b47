"""Presets by name: all control values under a name, brought back, compared, and stepped between."""

from __future__ import annotations

from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import (
    QFileDialog,
    QFrame,
    QGridLayout,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QMenu,
    QPushButton,
    QSlider,
    QVBoxLayout,
    QWidget,
)

from gelande.app.document import Document
from gelande.core.errors import GelandeError
from gelande.core.recipe.choices import Preset
from gelande.core.recipe.model import Recipe
from gelande.core.regenerate import preset, setfile
from gelande.deliver.names import slug

from ..switches import Pick

OWN = "Own values"
SETS = f"What was chosen (*{setfile.SUFFIX})"


class PresetBar(QWidget):
    """Bar with the preset that the controls stand at, with what can be done with it."""

    said = pyqtSignal(str)

    def __init__(self, document: Document, parent=None) -> None:
        super().__init__(parent)
        self.document = document
        self.panel: PresetPanel | None = None
        column = QVBoxLayout(self)
        column.setContentsMargins(0, 0, 0, 0)
        column.setSpacing(4)
        row = QHBoxLayout()
        row.setSpacing(4)
        self.which = Pick("Preset")
        self.which.setToolTip("Presets by name: choose one to bring all its values back")
        self.which.setMinimumWidth(60)
        self.which.activated.connect(lambda k: self.use(self.which.itemText(k)))
        row.addWidget(self.which, 1)
        self.more = QPushButton("Preset")
        self.menu = QMenu(self.more)
        self.menu.aboutToShow.connect(self._fill)
        self.more.setMenu(self.menu)
        row.addWidget(self.more)
        column.addLayout(row)
        self.name = QLineEdit()
        self.name.setPlaceholderText("Name, then Enter")
        self.name.returnPressed.connect(self._named)
        self.name.hide()
        column.addWidget(self.name)
        document.changed.connect(lambda before, after: self._show(after))
        self._known: tuple = ()
        self._show(document.recipe)

    def _show(self, recipe: Recipe) -> None:
        names = (OWN, *(s.name for s in recipe.presets))
        if names != self._known:
            self._known = names
            self.which.clear()
            self.which.addItems(names)
        now = preset.capture_preset(recipe)
        here = next((s.name for s in recipe.presets if _alike(s, now)), OWN)
        self.which.setCurrentText(here)
        self.setVisible(bool(recipe.controls))

    def _fill(self) -> None:
        self.menu.clear()
        self.menu.addAction("Keep these values as…", self.ask_name)
        name = self.which.currentText()
        one = self.menu.addAction(f"Delete {name}" if name != OWN else "Delete", lambda: self.delete(name))
        one.setEnabled(name != OWN and self._may_delete(name))
        two = self.menu.addAction("Compare and step between two…", self.open_panel)
        two.setEnabled(len(self._known) > 2)
        self.menu.addSeparator()
        self.menu.addAction("Take up a set file…", self.ask_open)
        self.menu.addAction("Save what is chosen as…", self.ask_save)

    def _may_delete(self, name: str) -> bool:
        """An artist deletes only presets of his own."""
        return not self.document.locked or all(s.name != name for s in self.document.origin.presets)

    def ask_name(self) -> None:
        """Shows the field in which the name is typed."""
        self.name.clear()
        self.name.show()
        self.name.setFocus()

    def _named(self) -> None:
        name = self.name.text().strip()
        if self.document.edit("Keep preset", lambda r: preset.with_preset(r, name)):
            self.name.hide()
            self.said.emit(f"Kept as {name}.")

    def use(self, name: str) -> None:
        """Brings the values of a preset back, as one undoable step."""
        if name == OWN:
            self._show(self.document.recipe)
            return
        told: list[str] = []

        def used(recipe: Recipe) -> Recipe:
            found, more = preset.apply_preset(recipe, preset.find_preset(recipe, name))
            told.extend(more)
            return found

        self.document.edit(f"Use preset {name}", used)
        if told:
            self.said.emit(told[0] if len(told) == 1 else f"{told[0]} {len(told) - 1} more stayed as they were.")

    def delete(self, name: str) -> None:
        """Takes a preset away; undo brings it back."""
        self.document.edit("Delete preset", lambda r: preset.without_preset(r, name))

    # -- set files --------------------------------------------------------------------------------------
    def ask_open(self) -> None:
        """Asks for a set file, and takes up what somebody chose in it."""
        name, _ = QFileDialog.getOpenFileName(self, "Take up a set file", str(self.document.folder), SETS)
        if name:
            self.open(Path(name))

    def open(self, path: Path) -> None:
        """Takes up seeds, controls, presets and kept ground of a set file, as one undoable step."""
        told: list[str] = []

        def taken_up(recipe: Recipe) -> Recipe | None:
            found, more = setfile.load(path, recipe)
            told.extend(more)
            return found

        if self.document.edit("Take up a set file", taken_up):
            self.said.emit(told[0] if told else f"Took up {path.name}.")

    def ask_save(self) -> None:
        """Asks where what is chosen is to be written."""
        start = self.document.folder / f"{slug(self.document.recipe.site.name)}{setfile.SUFFIX}"
        name, _ = QFileDialog.getSaveFileName(self, "Save what is chosen", str(start), SETS)
        if name:
            self.save(Path(name if name.endswith(setfile.SUFFIX) else name + setfile.SUFFIX))

    def save(self, path: Path) -> None:
        """Writes a set file, for somebody else or to keep."""
        document = self.document
        try:
            setfile.save(document.recipe, document.origin, path, document.path.name if document.path else "")
        except GelandeError as error:
            self.said.emit(str(error))
        else:
            self.said.emit(f"Wrote {path.name}.")

    def open_panel(self) -> None:
        """Compares two presets, with a slider from one to the other."""
        if self.panel is not None:
            self.panel.deleteLater()
        self.panel = PresetPanel(self.document, self)
        self.panel.move(self.mapToGlobal(self.rect().bottomLeft()))
        self.panel.show()


def _alike(one: Preset, two: Preset) -> bool:
    """True when two presets have the same values."""
    return (one.seed, one.locks, one.values) == (two.seed, two.locks, two.values)


class PresetPanel(QFrame):
    """Two presets side by side, what differs, and a slider that steps from one to the other."""

    def __init__(self, document: Document, parent: PresetBar) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("sheet")
        self.setProperty("ruled", True)
        self.document = document
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 12, 14, 12)
        column.addWidget(QLabel("Two presets", objectName="head"))
        row = QHBoxLayout()
        names = [s.name for s in document.recipe.presets]
        self.one, self.two = Pick("From preset"), Pick("To preset")
        for k, box in enumerate((self.one, self.two)):
            box.addItems(names)
            box.setCurrentIndex(k)
            box.activated.connect(lambda _: self._show())
            row.addWidget(box, 1)
        column.addLayout(row)
        self.slider = QSlider(Qt.Orientation.Horizontal)
        self.slider.setRange(0, 100)
        self.slider.setToolTip("Numbers move evenly from one preset to the other; the seed stays")
        self.slider.valueChanged.connect(self.step)
        column.addWidget(self.slider)
        self.where = QLabel(objectName="mono")
        column.addWidget(self.where)
        self.table = QGridLayout()
        self.table.setHorizontalSpacing(14)
        column.addLayout(self.table)
        self.setMinimumWidth(360)
        self._show()

    def _pair(self) -> list[Preset]:
        recipe = self.document.recipe
        return [preset.find_preset(recipe, box.currentText()) for box in (self.one, self.two)]

    def _show(self) -> None:
        while self.table.count():
            self.table.takeAt(0).widget().deleteLater()
        rows = preset.differences(self.document.recipe, *self._pair())
        for r, words in enumerate(rows[:24]):
            for c, text in enumerate(words):
                self.table.addWidget(QLabel(text, objectName="muted" if c == 0 else "mono"), r, c)
        if not rows:
            self.table.addWidget(QLabel("They are the same.", objectName="muted"), 0, 0)
        self.where.setText("")
        self.adjustSize()

    def step(self, percent: int) -> None:
        """Sets the controls a part of the way from the one to the other."""
        one, two = self._pair()
        self.where.setText(f"{percent} % of the way")

        def stepped(recipe: Recipe) -> Recipe:
            found = replace(preset.interpolate(recipe, one, two, percent / 100), seed=recipe.seed, locks=recipe.locks)
            return preset.apply_preset(recipe, found)[0]

        self.document.edit("Step between presets", stepped, "between")
