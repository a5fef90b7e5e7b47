"""The graph: three lanes of cards, links between them, and everything the pointer and keys do there.

The canvas holds no copy of the graph. It paints the document's recipe as it is, so the two cannot disagree.
"""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QGuiApplication, QPainter, QPen
from PyQt6.QtWidgets import QInputDialog, QLineEdit, QMenu, QToolTip, QWidget

from gelande.core import clip, graph
from gelande.core.errors import GelandeError
from gelande.core.raster import COLOUR, HEIGHT, MASK

from ..theme import sans, theme
from . import layout, paint
from .search import Search

LANE_NAMES = {HEIGHT: "HEIGHT", MASK: "MASK", COLOUR: "COLOUR"}


@dataclass
class CardLook:
    """What is known of a card besides the recipe."""

    picture: object = None
    key: str = ""
    stale: bool = True
    fault: str = ""
    working: bool = False
    share: float = 0.0
    chosen: bool = False
    selected: bool = False
    pinned: bool = False
    sweep: float = 0.0


class Canvas(QWidget):
    """Paints and edits the graph of a Document. ``chosen_changed`` carries the chosen node's id or ""."""

    chosen_changed = pyqtSignal(str)
    pin_asked = pyqtSignal(str)
    deliver_asked = pyqtSignal(str)
    said = pyqtSignal(str)

    def __init__(self, document, parent=None):
        super().__init__(parent)
        self.document = document
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(260, 160)
        self.setAccessibleName("Graph")
        self.looks: dict[str, CardLook] = {}
        self.selection: set[str] = set()
        self.chosen = ""
        self.pinned = ""
        self.zoom, self.origin = 1.0, QPointF(0, 0)
        self._sheet = layout.Sheet()
        self._roads: dict = {}
        self._mode = ""           # move, link, band, pan
        self._press = QPointF()
        self._last = QPointF()
        self._moved: dict = {}
        self._band = QRectF()
        self._link_from = None    # (node, output) or ("", "") with _link_to = (node, input)
        self._link_end = QPointF()
        self._hot = None
        self.search: Search | None = None
        self._rename: QLineEdit | None = None
        document.changed.connect(self._changed)
        self._sweep = QTimer(self, interval=90)
        self._sweep.timeout.connect(self._tick)
        self._pasted = 0
        self._relayout()

    # -- geometry ---------------------------------------------------------------------------------------
    @property
    def recipe(self):
        return self.document.recipe

    def _relayout(self):
        self._sheet = layout.sheet(self.recipe, self._moved)
        self._roads = layout.routes(self.recipe, self._sheet)
        self.update()

    def to_sheet(self, pos) -> QPointF:
        """Widget position to sheet position."""
        return QPointF(pos.x() / self.zoom + self.origin.x(), pos.y() / self.zoom + self.origin.y())

    def to_widget(self, x: float, y: float) -> QPointF:
        """Sheet position to widget position."""
        return QPointF((x - self.origin.x()) * self.zoom, (y - self.origin.y()) * self.zoom)

    def card_rect(self, node_id: str) -> QRectF:
        """The card in widget coordinates."""
        x, y, w, h = self._sheet.cards[node_id]
        a, b = self.to_widget(x, y), self.to_widget(x + w, y + h)
        return QRectF(a, b)

    def port_at_widget(self, node_id: str, port: str, output: bool) -> QPointF:
        """A port in widget coordinates."""
        return self.to_widget(*layout.port_place(self.recipe, self._sheet, node_id, port, output))

    def fit(self):
        """Scales the sheet so that the whole graph is seen, at most to its natural size."""
        width, height = self._sheet.size
        self.zoom = max(0.35, min(1.0, self.width() / width, self.height() / height))
        self.origin = QPointF(0, 0)
        self.update()

    def _card_at(self, p: QPointF) -> str:
        for node_id in reversed(list(self._sheet.cards)):
            if QRectF(*self._sheet.cards[node_id]).contains(p):
                return node_id
        return ""

    def _port_near(self, p: QPointF, reach: float = 9.0):
        """(node, port, is output) of the port near a sheet position."""
        best = None
        for node_id, (x, y, w, h) in self._sheet.cards.items():
            if not (x - reach <= p.x() <= x + w + reach and y - reach <= p.y() <= y + h + reach):
                continue
            ins, outs = paint.port_kinds(self.recipe, node_id)
            for ports, output in ((ins, False), (outs, True)):
                for port, _, _ in ports:
                    px, py = layout.port_place(self.recipe, self._sheet, node_id, port, output)
                    away = abs(px - p.x()) + abs(py - p.y())
                    if away < reach and (best is None or away < best[0]):
                        best = (away, node_id, port, output)
        return best[1:] if best else None

    def _link_near(self, p: QPointF, reach: float = 5.0, ignore: str = ""):
        """(target, input) of the link near a sheet position."""
        for (target, port), road in self._roads.items():
            if ignore in (target, self.recipe.nodes[target].inputs[port][0]) and ignore:
                continue
            for (x1, y1), (x2, y2) in zip(road, road[1:]):
                if min(x1, x2) - reach <= p.x() <= max(x1, x2) + reach and min(y1, y2) - reach <= p.y() <= max(y1, y2) + reach:
                    return target, port
        return None

    # -- from outside -----------------------------------------------------------------------------------
    def _changed(self, before, after):
        self.selection &= set(after.nodes)
        if self.chosen and self.chosen not in after.nodes:
            self.choose("")
        if self.pinned and self.pinned not in after.nodes:
            self.pinned = ""
        self.looks = {n: look for n, look in self.looks.items() if n in after.nodes}
        self._relayout()

    def mark_stale(self, keys: dict):
        """Marks cards whose picture is of an older result."""
        for node_id, key in keys.items():
            look = self.looks.setdefault(node_id, CardLook())
            look.stale = look.key != key
            if look.stale:
                look.fault = ""
        self.update()

    def set_picture(self, node_id: str, picture, key: str):
        look = self.looks.setdefault(node_id, CardLook())
        look.picture, look.key, look.stale, look.fault, look.working = picture, key, False, "", False
        self.update()

    def set_fault(self, node_id: str, text: str):
        look = self.looks.setdefault(node_id, CardLook())
        look.fault, look.stale, look.working = text, False, False
        self.update()

    def set_times(self, seconds: dict):
        total = sum(seconds.values()) or 1.0
        for node_id, s in seconds.items():
            self.looks.setdefault(node_id, CardLook()).share = s / total
        self.update()

    def set_working(self, name: str):
        """Shows which node is being computed, by its name; "" for none."""
        for node_id, state in self.recipe.nodes.items():
            self.looks.setdefault(node_id, CardLook()).working = bool(name) and state.name == name
        if name and not self._sweep.isActive():
            self._sweep.start()
        elif not name:
            self._sweep.stop()
        self.update()

    def _tick(self):
        for look in self.looks.values():
            look.sweep = (look.sweep + 0.12) % 1.0
        self.update()

    def choose(self, node_id: str, keep: bool = False):
        """Makes a node the chosen one."""
        if not keep:
            self.selection = {node_id} if node_id else set()
        elif node_id:
            self.selection.add(node_id)
        changed = node_id != self.chosen
        self.chosen = node_id
        self.update()
        if changed:
            self.chosen_changed.emit(node_id)

    # -- painting ---------------------------------------------------------------------------------------
    def paintEvent(self, event):
        t, p = theme(), QPainter(self)
        p.fillRect(self.rect(), t.colour("paper"))
        self._paint_lanes(p)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        p.scale(self.zoom, self.zoom)
        p.translate(-self.origin)
        for (target, port), road in self._roads.items():
            source, output = self.recipe.nodes[target].inputs[port]
            out = graph.output_port(self.recipe, source, output)
            chosen = self.chosen in (source, target) and bool(self.chosen)
            paint.draw_link(p, paint.road_path(road), out.kind if out else "any", chosen)
        for node_id in self._sheet.cards:
            self._paint_card(p, node_id)
        if self._mode == "link":
            self._paint_new_link(p)
        if self._mode == "band":
            p.setPen(QPen(t.colour("ink"), 1, Qt.PenStyle.DotLine))
            p.setBrush(t.colour("accent", 24))
            p.drawRect(self._band)
        if not self.recipe.nodes:
            p.resetTransform()
            p.setPen(t.colour("muted"))
            p.setFont(sans(10.5))
            p.drawText(self.rect(), int(Qt.AlignmentFlag.AlignCenter),
                       "An empty recipe.\nPress A or double-click to add the first node: a landform such as Fractal noise.")

    def _paint_lanes(self, p: QPainter):
        t = theme()
        p.setFont(sans(7.8))
        for lane, (top, tall) in self._sheet.lanes.items():
            y = self.to_widget(0, top).y()
            if lane != HEIGHT:
                p.setPen(QPen(t.colour("line"), 1, Qt.PenStyle.DashLine))
                p.drawLine(QPointF(0, y), QPointF(self.width(), y))
            p.setPen(t.colour("muted"))
            p.drawText(QPointF(8, y + 12), LANE_NAMES[lane])

    def _paint_card(self, p: QPainter, node_id: str):
        state, rect = self.recipe.nodes[node_id], QRectF(*self._sheet.cards[node_id])
        look = self.looks.setdefault(node_id, CardLook())
        look.chosen, look.selected, look.pinned = node_id == self.chosen, node_id in self.selection, node_id == self.pinned
        if state.kind == "note":
            paint.draw_note(p, rect, state, look.selected)
            return
        if state.kind == "junction":
            p.setPen(QPen(theme().colour("accent" if look.chosen else "line"), 1.4))
            p.setBrush(theme().colour("sheet"))
            p.drawRoundedRect(rect, 3, 3)
        else:
            paint.draw_card(p, rect, state, look)
        ins, outs = paint.port_kinds(self.recipe, node_id)
        fed = {(s, o) for s, o, _, _ in self.recipe.links()} if outs else set()
        for ports, output in ((ins, False), (outs, True)):
            for port, kind, _ in ports:
                place = QPointF(*layout.port_place(self.recipe, self._sheet, node_id, port, output))
                linked = (node_id, port) in fed if output else port in state.inputs
                paint.draw_port(p, place, kind, linked, self._hot == (node_id, port, output))

    def _paint_new_link(self, p: QPainter):
        node_id, port, output = self._link_from
        a = layout.port_place(self.recipe, self._sheet, node_id, port, output)
        b = (self._link_end.x(), self._link_end.y())
        ins, outs = paint.port_kinds(self.recipe, node_id)
        kind = next((k for i, k, _ in (outs if output else ins) if i == port), HEIGHT)
        start, end = (a, b) if output else (b, a)
        middle = (start[0] + end[0]) / 2
        paint.draw_link(p, paint.road_path([start, (middle, start[1]), (middle, end[1]), end]), kind, True)

    # -- mouse ------------------------------------------------------------------------------------------
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
            self._moved = {n: (self.recipe.nodes[n].at[0] + step.x(), max(0.0, self.recipe.nodes[n].at[1] + step.y()))
                           for n in self.selection}
            self._sheet = layout.sheet(self.recipe, self._moved)
            self._roads = layout.routes(self.recipe, self._sheet)
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
        look = self.looks.get(card)
        if card and look and look.fault:
            QToolTip.showText(event.globalPosition().toPoint(), look.fault, self)
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
            ends = (node_id, port, card, name) if output else (card, name, node_id, port)
            free = not output or name not in self.recipe.nodes[card].inputs
            if free and not graph.can_link(self.recipe, *ends):
                return card, name, not output
        return None

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
            return graph.insert(recipe, only, *onto) if onto else recipe

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
                recipe = graph.unlink(recipe, *detached)
            if landing:
                ends = (node_id, port, landing[0], landing[1]) if output else (landing[0], landing[1], node_id, port)
                recipe = graph.link(recipe, *ends)
            return recipe

        if landing or detached:
            self.document.edit("Link" if landing else "Unlink", change)
        elif not self._card_at(p):
            self.open_search(place, p, (node_id, port, output))

    def mouseDoubleClickEvent(self, event):
        p = self.to_sheet(event.position())
        self._mode = ""
        card = self._card_at(p)
        if card:
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
        card = self._card_at(self.to_sheet(QPointF(event.pos())))
        if not card or self.document.locked:
            return
        if card not in self.selection:
            self.choose(card)
        menu, state = QMenu(self), self.recipe.nodes[card]
        menu.addAction("Turn on" if state.off else "Turn off", "O", self.toggle_off)
        menu.addAction("Rename", "F2", lambda: self.start_rename(card))
        menu.addAction("Replace by another kind", "R", lambda: self.open_replace(event.globalPos()))
        menu.addAction("Hold the view here", "V", lambda: self.pin_asked.emit(card))
        menu.addSeparator()
        menu.addAction("Copy", "Ctrl+C", self.copy)
        menu.addAction("Cut", "Ctrl+X", self.cut)
        menu.addAction("Delete", "Del", self.delete)
        menu.addSeparator()
        menu.addAction("Add to the delivery", lambda: self.deliver_asked.emit(card))
        menu.exec(event.globalPos())

    # -- keys and actions -------------------------------------------------------------------------------
    def keyPressEvent(self, event):
        key, plain = event.key(), not event.modifiers() & Qt.KeyboardModifier.ControlModifier
        pointer = self.mapFromGlobal(self.cursor().pos())
        inside = pointer if self.rect().contains(pointer) else self.rect().center()
        here = self.mapToGlobal(inside)
        actions = {Qt.Key.Key_Delete: self.delete, Qt.Key.Key_Backspace: self.delete, Qt.Key.Key_O: self.toggle_off,
                   Qt.Key.Key_L: self.arrange, Qt.Key.Key_F: self.fit,
                   Qt.Key.Key_A: lambda: self.open_search(here, self.to_sheet(QPointF(inside))),
                   Qt.Key.Key_R: lambda: self.open_replace(here),
                   Qt.Key.Key_F2: lambda: self.chosen and self.start_rename(self.chosen)}
        arrows = {Qt.Key.Key_Right: (1, 0), Qt.Key.Key_Left: (-1, 0), Qt.Key.Key_Down: (0, 1), Qt.Key.Key_Up: (0, -1)}
        if plain and key in arrows:
            self._step_to(*arrows[key])
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
            if dragged is None:
                return True
            node_id, port, output = dragged
            if output:
                kind = graph.output_port(self.recipe, node_id, port).kind
                return any(q.takes(kind) for q in spec.all_inputs)
            into = self.recipe.nodes[node_id].spec.input(port)
            return any(into.takes(q.kind) for q in spec.outputs)

        self.search = Search(self, "Add a node that fits" if dragged else "Add a node", fits)
        self.search.chosen.connect(lambda kind: self.add_node(kind, p, dragged))
        self.search.open_at(place)

    def add_node(self, kind: str, p: QPointF, dragged=None) -> str:
        """Adds a node at a sheet position (or beside what it was dragged from), linked to it."""
        added = []

        def change(recipe):
            recipe, node_id = graph.add(recipe, kind)
            added.append(node_id)
            if dragged:
                recipe = self._join(recipe, node_id, dragged)
            lane = layout.lane_of(recipe, node_id)
            x, y = p.x(), p.y() - self._sheet.lanes[lane][0] - layout.LANE_HEAD
            if dragged:
                x = self._sheet.cards[dragged[0]][0] + (layout.STEP_X if dragged[2] else -layout.STEP_X)
                y = recipe.nodes[dragged[0]].at[1] if layout.lane_of(recipe, dragged[0]) == lane else 0.0
            return graph.move(recipe, {node_id: layout.free_place(recipe, lane, max(8.0, x), y, (node_id,))})

        if self.document.edit("Add", change):
            self.choose(added[-1])
            return added[-1]
        return ""

    def _join(self, recipe, node_id: str, dragged):
        other, port, output = dragged
        spec = recipe.nodes[node_id].spec
        for q in (spec.all_inputs if output else spec.outputs):
            ends = (other, port, node_id, q.id) if output else (node_id, q.id, other, port)
            if not graph.can_link(recipe, *ends):
                return graph.link(recipe, *ends)
        return recipe

    def open_replace(self, place):
        """The search for another kind for the chosen node."""
        if not self.chosen:
            return
        target = self.chosen
        self.search = Search(self, f"Replace {self.recipe.nodes[target].name} by")
        self.search.chosen.connect(lambda kind: self.document.edit("Replace", lambda r: graph.replace_kind(r, target, kind)))
        self.search.open_at(place)

    def delete(self):
        """Removes the selected nodes."""
        doomed = [n for n in self.recipe.nodes if n in self.selection]
        if doomed:
            self.document.edit("Delete", lambda recipe: graph.remove(recipe, doomed))

    def toggle_off(self):
        """Turns the selected nodes off or on."""
        nodes = [n for n in self.selection if n in self.recipe.nodes]
        if nodes:
            off = not all(self.recipe.nodes[n].off for n in nodes)
            self.document.edit("Turn off" if off else "Turn on", lambda recipe: graph.switch(recipe, nodes, off))

    def arrange(self):
        """Lays the whole graph out again."""
        self.document.edit("Lay out", lambda recipe: graph.move(recipe, layout.arrange(recipe)))
        self.fit()

    def copy(self):
        """Copies the selected nodes as JSON text."""
        if self.selection:
            QGuiApplication.clipboard().setText(clip.copy(self.recipe, self.selection))

    def cut(self):
        self.copy()
        self.delete()

    def paste(self):
        """Adds what was copied, here or in another window."""
        text, new = QGuiApplication.clipboard().text(), []

        def change(recipe):
            recipe, ids = clip.paste(recipe, text, (24.0, 24.0))
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
        if self.document.locked:
            return
        rect = self.card_rect(node_id)
        self._rename = QLineEdit(self.recipe.nodes[node_id].name, self)
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
            if name != self.recipe.nodes[node_id].name:
                self.document.edit("Rename", lambda recipe: graph.rename(recipe, node_id, name))
