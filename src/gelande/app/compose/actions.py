"""What keys and menus do on the graph: adding, removing, copying, renaming, laying out."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QGuiApplication
from PyQt6.QtWidgets import QLineEdit

from gelande.core import clip, graph, group

from . import layout
from .grouping import library
from .search import Search


class NameLine(QLineEdit):
    """The line over a card's name; Return and Escape end it and go no further. Escape leaves the name as it was."""

    def keyPressEvent(self, event):
        if event.key() == Qt.Key.Key_Escape:
            self.setText(self.before)
            self.clearFocus()
        else:
            super().keyPressEvent(event)
        event.accept()


class Actions:
    """Keys and edits of the Canvas."""

    def keyPressEvent(self, event):
        key, plain = event.key(), not event.modifiers() & Qt.KeyboardModifier.ControlModifier
        pointer = self.mapFromGlobal(self.cursor().pos())
        inside = pointer if self.rect().contains(pointer) else self.rect().center()
        here = self.mapToGlobal(inside)
        actions = {Qt.Key.Key_Delete: self.delete, Qt.Key.Key_Backspace: self.delete, Qt.Key.Key_O: self.toggle_off,
                   Qt.Key.Key_N: self.next_seed, Qt.Key.Key_L: self.arrange, Qt.Key.Key_F: self.fit,
                   Qt.Key.Key_A: lambda: self.open_search(here, self.to_sheet(QPointF(inside))),
                   Qt.Key.Key_R: lambda: self.open_replace(here), Qt.Key.Key_K: self.set_cairn, Qt.Key.Key_B: self.frame_selection,
                   Qt.Key.Key_F2: lambda: self.chosen and self.start_rename(self.chosen)}
        arrows = {Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Down: (0, 1), Qt.Key.Key_Up: (0, -1)}
        if plain and key in arrows:
            self._step_to(*arrows[key])
        elif key == Qt.Key.Key_G and not plain and not self.document.locked:
            self.pack()
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter) and self.chosen in self.recipe.nodes and self.chosen != self.inside \
                and self.recipe.nodes[self.chosen].kind == "group":
            self.enter(self.chosen)
        elif key == Qt.Key.Key_Escape and self.inside:
            self.leave()
        elif plain and key in actions and not (self.document.locked and key != Qt.Key.Key_F):
            actions[key]()
        else:
            super().keyPressEvent(event)

    def _step_to(self, dx: int, dy: int):
        """Chooses the nearest card in a direction."""
        cards = self._sheet.cards
        if self.chosen not in cards:
            if cards:
                self.choose(next(iter(cards)))
            return
        x, y = cards[self.chosen][:2]
        ahead = [(abs(a - x) * (1 if dx else 2.5) + abs(b - y) * (1 if dy else 2.5), n) for n, (a, b, _, _) in cards.items()
                 if (a - x) * dx + (b - y) * dy > 8]
        if ahead:
            self.choose(min(ahead)[1])

    def open_search(self, place, p: QPointF, dragged=None):
        """The search at a place on the screen; dragged: (node, port, is output) that the new node must fit."""
        def fits(spec):
            if spec.kind in ("group", "frame") or spec.kind == "entry" and not self.inside:
                return False
            if dragged is None:
                return True
            node_id, port, output = dragged
            if output:
                kind = group.kind_of(self.document.recipe, node_id, port)
                return any(q.takes(kind) for q in spec.all_inputs)
            into = self.recipe.nodes[node_id].spec.input(port)
            return any(into.takes(q.kind) for q in spec.outputs)

        real, extras = self.document.recipe, []
        if dragged and not dragged[2]:
            extras = [(f"Cairn {real.nodes[c].name}", "Links to this cairn by name, with no wire.", f"cairn:{c}")
                      for c in self.fitting_cairns(*dragged[:2])]
        elif not dragged:
            extras = [(path.stem, "A group of your library.", f"file:{path}") for path in library()]
        self._drop_search()
        self.search = Search(self, "Add a node that fits" if dragged else "Add a node", fits, extras)
        self.search.chosen.connect(lambda kind: self.add_node(kind, p, dragged))
        self.search.open_at(place)

    def _drop_search(self):
        """The search before this one goes: a popup that is closed would stay with its list."""
        if self.search is not None:
            self.search.deleteLater()
            self.search = None

    def add_node(self, kind: str, p: QPointF, dragged=None) -> str:
        """Adds a node at a sheet position (or beside what it was dragged from), linked to it; "cairn:ID" links to a cairn,
        "file:PATH" adds a group of the library."""
        word, _, value = kind.partition(":")
        if word == "cairn" and value:
            self.link_to_cairn(value, *dragged[:2])
            return ""
        if word == "file":
            return next(iter(self.add_group_file(value, p)), "")
        added = []

        def change(recipe):
            recipe, node_id = graph.add(recipe, kind, group=self.inside)
            added.append(node_id)
            if dragged:
                recipe = self._join(recipe, node_id, dragged)
            real, recipe = recipe, group.scene(recipe, self.inside).recipe
            lane = layout.lane_of(recipe, node_id)
            x, y = p.x(), p.y() - self._sheet.lanes[lane][0] - layout.LANE_HEAD
            if dragged:
                x = self._sheet.cards[dragged[0]][0] + (layout.STEP_X if dragged[2] else -layout.STEP_X)
                y = recipe.nodes[dragged[0]].at[1] if layout.lane_of(recipe, dragged[0]) == lane else 0.0
            return graph.move(real, {node_id: layout.free_place(recipe, lane, max(8.0, x), y, (node_id,))})

        if self.document.edit("Add", change):
            self.choose(added[-1])
            return added[-1]
        return ""

    def _join(self, recipe, node_id: str, dragged):
        other, port, output = dragged
        spec = recipe.nodes[node_id].spec
        for q in (spec.all_inputs if output else spec.outputs):
            ends = (other, port, node_id, q.id) if output else (node_id, q.id, *self.scene.input_end(other, port))
            if not graph.can_link(recipe, *ends):
                return graph.link(recipe, *ends)
        return recipe

    def open_replace(self, place):
        """The search for another kind for the chosen node."""
        if not self.chosen:
            return
        target = self.chosen
        if target not in self.recipe.nodes:
            return
        self._drop_search()
        self.search = Search(self, f"Replace {self.recipe.nodes[target].name} by")
        self.search.chosen.connect(lambda kind: self.document.edit("Replace", lambda r: graph.replace_kind(r, target, kind)))
        self.search.open_at(place)

    def delete(self):
        """Removes the selected nodes."""
        doomed = [n for n in self.recipe.nodes if n in self.selection and n != self.inside]
        if doomed:
            self.document.edit("Delete", lambda recipe: graph.remove(recipe, doomed))

    def toggle_off(self):
        """Turns the selected nodes off or on."""
        nodes = [n for n in self.selection if n in self.recipe.nodes]
        if nodes:
            off = not all(self.recipe.nodes[n].off for n in nodes)
            self.document.edit("Turn off" if off else "Turn on", lambda recipe: graph.switch(recipe, nodes, off))

    def next_seed(self):
        """Steps the seeds of the selected nodes."""
        nodes = [n for n in self.selection if n in self.recipe.nodes]

        def change(recipe):
            for node_id in nodes:
                recipe = graph.next_seed(recipe, node_id)
            return recipe

        self.document.edit("Next seed", change)

    def arrange(self):
        """Lays the whole graph out again."""
        places = layout.arrange(self.recipe)
        places.pop(self.inside, None)
        self.document.edit("Lay out", lambda recipe: graph.move(recipe, places))
        self.fit()

    def copy(self):
        """Copies the selected nodes as JSON text."""
        if self.selection:
            QGuiApplication.clipboard().setText(clip.copy(self.document.recipe, self.selection - {self.inside}))

    def cut(self):
        self.copy()
        self.delete()

    def paste(self):
        """Adds what was copied, here or in another window."""
        text, new = QGuiApplication.clipboard().text(), []

        def change(recipe):
            recipe, ids = clip.paste(recipe, text, (24.0, 24.0), self.inside)
            new[:] = ids
            return recipe

        if self.document.edit("Paste", change) and new:
            self.selection = set(new)
            self.choose(new[0], keep=True)

    def select_all(self):
        self.selection = set(self.recipe.nodes)
        self.update()

    def start_rename(self, node_id: str):
        """Opens a line over the card's name."""
        if self.document.locked or node_id not in self._sheet.cards:
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

    def _end_rename(self, node_id: str):
        line, self._rename = self._rename, None
        if line is not None:
            name = line.text()
            line.deleteLater()
            self.setFocus()
            if node_id in self.recipe.nodes and name != self.recipe.nodes[node_id].name:
                self.document.edit("Rename", lambda recipe: graph.rename(recipe, node_id, name))
