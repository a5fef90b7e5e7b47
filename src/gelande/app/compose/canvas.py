"""The graph: three lanes of cards, links between them, and everything the pointer and keys do there.

The canvas holds no copy of the graph. It paints the document's recipe as it is, so the two cannot disagree.
"""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QPointF, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QPainter, QPen, QPixmap
from PyQt6.QtWidgets import QLineEdit, QWidget

from gelande.core import graph, group
from gelande.core.raster import COLOUR, HEIGHT, MASK

from ..theme import sans, theme
from . import layout, paint
from .actions import Actions
from .gestures import Gestures
from .grouping import Grouping, PathBar
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
    baked: str = ""
    sweep: float = 0.0


class Canvas(Gestures, Actions, Grouping, QWidget):
    """Paints and edits the graph of a Document. ``chosen_changed`` carries the chosen node's id or ""."""

    chosen_changed = pyqtSignal(str)
    pin_asked = pyqtSignal(str)
    deliver_asked = pyqtSignal(str)
    bake_asked = pyqtSignal(str)
    release_asked = pyqtSignal(str)
    said = pyqtSignal(str)

    def __init__(self, document, parent=None):
        super().__init__(parent)
        self.document = document
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(260, 160)
        self.setAccessibleName("Graph")
        self.setAcceptDrops(True)
        self.inside = ""
        self.scene = group.scene(document.recipe)
        self.views: dict = {}
        self.path_bar = PathBar(self)
        self.path_bar.asked.connect(self.enter)
        self.path_bar.hide()
        self.looks: dict[str, CardLook] = {}
        self.selection: set[str] = set()
        self.chosen = ""
        self.pinned = ""
        self.zoom, self.origin = 1.0, QPointF(0, 0)
        self._sheet = layout.Sheet()
        self._roads: dict = {}
        self._kept: dict = {}
        self._mode = ""           # move, link, band, pan
        self._press = QPointF()
        self._last = QPointF()
        self._moved: dict = {}
        self._band = QRectF()
        self._link_from = None    # (node, output) or ("", "") with _link_to = (node, input)
        self._link_end = QPointF()
        self._hot = None
        self._pointed = ""
        self.search: Search | None = None
        self._rename: QLineEdit | None = None
        document.changed.connect(self._changed)
        # Hatching is shown only when the new picture does not come at once: else each slider step would flicker.
        self._stale = QTimer(self, singleShot=True, interval=220)
        self._stale.timeout.connect(self._show_stale)
        self._keys: dict = {}
        self._sweep = QTimer(self, interval=90)
        self._sweep.timeout.connect(self._tick)
        self._relayout()

    # -- geometry ---------------------------------------------------------------------------------------
    @property
    def recipe(self):
        """The cards and links that show from where the graph stands: the recipe, or the inside of a group."""
        return self.scene.recipe

    def _relayout(self):
        self.scene = group.scene(self.document.recipe, self.inside)
        self._sheet = layout.sheet(self.recipe, self._moved)
        self._set_roads()
        self.update()

    def _set_roads(self):
        """Routes all links, and keeps their painter paths and the boxes around them."""
        self._roads = layout.routes(self.recipe, self._sheet)
        self._paths = {key: paint.road_path(road) for key, road in self._roads.items()}
        self._boxes = {key: path.boundingRect().adjusted(-3, -3, 3, 3) for key, path in self._paths.items()}

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
        head = 30.0 if self.inside else 0.0  # the path bar
        self.zoom = max(0.35, min(1.0, self.width() / width, (self.height() - head) / height))
        self.origin = QPointF(0, -head / self.zoom)
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
        if self.inside and self.inside not in after.nodes:
            self.inside = ""
            self._relayout()
            self._show_path()
        self.scene = group.scene(after, self.inside)
        self.selection &= set(self.recipe.nodes)
        if self.chosen and self.chosen not in after.nodes:
            self.choose("")
        if self.pinned and self.pinned not in after.nodes:
            self.pinned = ""
        self.looks = {n: look for n, look in self.looks.items() if n in after.nodes}
        self._kept = {n: kept for n, kept in self._kept.items() if n in after.nodes}
        if self._layout_of(before) != self._layout_of(after):
            self._relayout()
        self.update()

    @staticmethod
    def _layout_of(recipe):
        """Everything that card places and roads depend on: a slider's move changes none of it."""
        return [(n, s.kind, s.at, s.inputs, s.group, s.frame, s.face) for n, s in recipe.nodes.items()]

    def mark_stale(self, keys: dict):
        """Marks cards whose picture is of an older result."""
        self._keys = keys
        if not self._stale.isActive():
            self._stale.start()

    def _show_stale(self):
        for node_id, key in self._keys.items():
            look = self.looks.setdefault(node_id, CardLook())
            stale = look.key != key and not look.fault
            if stale != look.stale:
                look.stale = stale
                self._touch(node_id)

    def set_picture(self, node_id: str, picture, key: str):
        look = self.looks.setdefault(node_id, CardLook())
        if (look.key, look.stale, look.fault, look.working) == (key, False, "", False):
            return
        look.picture, look.key, look.stale, look.fault, look.working = picture, key, False, "", False
        self._touch(node_id)

    def set_fault(self, node_id: str, text: str):
        look = self.looks.setdefault(node_id, CardLook())
        look.fault, look.stale, look.working = text, False, False
        self._touch(node_id)

    def _touch(self, node_id: str):
        """Paints one card anew."""
        if node_id in self._sheet.cards:
            self.update(self.card_rect(node_id).adjusted(-12, -16, 12, 8).toAlignedRect())

    def tell_bakes(self, words: dict):
        """What is said of bakes above the cards."""
        for node_id in self.document.recipe.nodes:
            look = self.looks.setdefault(node_id, CardLook())
            if look.baked != words.get(node_id, ""):
                look.baked = words.get(node_id, "")
                self._touch(node_id)

    def set_times(self, seconds: dict):
        total = sum(seconds.values()) or 1.0
        for node_id, s in seconds.items():
            self.looks.setdefault(node_id, CardLook()).share = s / total
        self.update()

    def set_working(self, name: str):
        """Shows which node is being computed, by its name; "" for none."""
        real = self.document.recipe
        busy = {n for n, s in real.nodes.items() if name and s.name == name}
        busy |= {g for n in busy for g in graph.homes(real, n)}
        for node_id in self.recipe.nodes:
            look, working = self.looks.setdefault(node_id, CardLook()), node_id in busy
            if look.working != working:
                look.working = working
                self._touch(node_id)
        if name and not self._sweep.isActive():
            self._sweep.start()
        elif not name:
            self._sweep.stop()

    def _tick(self):
        for node_id, look in self.looks.items():
            if look.working:
                look.sweep = (look.sweep + 0.12) % 1.0
                self._touch(node_id)

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
        p.fillRect(event.rect(), t.colour("paper"))
        seen = QRectF(event.rect())
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        p.scale(self.zoom, self.zoom)
        p.translate(-self.origin)
        for node_id, box in self._sheet.frames.items():
            paint.draw_frame(p, QRectF(*box), self.recipe.nodes[node_id].name, node_id in self.selection)
        for target, port in self._roads:
            if not self._boxes[target, port].intersects(QRectF(self.to_sheet(seen.topLeft()), self.to_sheet(seen.bottomRight()))):
                continue
            source, output = self.recipe.nodes[target].inputs[port]
            out = graph.output_port(self.recipe, source, output)
            chosen = self.chosen in (source, target) and bool(self.chosen)
            paint.draw_link(p, self._paths[target, port], out.kind if out else "any", chosen)
        fed: dict = {}  # the outputs of each card that a link or a flag leaves from
        for source, output in [link[:2] for link in self.recipe.links()] + list(self.scene.flags.values()):
            fed.setdefault(source, set()).add(output)
        tags: dict = {}
        flagged: dict = {}
        for (node_id, port), (source, _) in self.scene.flags.items():
            tags.setdefault(node_id, []).append(self.document.recipe.nodes[source].name)
            flagged.setdefault(node_id, []).append(port)
        self._paint_tags(p, tags)
        for node_id in self._sheet.cards:
            rect = self.card_rect(node_id).adjusted(-12, -16, 12, 8)
            if rect.intersects(seen):
                self._paint_card(p, node_id, rect, tuple(sorted(fed.get(node_id, ()))), tuple(flagged.get(node_id, ())))
        if self._mode == "link":
            self._paint_new_link(p)
        if self._mode == "band":
            p.setPen(QPen(t.colour("ink"), 1, Qt.PenStyle.DotLine))
            p.setBrush(t.colour("accent", 24))
            p.drawRect(self._band)
        p.resetTransform()
        self._paint_lanes(p)
        if not self.recipe.nodes and not self.inside:
            p.setPen(t.colour("muted"))
            p.setFont(sans(10.5))
            p.drawText(self.rect(), int(Qt.AlignmentFlag.AlignCenter),
                       "An empty recipe.\nPress A or double-click to add the first node: a landform such as Fractal noise.")

    def _paint_tags(self, p: QPainter, tags: dict):
        """Names of cairns under the cards that are linked to them; lines to the far ends of the card that is pointed at."""
        for node_id, names in tags.items():
            if node_id in self._sheet.cards:
                paint.draw_tag(p, QRectF(*self._sheet.cards[node_id]), names, self._pointed in (node_id, *self.far_ends(node_id)))
        if self._pointed in self._sheet.cards:
            here = QRectF(*self._sheet.cards[self._pointed]).center()
            p.setPen(QPen(theme().colour("accent"), 1.4, Qt.PenStyle.DotLine))
            for other in self.far_ends(self._pointed):
                if other in self._sheet.cards:
                    p.drawLine(here, QRectF(*self._sheet.cards[other]).center())

    def _paint_lanes(self, p: QPainter):
        t = theme()
        p.setFont(sans(7.8))
        for lane, (top, tall) in self._sheet.lanes.items():
            y = self.to_widget(0, top).y()
            if lane != HEIGHT:
                p.setPen(QPen(t.colour("line"), 1, Qt.PenStyle.DashLine))
                p.drawLine(QPointF(0, y), QPointF(self.width(), y))
            width = p.fontMetrics().horizontalAdvance(LANE_NAMES[lane])
            p.fillRect(QRectF(6, y + 2, width + 4, 11), t.colour("paper", 220))
            p.setPen(t.colour("muted"))
            p.drawText(QPointF(8, y + 12), LANE_NAMES[lane])

    def _paint_card(self, p: QPainter, node_id: str, around: QRectF, linked: tuple, flagged: tuple):
        """Draws one card, from a kept picture of it when nothing about it has changed. linked: its outputs that something leaves from;
        flagged: its inputs that are told by a flag."""
        state = self.recipe.nodes[node_id]
        look = self.looks.setdefault(node_id, CardLook())
        look.chosen, look.selected, look.pinned = node_id == self.chosen, node_id in self.selection, node_id == self.pinned
        hot = self._hot if self._hot and self._hot[0] == node_id else None
        scale = self.devicePixelRatioF()
        content = id(state) if state.face is None else (state.name, state.at, state.off, state.face, tuple(state.inputs))
        key = (content, look.key, look.stale, look.fault, round(look.share, 2), look.chosen, look.selected, look.pinned, look.baked,
               hot, linked, flagged, self.zoom, scale, theme().paper)
        kept = self._kept.get(node_id)
        if kept is None or kept[0] != key or look.working:
            size = around.size() * scale
            picture = QPixmap(int(size.width()) + 2, int(size.height()) + 2)
            picture.setDevicePixelRatio(scale)
            picture.fill(Qt.GlobalColor.transparent)
            q = QPainter(picture)
            q.setRenderHint(QPainter.RenderHint.Antialiasing)
            q.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            q.translate(-around.topLeft())
            q.scale(self.zoom, self.zoom)
            q.translate(-self.origin)
            self._draw_card(q, node_id, state, look, set(linked))
            q.end()
            kept = self._kept[node_id] = (key, picture, state)
        p.save()
        p.resetTransform()
        p.drawPixmap(around.topLeft(), kept[1])
        p.restore()

    def _draw_card(self, p: QPainter, node_id: str, state, look, linked_outputs: set):
        rect = QRectF(*self._sheet.cards[node_id])
        if state.kind == "note":
            paint.draw_note(p, rect, state, look.selected)
            return
        if state.kind == "frame":
            return
        if node_id == self.inside or state.kind in ("entry", "cairn"):
            paint.draw_plate(p, rect, state, look, node_id == self.inside)
        elif state.kind == "junction":
            p.setPen(QPen(theme().colour("accent" if look.chosen else "line"), 1.4))
            p.setBrush(theme().colour("sheet"))
            p.drawRoundedRect(rect, 3, 3)
        else:
            paint.draw_card(p, rect, state, look)
        ins, outs = paint.port_kinds(self.recipe, node_id)
        for ports, output in ((ins, False), (outs, True)):
            for port, kind, _ in ports:
                place = QPointF(*layout.port_place(self.recipe, self._sheet, node_id, port, output))
                linked = port in linked_outputs if output else port in state.inputs or (node_id, port) in self.scene.flags
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
