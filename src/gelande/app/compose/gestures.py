"""What the pointer does on the graph: choosing, moving, linking, detaching, sliding and scaling."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtWidgets import QMenu, QToolTip

from gelande.core import graph

from . import layout, paint


class Gestures:
    """Mouse handling of the Canvas."""

    def mousePressEvent(self, event):
        self.setFocus(Qt.FocusReason.MouseFocusReason)
        p = self.to_sheet(event.position())
        self._press = self._last = event.position()
        if event.button() == Qt.MouseButton.MiddleButton:
            self._mode = "pan"
        elif event.button() == Qt.MouseButton.LeftButton:
            self._left_press(p, event.modifiers())

    def _left_press(self, p: QPointF, modifiers):
        port = self._port_near(p)
        if port and not self.document.locked:
            node_id, name, output = port
            source = self.recipe.nodes[node_id].inputs.get(name) if not output else None
            if source:  # take the end of an existing link off
                self._detached = (node_id, name)
                port = (*source, True)
            else:
                self._detached = None
            self._mode, self._link_from, self._link_end = "link", port, p
            return
        node_id = self._card_at(p)
        if node_id:
            if modifiers & Qt.KeyboardModifier.ShiftModifier or modifiers & Qt.KeyboardModifier.ControlModifier:
                if node_id in self.selection:
                    self.selection.discard(node_id)
                else:
                    self.choose(node_id, keep=True)
            elif node_id not in self.selection or len(self.selection) == 1:
                self.choose(node_id)
            self._mode = "press"
            self.update()
        else:
            self._mode, self._band = "band", QRectF(p, p)
            if not modifiers & Qt.KeyboardModifier.ShiftModifier:
                self.selection = set()
            self.update()

    def mouseMoveEvent(self, event):
        p = self.to_sheet(event.position())
        if self._mode == "pan":
            self.origin -= (event.position() - self._last) / self.zoom
            self._last = event.position()
        elif self._mode == "press" and (event.position() - self._press).manhattanLength() > 4 and not self.document.locked:
            self._mode = "move"
        elif self._mode == "link":
            self._link_end = p
            self._hot = self._landing(p)
        elif self._mode == "band":
            self._band = QRectF(self.to_sheet(self._press), p).normalized()
            self.selection = {n for n, r in self._sheet.cards.items() if QRectF(*r).intersects(self._band)}
        elif not self._mode:
            self._hover(p, event)
            return
        if self._mode == "move":
            step = p - self.to_sheet(self._press)
            carried = {n for n, s in self.recipe.nodes.items() if n in self.selection or s.frame in self.selection and s.frame}
            self._moved = {n: (self.recipe.nodes[n].at[0] + step.x(), max(0.0, self.recipe.nodes[n].at[1] + step.y()))
                           for n in carried if n != self.inside}
            self._sheet = layout.sheet(self.recipe, self._moved)
            self._set_roads()
        self.update()

    def _hover(self, p: QPointF, event):
        hot = self._port_near(p)
        if hot != self._hot:
            self._hot = hot
            self.update()
        if hot:
            ins, outs = paint.port_kinds(self.recipe, hot[0])
            kind, label = next(((k, n) for i, k, n in (outs if hot[2] else ins) if i == hot[1]), ("", hot[1]))
            QToolTip.showText(event.globalPosition().toPoint(), f"{label} ({kind})", self)
            return
        card = self._card_at(p)
        if card != self._pointed:
            self._pointed = card
            self.update()
        look = self.looks.get(card)
        if card and look and look.fault:
            QToolTip.showText(event.globalPosition().toPoint(), look.fault, self)
        elif card and self.far_ends(card):
            names = ", ".join(dict.fromkeys(self.document.recipe.nodes[n].name for n in self.far_ends(card)))
            QToolTip.showText(event.globalPosition().toPoint(), f"Joined by name: {names}", self)
        elif card and self.recipe.nodes[card].spec:
            QToolTip.showText(event.globalPosition().toPoint(), self.recipe.nodes[card].spec.summary, self)

    def _landing(self, p: QPointF):
        """The port that a dragged link would end at: the one near the pointer, or the first that fits on the card there."""
        node_id, port, output = self._link_from
        near = self._port_near(p, 12.0)
        if near and near[2] != output and near[0] != node_id:
            return near
        card = self._card_at(p)
        if not card or card == node_id:
            return None
        ins, outs = paint.port_kinds(self.recipe, card)
        for name, _, _ in (ins if output else outs):
            free = not output or name not in self.recipe.nodes[card].inputs and (card, name) not in self.scene.flags
            if free and not graph.can_link(self.document.recipe, *self._ends(node_id, port, output, card, name)):
                return card, name, not output
        return None

    def _ends(self, node_id: str, port: str, output: bool, other: str, name: str) -> tuple:
        """(source, output, target, input) in the recipe of a link between two ports of cards."""
        return (node_id, port, *self.scene.input_end(other, name)) if output else (other, name, *self.scene.input_end(node_id, port))

    def mouseReleaseEvent(self, event):
        mode, self._mode = self._mode, ""
        p = self.to_sheet(event.position())
        if mode == "move":
            moved, self._moved = self._moved, {}
            self._drop(moved, p)
        elif mode == "press" and not event.modifiers() and self._card_at(p):
            self.choose(self._card_at(p))
        elif mode == "link":
            self._end_link(p, event.globalPosition().toPoint())
        elif mode == "band" and len(self.selection) == 1:
            self.choose(next(iter(self.selection)))
        self.update()

    def _drop(self, moved: dict, p: QPointF):
        """Ends a move; a single unlinked card dropped on a link is put into it."""
        self._relayout()
        only = next(iter(moved)) if len(moved) == 1 else ""
        alone = only and not self.recipe.nodes[only].inputs and not any(s == only for s, _, _, _ in self.recipe.links())
        onto = self._link_near(p, 10.0, only) if alone else None

        def change(recipe):
            recipe = graph.move(recipe, moved)
            return graph.insert(recipe, only, *self.scene.input_end(*onto)) if onto else recipe

        if not self.document.edit("Insert" if onto else "Move", change) and onto:
            self.document.edit("Move", lambda recipe: graph.move(recipe, moved))
        self._relayout()

    def _end_link(self, p: QPointF, place):
        landing = self._landing(p)
        node_id, port, output = self._link_from
        detached, self._hot = self._detached, None
        if landing and detached == landing[:2]:
            return

        def change(recipe):
            if detached:
                recipe = graph.unlink(recipe, *self.scene.input_end(*detached))
            if landing:
                recipe = graph.link(recipe, *self._ends(node_id, port, output, landing[0], landing[1]))
            return recipe

        if landing or detached:
            self.document.edit("Link" if landing else "Unlink", change)
        elif not self._card_at(p):
            self.open_search(place, p, (node_id, port, output))

    def mouseDoubleClickEvent(self, event):
        p = self.to_sheet(event.position())
        self._mode = ""
        card = self._card_at(p)
        if card and self.recipe.nodes[card].kind == "group" and card != self.inside:
            self.enter(card)
        elif card:
            self.start_rename(card)
        elif not self.document.locked and self._port_near(p) is None:
            self.open_search(event.globalPosition().toPoint(), p)

    def wheelEvent(self, event):
        if event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.origin -= QPointF(event.angleDelta().y() / 2 / self.zoom, 0)
        else:
            before = self.to_sheet(event.position())
            self.zoom = max(0.3, min(1.8, self.zoom * 1.0015 ** event.angleDelta().y()))
            self.origin += before - self.to_sheet(event.position())
        self.update()

    def contextMenuEvent(self, event):
        p = self.to_sheet(QPointF(event.pos()))
        card, port = self._card_at(p), self._port_near(p)
        if self.document.locked:
            return
        if port and not port[2]:
            self.port_menu(port[0], port[1], event.globalPos())
            return
        if not card or card == self.inside:
            if self.inside:
                menu = QMenu(self)
                menu.addAction("Add an entry", self.add_entry)
                menu.addAction("Go out", "Esc", self.leave)
                menu.exec(event.globalPos())
                menu.deleteLater()
            return
        if card not in self.selection:
            self.choose(card)
        menu, state = QMenu(self), self.recipe.nodes[card]
        menu.addAction("Turn on" if state.off else "Turn off", "O", self.toggle_off)
        menu.addAction("Rename", "F2", lambda: self.start_rename(card))
        menu.addAction("Replace by another kind", "R", lambda: self.open_replace(event.globalPos()))
        menu.addAction("Hold the view here", "V", lambda: self.pin_asked.emit(card))
        menu.addSeparator()
        self.order_menu(menu, card)
        if state.bake is not None:
            menu.addAction("Bake again", lambda: self.bake_asked.emit(card))
            menu.addAction("Release the bake", lambda: self.release_asked.emit(card))
        elif state.spec is not None and state.spec.outputs and state.spec.category != "Order":
            menu.addAction("Bake", lambda: self.bake_asked.emit(card))
        menu.addSeparator()
        menu.addAction("Copy", "Ctrl+C", self.copy)
        menu.addAction("Cut", "Ctrl+X", self.cut)
        menu.addAction("Delete", "Del", self.delete)
        menu.addSeparator()
        menu.addAction("Add to the delivery", lambda: self.deliver_asked.emit(card))
        menu.exec(event.globalPos())
        menu.deleteLater()
