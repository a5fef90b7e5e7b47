"""What keys and menus do on the graph: adding, removing, copying, renaming, laying out."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QPointF, Qt
from PyQt6.QtGui import QGuiApplication, QKeyEvent
from PyQt6.QtWidgets import QLineEdit, QMenu

from gelande.core.recipe import clipboard, graph
from gelande.core.recipe.control import without_misfits
from gelande.core.recipe.model import ROW, Recipe
from gelande.core.recipe.node import ENTRY, FRAME, GROUP, NodeSpec

from . import adding, layout
from .grouping import library
from .search import Search, remember_used
from .sheet import made_room


class NameLine(QLineEdit):
    """The line over a card's name; Return and Escape end it and go no further. Escape leaves the name as it was."""

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.setText(self.before)
            self.clearFocus()
        else:
            super().keyPressEvent(event)
        event.accept()


class Actions:
    """Keys and edits of the Canvas."""

    def keyPressEvent(self, event: QKeyEvent) -> None:
        key, plain = event.key(), not event.modifiers() & Qt.KeyboardModifier.ControlModifier
        shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
        pointer = self.mapFromGlobal(self.cursor().pos())
        inside = pointer if self.rect().contains(pointer) else self.rect().center()
        here = self.mapToGlobal(inside)
        actions = {
            Qt.Key.Key_Delete: self.delete,
            Qt.Key.Key_Backspace: self.delete,
            Qt.Key.Key_O: self.toggle_off,
            Qt.Key.Key_N: self.next_seed,
            Qt.Key.Key_L: self.arrange,
            Qt.Key.Key_F: self.fit,
            Qt.Key.Key_A: lambda: self.open_search(here, self.to_sheet(QPointF(inside)), None, not shift),
            Qt.Key.Key_R: lambda: self.open_replace(here),
            Qt.Key.Key_K: self.set_cairn,
            Qt.Key.Key_I: self.link_by_menu,
            Qt.Key.Key_B: self.frame_selection,
            Qt.Key.Key_F2: lambda: self.chosen and self.start_rename(self.chosen),
        }
        arrows = {Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Down: (0, 1), Qt.Key.Key_Up: (0, -1)}
        if plain and key in arrows:
            self._step_to(*arrows[key])
        elif key == Qt.Key.Key_G and not plain and not self.document.locked:
            self.pack()
        elif (
            key in (Qt.Key.Key_Return, Qt.Key.Key_Enter)
            and self.chosen in self.recipe.nodes
            and self.chosen != self.inside
            and self.recipe.nodes[self.chosen].role == GROUP
        ):
            self.enter(self.chosen)
        elif key == Qt.Key.Key_Escape and self.inside:
            self.leave()
        elif plain and key in actions and not (self.document.locked and key != Qt.Key.Key_F):
            actions[key]()
        else:
            super().keyPressEvent(event)

    def _step_to(self, dx: int, dy: int) -> None:
        """Chooses the nearest card in a direction."""
        card = self.sheet.next_card(dx, dy)
        if card:
            self.choose(card)

    def open_search(
        self, place: QPoint, p: QPointF, held: tuple[str, str, bool] | None = None, linked: bool = True
    ) -> None:
        """The search at a place on the screen. held: (node, port, is output) that the new node must fit; without one it
        is linked to the selected node, when it fits and linked is true."""

        def rank(spec: NodeSpec) -> int:
            if not adding.offered(spec, self.inside):
                return adding.NOT
            return adding.fit(self.sheet, spec, held) if held else adding.MAIN

        real, extras = self.document.recipe, []
        if held and not held[2]:
            extras = [
                (f"Cairn {real.nodes[c].name}", "Links to this cairn by name, with no wire.", f"cairn:{c}")
                for c in self.fitting_cairns(*held[:2])
            ]
        elif not held:
            extras = [(path.stem, "A group of your library.", f"file:{path}") for path in library()]
        chosen = self.chosen if not held and linked and self.chosen in self.selection else ""
        title = "Add a node that fits" if held else "Add a node"
        if chosen and chosen != self.inside:
            title = f"Add a node below {self.recipe.nodes[chosen].name}"
        self._drop_search()
        self.search = Search(self, title, rank, extras)
        self.search.chosen.connect(lambda kind: self.add_node(kind, p, held, linked))
        self.search.open_at(place)

    def _drop_search(self) -> None:
        """The search before this one goes: a popup that is closed would stay with its list."""
        if self.search is not None:
            self.search.deleteLater()
            self.search = None

    def add_node(self, kind: str, p: QPointF, held: tuple[str, str, bool] | None = None, linked: bool = True) -> str:
        """Adds a node: linked to the port that is held; or below the selected node and linked to it; or at a sheet
        position. "cairn:ID" links to a cairn, "file:PATH" adds a group of the library."""
        word, _, value = kind.partition(":")
        if word == "cairn" and value:
            self.link_to_cairn(value, *held[:2])
            return ""
        if word == "file":
            return next(iter(self.add_group_file(value, p)), "")
        remember_used(kind)
        made = []
        cards = self.selection & self.sheet.rects.cells.keys() - {self.inside}
        below = self.chosen if linked and self.chosen in cards else ""
        held = held or (adding.selected_port(self.sheet) if below else None)

        def change(recipe: Recipe) -> Recipe:
            recipe, node_id = adding.added(self.sheet, recipe, kind, held, (p.x(), p.y()), below)
            made.append(node_id)
            return recipe

        if self.document.edit("Add", change):
            self.choose(made[-1])
            return made[-1]
        return ""

    def open_replace(self, place: QPoint) -> None:
        """The search for another kind for the chosen node."""
        if not self.chosen:
            return
        target = self.chosen
        if target not in self.recipe.nodes:
            return
        self._drop_search()
        self.search = Search(
            self,
            f"Replace {self.recipe.nodes[target].name} by",
            lambda spec: adding.MAIN if spec.role not in (GROUP, FRAME, ENTRY) else adding.NOT,
        )
        self.search.chosen.connect(
            lambda kind: self.document.edit("Replace", lambda r: without_misfits(graph.replace_kind(r, target, kind)))
        )
        self.search.open_at(place)

    def delete(self) -> None:
        """Removes the selected nodes."""
        doomed = [n for n in self.recipe.nodes if n in self.selection and n != self.inside]
        if doomed:
            self.document.edit("Delete", lambda recipe: graph.remove(recipe, doomed))

    def toggle_off(self) -> None:
        """Turns the selected nodes off or on."""
        nodes = [n for n in self.selection if n in self.recipe.nodes]
        if nodes:
            off = not all(self.recipe.nodes[n].off for n in nodes)
            self.document.edit("Turn off" if off else "Turn on", lambda recipe: graph.switch(recipe, nodes, off))

    def next_seed(self) -> None:
        """Steps the seeds of the selected nodes."""
        nodes = [n for n in self.selection if n in self.recipe.nodes]

        def change(recipe):
            for node_id in nodes:
                recipe = graph.next_seed(recipe, node_id)
            return recipe

        self.document.edit("Next seed", change)

    def arrange(self) -> None:
        """Lays the whole graph out again."""
        places = layout.arrange(self.recipe)
        places.pop(self.inside, None)
        self.document.edit("Lay out", lambda recipe: graph.move(recipe, places))
        self.reveal_chosen()

    def copy(self) -> None:
        """Copies the selected nodes as JSON text."""
        if self.selection:
            QGuiApplication.clipboard().setText(clipboard.copy(self.document.recipe, self.selection - {self.inside}))

    def cut(self) -> None:
        self.copy()
        self.delete()

    def paste(self) -> None:
        """Adds what was copied, here or in another window."""
        text, new = QGuiApplication.clipboard().text(), []

        def change(recipe: Recipe) -> Recipe:
            recipe, ids = clipboard.paste(recipe, text, (0.0, ROW), self.inside)
            new[:] = ids
            return made_room(recipe, self.inside, ids)

        if self.document.edit("Paste", change) and new:
            self.selection = set(new)
            self.choose(new[0], keep=True)

    def link_by_menu(self) -> None:
        """A menu of the selected node's inputs, each with the outputs that fit it."""
        state = self.recipe.nodes.get(self.chosen)
        if state is None or state.spec is None or self.chosen not in self.sheet.rects.cards:
            return
        menu = QMenu(self)
        for port in adding.inputs_by_rank(state.spec):
            inner = menu.addMenu(port.label)
            for source, output, words in adding.sources(self.sheet, self.chosen, port.id):
                held = (source, output, True)
                change = self.sheet.linking(held, (self.chosen, port.id, False), None)
                inner.addAction(words, lambda c=change: self.document.edit("Link", c))
            inner.setEnabled(not inner.isEmpty())
        menu.exec(self.mapToGlobal(self.card_rect(self.chosen).bottomLeft().toPoint()))
        menu.deleteLater()

    def select_all(self) -> None:
        self.selection = set(self.recipe.nodes)
        self.update()

    def start_rename(self, node_id: str) -> None:
        """Opens a line over the card's name."""
        if self.document.locked or node_id not in self.sheet.rects.cards:
            return
        rect = self.card_rect(node_id)
        if self._rename is not None:  # one that lost its window before it ended
            self._rename.deleteLater()
        self._rename = NameLine(self.recipe.nodes[node_id].name, self)
        self._rename.before = self._rename.text()
        self._rename.setGeometry(int(rect.x()), int(rect.y()) - 2, max(120, int(rect.width())), 26)
        self._rename.selectAll()
        self._rename.show()
        self._rename.setFocus()
        self._rename.editingFinished.connect(lambda: self._end_rename(node_id))

    def _end_rename(self, node_id: str) -> None:
        line, self._rename = self._rename, None
        if line is not None:
            name = line.text()
            line.deleteLater()
            self.setFocus()
            if node_id in self.recipe.nodes and name != self.recipe.nodes[node_id].name:
                self.document.edit("Rename", lambda recipe: graph.rename(recipe, node_id, name))
