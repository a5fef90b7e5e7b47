"""Groups, frames and cairns on the graph: packing, going in and out, the library, linking by name."""

from __future__ import annotations

import re
from dataclasses import replace
from pathlib import Path

from PyQt6.QtCore import QPoint, QPointF, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QHBoxLayout, QMenu, QPushButton, QWidget

from gelande.core.recipe import clipboard, graph, group
from gelande.core.recipe.model import ROW, Recipe
from gelande.core.recipe.node import ENTRY, FRAME, GROUP
from gelande.places import library_folder

from .sheet import Lens, made_room, place_for

SUFFIX = ".gelande-group"
GROUP_FILTER = f"Groups (*{SUFFIX})"


class PathBar(QWidget):
    """Path of the group that is open: recipe, then each group around; a click goes there."""

    asked = pyqtSignal(str)

    def __init__(self, parent) -> None:
        super().__init__(parent, objectName="sheet")
        self._row = QHBoxLayout(self)
        self._row.setContentsMargins(4, 2, 4, 2)
        self._row.setSpacing(2)
        self.buttons: list[QPushButton] = []

    def show_path(self, steps: list[tuple[str, str]]) -> None:
        """steps: (group id, name) from the recipe ("") to the group that is open; hidden on the recipe itself."""
        for b in self.buttons:
            b.deleteLater()
        self.buttons = []
        for k, (group_id, name) in enumerate(steps):
            b = QPushButton(("› " if k else "") + name, self)
            b.setFlat(True)
            b.setStyleSheet("min-width: 0; padding: 1px 6px;")
            b.setEnabled(k < len(steps) - 1)
            b.clicked.connect(lambda _=False, g=group_id: self.asked.emit(g))
            self._row.addWidget(b)
            b.show()
            self.buttons.append(b)
        self.setVisible(len(steps) > 1)
        self.adjustSize()
        self.raise_()


def library() -> list[Path]:
    """Group files of the personal library."""
    return sorted(library_folder().glob(f"*{SUFFIX}")) if library_folder().is_dir() else []


class Grouping:
    """What the Canvas does with groups, frames and cairns."""

    # -- in and out -------------------------------------------------------------------------------------
    def enter(self, group_id: str) -> None:
        """Shows what is in a group, or the whole recipe for ""."""
        if group_id and (
            group_id not in self.document.recipe.nodes or self.document.recipe.nodes[group_id].role != GROUP
        ):
            return
        self.views[self.inside] = replace(self.sheet.lens)
        self._kept.clear()
        self.sheet.enter(group_id)
        self._set_paths()
        self.sheet.lens = replace(self.views.get(group_id, Lens()))
        if group_id not in self.views:
            self.fit()
        self._show_path()

    def leave(self) -> None:
        """One group up."""
        if self.inside:
            left = self.inside
            self.enter(self.document.recipe.nodes[left].group)
            self.choose(left)

    def reveal(self, node_id: str) -> None:
        """Opens the group in which a node stands."""
        state = self.document.recipe.nodes.get(node_id)
        if state is not None and state.group != self.inside:
            self.enter(state.group)

    def _show_path(self) -> None:
        real = self.document.recipe
        steps = [(g, real.nodes[g].name) for g in group.path(real, self.inside)]
        self.path_bar.show_path([("", real.site.name), *steps])
        self.path_bar.move(64, 2)

    # -- packing ----------------------------------------------------------------------------------------
    def pack(self) -> None:
        """Packs the selected nodes into a group and asks for its name."""
        chosen, made = [n for n in self.selection if n in self.recipe.nodes and n != self.inside], []

        def change(recipe: Recipe) -> Recipe:
            recipe, group_id = group.pack(recipe, chosen)
            made.append(group_id)
            return made_room(recipe, self.inside, made)

        if self.document.edit("Pack", change):
            self.choose(made[-1])
            self.start_rename(made[-1])

    def unpack(self) -> None:
        """Puts what is in the chosen group back beside it."""
        target = self.chosen
        if target in self.recipe.nodes and self.recipe.nodes[target].role == GROUP and target != self.inside:
            inner = [n for n, s in self.document.recipe.nodes.items() if s.group == target and s.role != ENTRY]
            if self.document.edit("Unpack", lambda recipe: made_room(group.unpack(recipe, target), self.inside, inner)):
                self.selection = set(inner) & set(self.recipe.nodes)

    def frame_selection(self) -> None:
        """Puts a frame around the selected cards and asks for its title."""
        chosen, made = [n for n in self.selection if n in self.recipe.nodes and n != self.inside], []

        def change(recipe: Recipe) -> Recipe:
            recipe, frame_id = group.frame(recipe, chosen)
            made.append(frame_id)
            return recipe

        if self.document.edit("Frame", change):
            self.choose(made[-1])
            self.start_rename(made[-1])

    def add_entry(self) -> None:
        """Another input port for the group that is open."""
        inside = self.inside
        top = max((s.at[1] + ROW for s in self.recipe.nodes.values() if s.role == ENTRY), default=0.0)

        def change(recipe):
            recipe, entry = graph.add(recipe, "entry", (0.0, top), group=inside)
            return made_room(recipe, inside, (entry,))

        self.document.edit("Add entry", change)

    def add_output(self, node_id: str, output: str) -> None:
        """Another output port for the group that is open."""
        inside = self.inside
        self.document.edit("Add output", lambda recipe: group.add_output(recipe, inside, node_id, output)[0])

    # -- cairns -----------------------------------------------------------------------------------------
    def set_cairn(self, node_id: str = "", output: str = "") -> None:
        """Sets a cairn on an output of the chosen node, beside it, and asks for its name."""
        node_id = node_id or self.chosen
        state = self.recipe.nodes.get(node_id)
        if state is None or state.spec is None or not state.spec.outputs or node_id == self.inside:
            return
        output, made = output or state.spec.main.id, []

        def change(recipe: Recipe) -> Recipe:
            recipe, cairn = group.set_cairn(recipe, node_id, output)
            made.append(cairn)
            recipe = graph.move(recipe, {cairn: place_for(recipe, self.inside, cairn, node_id)})
            return made_room(recipe, self.inside, made)

        if self.document.edit("Set a cairn (named link)", change):
            self.choose(made[-1])
            self.start_rename(made[-1])

    def link_to_cairn(self, cairn: str, node_id: str, port: str) -> None:
        """Links an input to a cairn by name."""
        target, into = self.scene.input_end(node_id, port)
        self.document.edit("Link to cairn", lambda recipe: graph.link(recipe, cairn, group.THROUGH, target, into))

    def fitting_cairns(self, node_id: str, port: str) -> list[str]:
        """Cairns that an input of a card may be linked to."""
        return group.cairns_for(self.document.recipe, *self.scene.input_end(node_id, port))

    def far_ends(self, node_id: str) -> list[str]:
        """Cards that a card is joined to by a cairn's name."""
        ends = [s for (n, _), (s, _) in self.scene.flags.items() if n == node_id]
        return ends + [n for (n, _), (s, _) in self.scene.flags.items() if s == node_id]

    # -- library and files ------------------------------------------------------------------------------
    def keep_in_library(self) -> None:
        """Keeps the chosen group in the personal library under its name."""
        state = self.recipe.nodes[self.chosen]
        name = re.sub(r"[^\w .-]", "_", state.name).strip(" .") or "Group"
        path = library_folder() / f"{name}{SUFFIX}"
        if self._write(path):
            self.said.emit(f"{state.name} is in your library; A finds it by its name.")

    def save_group(self) -> None:
        """Asks for a file and writes the chosen group there, for somebody else."""
        name, _ = QFileDialog.getSaveFileName(
            self, "Save the group", f"{self.recipe.nodes[self.chosen].name}{SUFFIX}", GROUP_FILTER
        )
        if name and self._write(Path(name if name.endswith(SUFFIX) else name + SUFFIX)):
            self.said.emit(f"Saved {Path(name).name}.")

    def _write(self, path: Path) -> bool:
        try:
            clipboard.write_group(self.document.recipe, self.chosen, path)
        except Exception as error:
            self.said.emit(str(error))
            return False
        return True

    def add_group_file(self, path: Path, p: QPointF | None = None) -> list[str]:
        """Adds a group from a file at a sheet position."""
        new, inside = [], self.inside
        x, y = (0.0, p.y()) if p is not None else (0.0, 0.0)

        def change(recipe: Recipe) -> Recipe:
            recipe, ids = clipboard.add_file(recipe, Path(path), (x, y), inside)
            new[:] = ids
            return made_room(recipe, inside, ids)

        if self.document.edit("Add group", change) and new:
            self.choose(new[0])
        return new

    def dragEnterEvent(self, event) -> None:
        if any(u.toLocalFile().endswith(SUFFIX) for u in event.mimeData().urls()):
            event.acceptProposedAction()

    def dropEvent(self, event) -> None:
        for url in event.mimeData().urls():
            if url.toLocalFile().endswith(SUFFIX) and not self.document.locked:
                self.add_group_file(Path(url.toLocalFile()), self.to_sheet(event.position()))

    # -- menus ------------------------------------------------------------------------------------------
    def order_menu(self, menu: QMenu, card: str) -> None:
        """Entries of a card's menu that keep the graph readable."""
        state = self.recipe.nodes[card]
        if state.role == GROUP:
            menu.addAction("Go in", "Return", lambda: self.enter(card))
            menu.addAction("Unpack", self.unpack)
            menu.addAction("Keep in my library", self.keep_in_library)
            menu.addAction("Save as a file…", self.save_group)
        if state.role not in (ENTRY, FRAME):
            menu.addAction("Pack into a group", "Ctrl+G", self.pack)
            menu.addAction("Frame", "B", self.frame_selection)
        if state.spec is not None and state.spec.outputs:
            if len(state.spec.outputs) == 1:
                menu.addAction("Set a cairn (named link)", "K", lambda: self.set_cairn(card))
            else:
                inner = menu.addMenu("Set a cairn (named link) on")
                for port in state.spec.outputs:
                    inner.addAction(port.label, lambda o=port.id: self.set_cairn(card, o))
            if self.inside and state.role != ENTRY:
                inner = menu.addMenu("Make an output of the group")
                for port in state.spec.outputs:
                    inner.addAction(port.label, lambda o=port.id: self.add_output(card, o))

    def port_menu(self, node_id: str, port: str, place: QPoint) -> None:
        """The menu of an input: cairns to link to, and taking the link off."""
        menu, target = QMenu(self), self.scene.input_end(node_id, port)
        for cairn in self.fitting_cairns(node_id, port):
            menu.addAction(
                f"Link to cairn {self.document.recipe.nodes[cairn].name}",
                lambda c=cairn: self.link_to_cairn(c, node_id, port),
            )
        if target[1] in self.document.recipe.nodes[target[0]].inputs:
            menu.addAction(
                "Take the link off", lambda: self.document.edit("Unlink", lambda recipe: graph.unlink(recipe, *target))
            )
        if menu.isEmpty():
            menu.addAction("No cairn fits here; set one with K on an output").setEnabled(False)
        menu.exec(place)
        menu.deleteLater()
