"""What is drawn on the land, in Relief and in Plan: lines, brush strokes, outlines and shapes; drawing, choosing,
moving and removing them.

The marks are one node's own setting, in metres of the site. They are shown over the picture and edited there; every
change goes out as a whole new value, so undo and the journal know it like any other setting.
"""

from __future__ import annotations

from collections.abc import Mapping

import numpy as np
from PyQt6.QtCore import QObject, QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPainterPath, QPen

from gelande.core.recipe import param as P
from gelande.kernels.shapes import curve_through

from ..theme import theme
from .base import View

#: Pixels at which a point or a line is taken.
REACH = 9.0


class Tool:
    """Tool that draws and changes one kind of setting. Its value stands in Marks."""

    words = ""
    ends_by_double_click = False
    #: How many of a piece's first settings are told while it is in hand; [ and ] change the very first.
    told = 0

    def __init__(self, marks: Marks) -> None:
        self.marks = marks

    def begun(self, value: tuple) -> tuple:
        """The value with which drawing begins."""
        return value

    def follow(self) -> None:
        """The value was changed by others: by undo, or on the bench."""

    # -- drawing
    def begin(self, pos, ground, other: bool) -> None:
        """A press begins to draw. other: with Shift, which does the other thing."""
        raise NotImplementedError

    def extend(self, pos, ground) -> None:
        """The pointer moves on while it is pressed."""

    def end(self, pos) -> None:
        """The pointer is released."""

    def finished(self, value: tuple) -> None:
        """Ends drawing, and takes what was drawn."""

    def given_up(self) -> None:
        """Ends drawing, and leaves what is unfinished."""

    # -- changing
    def press(self, pos, left: bool, right: bool) -> bool:
        """True when a press that does not draw belongs to the marks."""
        raise NotImplementedError

    def drag(self, held, ground) -> None:
        """Moves what is held to a place on the ground."""
        raise NotImplementedError

    def keeps(self, value: tuple) -> bool:
        """True when nothing can be taken away."""
        return False

    def remove_chosen(self) -> None:
        """Takes away what is chosen."""
        self.marks.remove(self.marks.chosen)

    def stored(self, value: tuple) -> tuple:
        """The value as it is handed on."""
        return value

    def paint(self, painter: QPainter) -> None:
        """Draws the marks."""
        raise NotImplementedError

    def paint_pointer(self, painter: QPainter, ground) -> None:
        """Draws what the pointer would do at a place on the ground."""


class Marks(QObject):
    """Marks drawn over a ViewWidget. ``changed`` carries every change (setting, value), ``done`` comes when a
    gesture ends, ``chose`` when another piece is chosen, ``ended`` when drawing ends by itself, ``sized`` when a
    brush is to become so many steps larger.

    tools: how each kind of setting is drawn; fresh: the settings that the next piece begins with."""

    changed = pyqtSignal(str, object)
    done = pyqtSignal()
    chose = pyqtSignal()
    ended = pyqtSignal()
    sized = pyqtSignal(int)

    def __init__(self, view: View, tools: Mapping[type[P.Param], type[Tool]]) -> None:
        super().__init__(view)
        self.view, self._tools = view, tools
        self.param: P.Param | None = None
        self.tool: Tool | None = None
        self.value: tuple = ()
        self.fresh: tuple = ()
        self.drawing = self.quiet = False
        self.pressure: float | None = None  # of a pen that is down
        self._chosen: int | None = None
        self._held = None
        self._stroke = False  # a press began to draw
        self._pointer: QPointF | None = None

    @property
    def words(self) -> str:
        """Hint about what can be done while drawing."""
        return self.tool.words if self.tool else ""

    @property
    def pressed(self) -> bool:
        """True when something is being drawn or dragged right now."""
        return self._stroke or self._held is not None

    @property
    def chosen(self) -> int | None:
        """The number of the chosen piece, or of the chosen point of a line."""
        return self._chosen

    @chosen.setter
    def chosen(self, index: int | None) -> None:
        if index != self._chosen:
            self._chosen = index
            self.chose.emit()
        self.view.update()

    @property
    def piece(self) -> tuple | None:
        """The chosen piece."""
        return self.value[self._chosen] if isinstance(self.param, P.Pieces) and self._chosen is not None else None

    def show(self, param: P.Param | None = None, value: tuple = (), fresh: tuple = (), quiet: bool = False) -> None:
        """Shows what a node has drawn; nothing without a parameter. quiet: only what is being drawn now."""
        if param != self.param:
            self.drawing, self._held, self._stroke = False, None, False
            self.tool = self._tools[type(param)](self) if param is not None else None
            self.param, self.value = param, value
            self.chosen = None
        self.value, self.fresh, self.quiet = value, fresh, quiet
        if self._chosen is not None and self._chosen >= len(value):
            self.chosen = None
        if self.tool is not None:
            self.tool.follow()
        self.view.update()

    def begun_anew(self, param: P.Param) -> bool:
        """True when this setting is being drawn from nothing, so that what it was is not shown."""
        return self.drawing and self.param == param and self.tool is not None and self.tool.begun(("x",)) == ()

    def draw(self, on: bool = True) -> None:
        """Begins drawing (a line is begun anew), or ends it."""
        if not on and self.drawing and self.tool is not None:
            self.tool.given_up()
        self.drawing = on and self.tool is not None
        self._stroke = False
        if self.drawing:
            self.chosen = None
            self.value = self.tool.begun(self.value)
        self.view.update()

    def stop_drawing(self) -> None:
        """Ends drawing of its own accord."""
        self.drawing = self._stroke = False
        self.ended.emit()
        self.view.update()

    # -- places -----------------------------------------------------------------------------------------
    def to_ground(self, pos: QPointF) -> tuple[float, float] | None:
        """Metres east and north under a place in the widget."""
        return self.view.mode.to_ground(pos)

    def to_widget(self, point: np.ndarray | tuple[float, float]) -> tuple[QPointF, bool] | None:
        """Place where a point of the ground is seen, and whether land hides it; None when it lies behind the eye."""
        return self.view.mode.to_widget(point)

    def near_point(self, points: list[tuple] | tuple, pos: QPointF) -> int | None:
        """The number of the point that is seen nearest to a place in the widget, within reach."""
        best = None
        for k, point in enumerate(points):
            seen = self.to_widget(point)
            if seen is not None and (seen[0] - pos).manhattanLength() < REACH * 1.4 and not seen[1]:
                away = (seen[0] - pos).manhattanLength()
                best = min(best or (away, k), (away, k))
        return best[1] if best else None

    def near_line(self, points: list[tuple] | np.ndarray, pos: QPointF, pieces: int = 1) -> int | None:
        """The number of the part of a drawn line that passes a place in the widget. points: of the line as it is
        drawn; pieces: of them from one of its own points to the next."""
        seen = [self.to_widget(p) for p in points]
        for k, (a, b) in enumerate(zip(seen, seen[1:])):
            if a is None or b is None:
                continue
            d = b[0] - a[0]
            length = d.x() ** 2 + d.y() ** 2
            along = (pos.x() - a[0].x()) * d.x() + (pos.y() - a[0].y()) * d.y()
            t = 0.0 if length < 1e-9 else min(1.0, max(0.0, along / length))
            if (a[0] + d * t - pos).manhattanLength() < REACH:
                return k // pieces
        return None

    # -- pointer and keys -------------------------------------------------------------------------------
    def hold(self, chosen: int, held: int | tuple) -> None:
        """Chooses a part and drags it from now on; held: what the tool needs to know of it."""
        self._held = (held,)
        self.chosen = chosen

    def press(self, event: QMouseEvent) -> bool:
        """True when a press belongs to the marks."""
        pos, left = event.position(), event.button() == Qt.MouseButton.LeftButton
        if self.tool is None or self.view.frame is None:
            return False
        if self.drawing and left:
            ground = self.to_ground(pos)
            if ground is not None:
                self._stroke = True
                self.tool.begin(pos, ground, bool(event.modifiers() & Qt.KeyboardModifier.ShiftModifier))
            return True
        return self.tool.press(pos, left, event.button() == Qt.MouseButton.RightButton)

    def move(self, event: QMouseEvent) -> bool:
        """True when a move belongs to the marks."""
        self._pointer = pos = event.position()
        if self.drawing:
            self.view.update()
        if self._held is None and not self._stroke:
            return False
        ground = self.to_ground(pos)
        if ground is not None and self.tool is not None:
            self.tool.extend(pos, ground) if self._stroke else self.tool.drag(self._held[0], ground)
        return True

    def release(self, event: QMouseEvent) -> bool:
        """True when a release belongs to the marks; ends a stroke, or a piece of a line."""
        held, self._held = self._held, None
        stroke, self._stroke = self._stroke, False
        if held is None and not stroke:
            return False
        if stroke and self.tool is not None:
            self.tool.end(event.position())
        self.done.emit()
        return True

    def finish(self) -> None:
        """Ends drawing and takes what was drawn."""
        value, self.drawing = self.value, False
        if self.tool is not None:
            self.tool.finished(value)
        self.view.update()

    def end_by_double_click(self) -> bool:
        """True when a double-click ended what was being drawn."""
        if not self.drawing or self.tool is None or not self.tool.ends_by_double_click:
            return False
        self.finish()
        self.ended.emit()
        return True

    def key(self, event: QKeyEvent) -> bool:
        """Enter ends a line or an outline, Escape stops drawing, Delete removes what is chosen."""
        key = event.key()
        if self.drawing and key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.finish()
            self.ended.emit()
        elif self.drawing and key == Qt.Key.Key_Escape:
            self.draw(False)
            self.ended.emit()
        elif self.chosen is not None and key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.tool.remove_chosen()
            self.done.emit()
        elif self.chosen is not None and key == Qt.Key.Key_Escape:
            self.chosen = None
        elif self.tool is not None and key in (Qt.Key.Key_BracketLeft, Qt.Key.Key_BracketRight):
            self.sized.emit(1 if key == Qt.Key.Key_BracketRight else -1)
        else:
            return False
        self.view.update()
        return True

    def set(self, value: tuple) -> None:
        """Takes a new value and hands it on."""
        self.value = self.tool.stored(value)
        self.changed.emit(self.param.id, self.value)
        self.view.update()

    def put(self, index: int, piece: tuple) -> None:
        """Replaces a piece, or adds one."""
        self.set((*self.value[:index], piece, *self.value[index + 1 :]))

    def remove(self, index: int) -> None:
        """Takes away a point (a line keeps two) or a piece."""
        if self.tool is not None and not self.tool.keeps(self.value):
            self.chosen = None
            self.set((*self.value[:index], *self.value[index + 1 :]))

    # -- painting ---------------------------------------------------------------------------------------
    def paint(self, painter: QPainter) -> None:
        """Draws the marks over the picture."""
        if self.tool is None or self.view.frame is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if not self.quiet:
            self.tool.paint(painter)
        ground = self.to_ground(self._pointer) if self.drawing and self._pointer is not None else None
        if ground is not None:
            self.tool.paint_pointer(painter, ground)

    def paint_line(self, painter: QPainter, points: list[tuple] | np.ndarray, chosen: bool) -> None:
        """One line on the ground: light below, ink or accent above, faint where land hides it. points: as fine as
        it is drawn."""
        t = theme()
        seen = [self.to_widget(p) for p in points]
        front, back = QPainterPath(), QPainterPath()
        for a, b in zip(seen, seen[1:]):
            if a is None or b is None:
                continue
            path = back if a[1] or b[1] else front
            path.moveTo(a[0])
            path.lineTo(b[0])
        if len(seen) == 1 and seen[0] is not None:
            front.addEllipse(seen[0][0], 2, 2)
        painter.setBrush(Qt.BrushStyle.NoBrush)
        painter.setPen(QPen(t.colour("sheet", 190), 4.2))
        painter.drawPath(front)
        painter.setPen(QPen(t.colour("accent" if chosen else "ink"), 1.8))
        painter.drawPath(front)
        painter.setPen(QPen(t.colour("accent" if chosen else "ink", 110), 1.4, Qt.PenStyle.DotLine))
        painter.drawPath(back)

    def paint_path(self, painter: QPainter, points: list[tuple] | tuple, chosen: bool) -> None:
        """A smooth line through points on the ground."""
        points = list(points)
        if len(points) > 2:
            points = curve_through(points, 12)
        elif len(points) == 2:
            (a, b), (c, d) = points
            points = [(a + (c - a) * k / 24, b + (d - b) * k / 24) for k in range(25)]
        self.paint_line(painter, points, chosen)

    def paint_handle(
        self, painter: QPainter, point: tuple[float, float], chosen: bool, size: int = 8, round_one: bool = False
    ) -> None:
        """A handle at a point of the ground, of the same size on screen however near it is."""
        seen, t = self.to_widget(point), theme()
        if seen is None:
            return
        painter.setPen(QPen(t.colour("ink", 120 if seen[1] else 255), 1.4))
        painter.setBrush(t.colour("accent" if chosen else "sheet", 120 if seen[1] else 255))
        box = (int(seen[0].x()) - size // 2, int(seen[0].y()) - size // 2, size, size)
        painter.drawEllipse(*box) if round_one else painter.drawRect(*box)
