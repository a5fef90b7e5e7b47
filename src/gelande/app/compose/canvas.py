"""The graph: three lanes of cards, links between them, and everything the pointer and keys do there.

The canvas holds no copy of the graph. It paints the document's recipe as it is, so the two cannot disagree.
"""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt, QTimer, pyqtSignal
from PyQt6.QtGui import QFocusEvent, QImage, QPainter, QPaintEvent, QPen, QPixmap, QResizeEvent
from PyQt6.QtWidgets import QLineEdit, QWidget

from gelande.app.document import Document
from gelande.core.evaluate.waiting import waiting
from gelande.core.recipe import walk
from gelande.core.recipe.group import Scene
from gelande.core.recipe.kinds import output_port
from gelande.core.recipe.model import NodeState, Recipe
from gelande.core.recipe.node import CAIRN, ENTRY, FRAME, JUNCTION, NOTE
from gelande.core.recipe.raster import COLOUR, HEIGHT, MASK

from ..looks import looks
from ..theme import sans, theme
from . import layout, paint
from .actions import Actions
from .cardlook import CardLook
from .gestures import Band, Gestures, Link, Move
from .grouping import Grouping, PathBar
from .overview import WIDTH as OVERVIEW
from .overview import Overview
from .pointer import Pointer
from .search import Search
from .sheet import Lens, SheetModel

#: What is drawn beside a card, in pixels: left, above, right, below.
BESIDE = (-12, -16, 12, 8)
LANE_NAMES = {HEIGHT: "HEIGHT", MASK: "MASK", COLOUR: "COLOUR"}
#: Pixels at the top of the pane that the lanes' names take, and the path of groups.
LANE_HEAD, PATH_HEAD = 18.0, 30.0


class Canvas(Pointer, Actions, Grouping, QWidget):
    """Paints and edits the graph of a Document. ``chosen_changed`` carries the chosen node's id or ""."""

    chosen_changed = pyqtSignal(str)
    hold_asked = pyqtSignal(str)
    deliver_asked = pyqtSignal(str)
    bake_asked = pyqtSignal(str)
    release_asked = pyqtSignal(str)
    said = pyqtSignal(str)

    def __init__(self, document: Document, parent=None) -> None:
        super().__init__(parent)
        self.document = document
        self.setMouseTracking(True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setMinimumSize(260, 160)
        self.setAccessibleName("Graph")
        self.setAcceptDrops(True)
        self.sheet = SheetModel(document.recipe)
        self.gestures = Gestures(self.sheet)
        self.views: dict = {}
        self.path_bar = PathBar(self)
        self.path_bar.asked.connect(self.enter)
        self.path_bar.hide()
        self.overview = Overview(self)
        self.looks: dict[str, CardLook] = {}
        self.held = ""
        self._paths: dict = {}
        self._boxes: dict = {}
        self._kept: dict = {}
        self._opened_at = self.zoom
        self._press = QPointF()
        self._last = QPointF()
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
    def recipe(self) -> Recipe:
        """The cards and links that show from where the graph stands: the recipe, or the inside of a group."""
        return self.sheet.recipe

    @property
    def scene(self) -> Scene:
        """The part of the recipe that shows, and where its ends are."""
        return self.sheet.scene

    @property
    def inside(self) -> str:
        """The group that the graph stands in, or ""."""
        return self.sheet.inside

    @property
    def chosen(self) -> str:
        """The node that the bench shows, or ""."""
        return self.sheet.chosen

    @property
    def selection(self) -> set[str]:
        """The nodes that keys and menus work on."""
        return self.sheet.selection

    @selection.setter
    def selection(self, nodes: set[str]) -> None:
        self.sheet.selection = nodes

    @property
    def zoom(self) -> float:
        """Pixels of a sheet unit."""
        return self.sheet.lens.zoom

    def _relayout(self) -> None:
        self.sheet.relayout()
        self._set_paths()

    def _set_paths(self) -> None:
        """Keeps painter paths of all links, and the boxes around them."""
        self._paths = {key: paint.route_path(route) for key, route in self.sheet.routes.items()}
        self._boxes = {key: path.boundingRect().adjusted(-3, -3, 3, 3) for key, path in self._paths.items()}
        self.update()

    def to_sheet(self, pos: QPointF) -> QPointF:
        """Widget position to sheet position."""
        return QPointF(*self.sheet.lens.to_sheet(pos.x(), pos.y()))

    def to_widget(self, x: float, y: float) -> QPointF:
        """Sheet position to widget position."""
        return QPointF(*self.sheet.lens.to_widget(x, y))

    def card_rect(self, node_id: str) -> QRectF:
        """The card in widget coordinates."""
        x, y, w, h = self.sheet.rects.cards[node_id]
        a, b = self.to_widget(x, y), self.to_widget(x + w, y + h)
        return QRectF(a, b)

    def port_at_widget(self, node_id: str, port: str, output: bool) -> QPointF:
        """A port in widget coordinates."""
        return self.to_widget(*self.sheet.port_place(node_id, port, output))

    @property
    def head(self) -> float:
        """Pixels at the top of the pane that are covered."""
        return LANE_HEAD + (PATH_HEAD if self.inside else 0.0)

    def fit(self) -> None:
        """Scales the sheet so that the whole graph is seen, at most to its natural size."""
        self.sheet.lens.fit(self.sheet.rects.size, self.width(), self.height(), self.head - LANE_HEAD)
        self.lens_moved()

    def show_top(self) -> None:
        """Shows the sheet from its top at a size that is read with ease, and the selected card on it."""
        size = self.sheet.rects.size
        room = OVERVIEW if size[1] * Lens.OPENING > self.height() else 0
        self.sheet.lens.open(size, self.width() - room, self.head - LANE_HEAD)
        self._opened_at = self.zoom
        self.reveal_chosen()

    def reveal_chosen(self) -> None:
        """Slides the sheet so that the selected card is in view."""
        card = self.sheet.rects.cards.get(self.chosen)
        if card is not None:
            self.sheet.lens.reveal(card, self.width() - self.overview.room, self.height(), self.head)
        self.lens_moved()

    def lens_moved(self) -> None:
        """Keeps the sheet in the pane and paints it anew."""
        self.sheet.lens.keep_in(self.sheet.rects.size, self.width(), self.height(), self.head - LANE_HEAD)
        self.overview.fit_in()
        self.update()

    def focusInEvent(self, event: QFocusEvent) -> None:
        self.update()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        self.update()

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        if self.zoom == self._opened_at and event.oldSize().width() != event.size().width():
            self.show_top()  # nobody has chosen another scale
        self.lens_moved()

    # -- from outside -----------------------------------------------------------------------------------
    def _changed(self, before: Recipe, after: Recipe) -> None:
        inside = self.inside
        if self.sheet.show(after):
            self._set_paths()
            self.tell_waiting()
            self.overview.fit_in()
            self.update()
        for node_id, state in after.nodes.items():  # while a slider moves only its card is painted
            old = before.nodes.get(node_id)
            if old is not None and old.name != state.name:  # other cards tell it, too
                self.update()
            elif old is not state:
                self._touch(node_id)
        if self.inside != inside:
            self._show_path()
        if self.chosen and self.chosen not in after.nodes:
            self.choose("")
        if self.held and self.held not in after.nodes:
            self.held = ""
        self.looks = {n: look for n, look in self.looks.items() if n in after.nodes}
        self._kept = {n: kept for n, kept in self._kept.items() if n in after.nodes}

    def tell_waiting(self) -> None:
        """Marks the cards that wait for a link, from the recipe alone."""
        waits = waiting(self.document.recipe)
        for node_id in self.document.recipe.nodes:
            look = self.looks.setdefault(node_id, CardLook())
            if look.waiting != waits.get(node_id, ""):
                look.waiting, look.fault = waits.get(node_id, ""), ""

    def mark_stale(self, keys: dict) -> None:
        """Marks cards whose picture is of an older result."""
        self._keys = keys
        if not self._stale.isActive():
            self._stale.start()

    def _show_stale(self) -> None:
        for node_id, key in self._keys.items():
            look = self.looks.setdefault(node_id, CardLook())
            stale = look.key != key and not look.fault
            if stale != look.stale:
                look.stale = stale
                self._touch(node_id)

    def set_picture(self, node_id: str, picture: QImage, key: str) -> None:
        look = self.looks.setdefault(node_id, CardLook())
        if look.picture is picture and (look.key, look.stale, look.fault, look.working) == (key, False, "", False):
            return
        look.picture, look.key, look.stale, look.fault, look.working = picture, key, False, "", False
        self._touch(node_id)

    def set_fault(self, node_id: str, text: str) -> None:
        look = self.looks.setdefault(node_id, CardLook())
        look.fault, look.stale, look.working = "" if look.waiting else text, False, False
        self._touch(node_id)

    def _touch(self, node_id: str) -> None:
        """Paints one card anew."""
        if node_id in self.sheet.rects.cards:
            self.update(self.card_rect(node_id).adjusted(*BESIDE).toAlignedRect())

    def tell_bakes(self, words: dict) -> None:
        """Shows words about bakes above the cards."""
        for node_id in self.document.recipe.nodes:
            look = self.looks.setdefault(node_id, CardLook())
            if look.baked != words.get(node_id, ""):
                look.baked = words.get(node_id, "")
                self._touch(node_id)

    def set_times(self, seconds: dict) -> None:
        total = sum(seconds.values()) or 1.0
        for node_id, s in seconds.items():
            self.looks.setdefault(node_id, CardLook()).fraction = s / total
        self.update()

    def set_working(self, name: str) -> None:
        """Shows which node is being computed, by its name; "" for none."""
        real = self.document.recipe
        busy = {n for n, s in real.nodes.items() if name and s.name == name}
        busy |= {g for n in busy for g in walk.enclosing_groups(real, n)}
        for node_id in self.recipe.nodes:
            look, working = self.looks.setdefault(node_id, CardLook()), node_id in busy
            if look.working != working:
                look.working = working
                self._touch(node_id)
        if name and not looks.still and not self._sweep.isActive():
            self._sweep.start()
        elif not name:
            self._sweep.stop()

    def _tick(self) -> None:
        for node_id, look in self.looks.items():
            if look.working:
                look.sweep = (look.sweep + 0.12) % 1.0
                self._touch(node_id)

    def choose(self, node_id: str, keep: bool = False) -> None:
        """Makes a node the chosen one."""
        changed = self.sheet.choose(node_id, keep)
        self.update()
        if self.gestures.gesture is None:  # a press on a card leaves it under the pointer
            self.reveal_chosen()
        if changed:
            self.chosen_changed.emit(node_id)

    # -- painting ---------------------------------------------------------------------------------------
    def paintEvent(self, event: QPaintEvent) -> None:
        t, p = theme(), QPainter(self)
        p.fillRect(event.rect(), t.colour("paper"))
        seen = QRectF(event.rect())
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        p.scale(self.zoom, self.zoom)
        p.translate(-self.sheet.lens.x, -self.sheet.lens.y)
        self._paint_lanes(p)
        for node_id, box in self.sheet.rects.frames.items():
            paint.draw_frame(p, QRectF(*box), self.recipe.nodes[node_id].name, node_id in self.selection)
        part = QRectF(self.to_sheet(seen.topLeft()), self.to_sheet(seen.bottomRight()))
        self._paint_links(p, part)
        fed: dict = {}  # the outputs of each card that a link or a flag leaves from
        for source, output in [link[:2] for link in self.recipe.links()] + list(self.scene.flags.values()):
            fed.setdefault(source, set()).add(output)
        tags: dict = {}
        flagged: dict = {}
        for (node_id, port), (source, _) in self.scene.flags.items():
            tags.setdefault(node_id, []).append(self.document.recipe.nodes[source].name)
            flagged.setdefault(node_id, []).append(port)
        for node_id in self.sheet.rects.cards:
            rect = self.card_rect(node_id).adjusted(*BESIDE)
            if rect.intersects(seen):
                self._paint_card(p, node_id, rect, tuple(sorted(fed.get(node_id, ()))), tuple(flagged.get(node_id, ())))
        self._paint_tags(p, tags, part)
        self._paint_gesture(p)
        p.resetTransform()
        self._paint_heads(p)
        if self.hasFocus():
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.setPen(QPen(t.colour("accent"), 1))
            p.drawRect(self.rect().adjusted(0, 0, -1, -1))

    def _paint_links(self, p: QPainter, seen: QRectF) -> None:
        """All links that show in a part of the sheet: those of the selected node last and strong, the rest quiet."""
        kinds: dict = {}
        strong = []
        for (target, port), path in self._paths.items():
            if not self._boxes[target, port].intersects(seen):
                continue
            source, output = self.recipe.nodes[target].inputs[port]
            if (source, output) not in kinds:
                out = output_port(self.recipe, source, output)
                kinds[source, output] = out.kind if out else "any"
            if self.chosen and self.chosen in (source, target):
                strong.append((path, kinds[source, output]))
            else:
                paint.draw_link(p, path, kinds[source, output], quiet=bool(self.chosen))
        for path, kind in strong:
            paint.draw_link(p, path, kind, True)
        gesture = self.gestures.gesture
        onto = self.sheet.dropping(*gesture.at)[1] if isinstance(gesture, Move) else None
        if onto is not None:  # the link that the dragged card would be put into
            paint.draw_link(p, paint.route_path(self.sheet.resting_route(onto)), kinds.get(onto, "any"), True)

    def _paint_tags(self, p: QPainter, tags: dict, seen: QRectF) -> None:
        """Names of cairns on the cards in a part of the sheet that are linked to them; lines to the far ends of the
        card that is pointed at."""
        for node_id, names in tags.items():
            card = QRectF(*self.sheet.rects.cards.get(node_id, ()))
            if card.adjusted(*BESIDE).intersects(seen) and not card.isNull():
                paint.draw_tag(p, card, names, self.gestures.pointed in (node_id, *self.far_ends(node_id)))
        if self.gestures.pointed in self.sheet.rects.cards:
            here = QRectF(*self.sheet.rects.cards[self.gestures.pointed]).center()
            p.setPen(QPen(theme().colour("accent"), 1.4, Qt.PenStyle.DotLine))
            for other in self.far_ends(self.gestures.pointed):
                if other in self.sheet.rects.cards:
                    p.drawLine(here, QRectF(*self.sheet.rects.cards[other]).center())

    def _paint_lanes(self, p: QPainter) -> None:
        """Lines between the lanes."""
        t = theme()
        p.setPen(QPen(t.colour("line"), 1 / self.zoom))
        low, high = self.to_sheet(QPointF(0, 0)).y(), self.to_sheet(QPointF(0, self.height())).y()
        for lane, (left, _) in self.sheet.rects.lanes.items():
            if lane != HEIGHT:
                p.drawLine(QPointF(left - 4, low), QPointF(left - 4, high))

    def _paint_heads(self, p: QPainter) -> None:
        """Names of the lanes along the top of the pane."""
        t, top = theme(), self.head - LANE_HEAD
        p.fillRect(QRectF(0, top, self.width(), LANE_HEAD - 2), t.colour("paper", 235))
        p.setFont(sans(8.2))
        p.setPen(t.colour("muted"))
        for lane, (left, _) in self.sheet.rects.lanes.items():
            x = max(8.0, self.to_widget(left, 0).x() + 8)
            p.drawText(QPointF(x, top + 13), LANE_NAMES[lane])

    def _paint_card(self, p: QPainter, node_id: str, around: QRectF, linked: tuple, flagged: tuple) -> None:
        """Draws one card, from a kept picture of it when nothing about it has changed. linked: its outputs that
        something leaves from; flagged: its inputs that are told by a flag."""
        state = self.recipe.nodes[node_id]
        look = self.looks.setdefault(node_id, CardLook())
        look.chosen, look.selected, look.held = (
            node_id == self.chosen,
            node_id in self.selection,
            node_id == self.held,
        )
        hot = self.gestures.hot if self.gestures.hot and self.gestures.hot[0] == node_id else None
        scale = self.devicePixelRatioF()
        content = (
            id(state) if state.face is None else (state.name, state.at, state.off, state.face, tuple(state.inputs))
        )
        key = (
            content,
            look.key,
            look.stale,
            look.fault,
            look.waiting,
            round(look.fraction, 2),
            look.chosen,
            look.selected,
            look.held,
            look.baked,
            look.working,
            hot,
            linked,
            flagged,
            self.zoom,
            scale,
            theme().paper,
        )
        kept = self._kept.get(node_id)
        if kept is None or kept[0] != key:
            size = around.size() * scale
            picture = QPixmap(int(size.width()) + 2, int(size.height()) + 2)
            picture.setDevicePixelRatio(scale)
            picture.fill(Qt.GlobalColor.transparent)
            q = QPainter(picture)
            q.setRenderHint(QPainter.RenderHint.Antialiasing)
            q.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
            q.translate(-around.topLeft())
            q.scale(self.zoom, self.zoom)
            q.translate(-self.sheet.lens.x, -self.sheet.lens.y)
            self._draw_card(q, node_id, state, look, set(linked))
            q.end()
            kept = self._kept[node_id] = (key, picture, state)
        p.save()
        p.resetTransform()
        p.drawPixmap(around.topLeft(), kept[1])
        p.restore()
        if look.working and node_id != self.inside and paint.has_picture(state):
            paint.draw_work(p, QRectF(*self.sheet.rects.cards[node_id]), look.sweep)

    def _draw_card(self, p: QPainter, node_id: str, state: NodeState, look: CardLook, linked_outputs: set) -> None:
        rect = QRectF(*self.sheet.rects.cards[node_id])
        if state.role == NOTE:
            paint.draw_note(p, rect, state, look.selected)
            return
        if state.role == FRAME:
            return
        if node_id == self.inside or state.role in (ENTRY, CAIRN):
            paint.draw_plate(p, rect, state, look, node_id == self.inside)
        elif state.role == JUNCTION:
            p.setPen(QPen(theme().colour("accent" if look.chosen else "line"), 1.4))
            p.setBrush(theme().colour("sheet"))
            p.drawRoundedRect(rect, 3, 3)
        else:
            paint.draw_card(p, rect, state, look, self.zoom if self.zoom < Lens.BRIEF else 0.0)
        ins, outs = layout.port_kinds(self.recipe, node_id)
        for ports, output in ((ins, False), (outs, True)) if self.zoom >= Lens.FARTHEST + 0.1 else ():
            for port, kind, label in ports:
                place = QPointF(*self.sheet.port_place(node_id, port, output))
                if place.y() > rect.y() + layout.CARD_H and place.x() <= rect.x() and self.zoom >= Lens.BRIEF:
                    paint.draw_port_name(p, place, label, rect.width() - 16, output)
                linked = (
                    port in linked_outputs if output else port in state.inputs or (node_id, port) in self.scene.flags
                )
                paint.draw_port(p, place, kind, linked, self.gestures.hot == (node_id, port, output))

    def _paint_gesture(self, p: QPainter) -> None:
        """Paints what the pointer is about: a link on its way, a band."""
        gesture = self.gestures.gesture
        if isinstance(gesture, Link):
            node_id, port, output = gesture.held
            a, b = self.sheet.port_place(node_id, port, output), (gesture.x, gesture.y)
            ins, outs = layout.port_kinds(self.recipe, node_id)
            kind = next((k for i, k, _ in (outs if output else ins) if i == port), HEIGHT)
            start, end = (a, b) if output else (b, a)
            middle = (start[1] + end[1]) / 2
            paint.draw_link(p, paint.route_path([start, (start[0], middle), (end[0], middle), end]), kind, True)
        elif isinstance(gesture, Band):
            left, top, right, bottom = gesture.box
            p.setPen(QPen(theme().colour("ink"), 1, Qt.PenStyle.DotLine))
            p.setBrush(theme().colour("accent", 24))
            p.drawRect(QRectF(left, top, right - left, bottom - top))
