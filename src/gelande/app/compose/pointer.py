"""What the pointer does on the graph: choosing, moving, linking, detaching, sliding and scaling."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QContextMenuEvent, QMouseEvent
from PyQt6.QtWidgets import QMenu, QToolTip

from gelande.core.recipe.node import GROUP

from . import layout
from .gestures import Chosen, Edited, Wanted


class Pointer:
    """Mouse handling of the Canvas."""

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self.setFocus(Qt.FocusReason.MouseFocusReason)
        p = self.to_sheet(event.position())
        self._press = self._last = event.position()
        if event.button() == Qt.MouseButton.MiddleButton:
            self.gestures.slide()
        elif event.button() == Qt.MouseButton.LeftButton:
            shift = bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier)
            more = shift or bool(event.modifiers() & Qt.KeyboardModifier.ControlModifier)
            card = self.gestures.press(p.x(), p.y(), more, shift, self.document.locked)
            if card is not None:
                self.choose(card, keep=more)
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        p, step = self.to_sheet(event.position()), event.position() - self._last
        self._last = event.position()
        gesture = self.gestures.gesture
        if gesture is None:
            self._hover(p, event)
            return
        gesture.slide(step.x(), step.y())
        self.gestures.move(p.x(), p.y(), (event.position() - self._press).manhattanLength())
        if self.sheet.moved:
            self._set_paths()
        self.lens_moved()

    def _hover(self, p: QPointF, event: QMouseEvent) -> None:
        if self.gestures.hover(p.x(), p.y()):
            self.update()
        place, hot, card = event.globalPosition().toPoint(), self.gestures.hot, self.gestures.pointed
        if hot:
            ins, outs = layout.port_kinds(self.recipe, hot[0])
            kind, label = next(((k, n) for i, k, n in (outs if hot[2] else ins) if i == hot[1]), ("", hot[1]))
            QToolTip.showText(place, f"{label} ({kind})", self)
            return
        look = self.looks.get(card)
        if card and look and (look.fault or look.waiting):
            QToolTip.showText(place, look.fault or look.waiting, self)
        elif card and self.far_ends(card):
            names = ", ".join(dict.fromkeys(self.document.recipe.nodes[n].name for n in self.far_ends(card)))
            QToolTip.showText(place, f"Joined by name: {names}", self)
        elif card and self.recipe.nodes[card].spec:
            QToolTip.showText(place, self.recipe.nodes[card].spec.summary, self)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        p = self.to_sheet(event.position())
        card = self.chosen or None
        came = self.gestures.release(p.x(), p.y(), not event.modifiers())
        if isinstance(came, Chosen):
            self.choose(came.node)
        elif isinstance(came, Edited):
            before = set(self.document.recipe.nodes)
            if not self.document.edit(came.text, came.change) and came.otherwise:
                self.document.edit(*came.otherwise)
            self._tell_between(before)
            self._relayout()
        elif isinstance(came, Wanted):
            self.open_search(event.globalPosition().toPoint(), p, came.held)
        if card is not None and self.sheet.card_at(p.x(), p.y()) == card:
            self.reveal_chosen()
        self.update()

    def _tell_between(self, before: set) -> None:
        """Says which node was put between two kinds that do not fit by themselves."""
        nodes = self.document.recipe.nodes
        for node_id in nodes.keys() - before:
            spec = nodes[node_id].spec
            if spec is not None and spec.converts:
                kinds = f"a {spec.inputs[0].kind} as a {spec.result.kind}"
                self.said.emit(f"{spec.name} was put between: it passes on {kinds}.")

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        p = self.to_sheet(event.position())
        self.gestures.gesture = None
        card = self.sheet.card_at(p.x(), p.y())
        if card and self.recipe.nodes[card].role == GROUP and card != self.inside:
            self.enter(card)
        elif card:
            self.start_rename(card)
        elif not self.document.locked and self.sheet.port_near(p.x(), p.y()) is None:
            self.open_search(event.globalPosition().toPoint(), p, None, False)

    def wheelEvent(self, event) -> None:
        turn, pos = event.angleDelta(), event.position()
        if event.modifiers() & Qt.KeyboardModifier.ControlModifier:
            self.sheet.lens.scale(1.0015 ** turn.y(), pos.x(), pos.y())
        elif event.modifiers() & Qt.KeyboardModifier.ShiftModifier:
            self.sheet.lens.slide((turn.x() or turn.y()) * 0.6, 0.0)
        else:
            self.sheet.lens.slide(turn.x() * 0.6, turn.y() * 0.6)
        self.lens_moved()

    def contextMenuEvent(self, event: QContextMenuEvent) -> None:
        p = self.to_sheet(QPointF(event.pos()))
        card, port = self.sheet.card_at(p.x(), p.y()), self.sheet.port_near(p.x(), p.y())
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
        menu.addAction("Hold the view here", "V", lambda: self.hold_asked.emit(card))
        menu.addSeparator()
        self.order_menu(menu, card)
        if state.bake is not None:
            menu.addAction("Bake again", lambda: self.bake_asked.emit(card))
            menu.addAction("Release the bake", lambda: self.release_asked.emit(card))
        elif state.spec is not None and state.spec.outputs and not state.spec.role:
            menu.addAction("Bake", lambda: self.bake_asked.emit(card))
        menu.addSeparator()
        menu.addAction("Copy", "Ctrl+C", self.copy)
        menu.addAction("Cut", "Ctrl+X", self.cut)
        menu.addAction("Delete", "Del", self.delete)
        menu.addSeparator()
        menu.addAction("Add to the delivery", lambda: self.deliver_asked.emit(card))
        menu.exec(event.globalPos())
        menu.deleteLater()
