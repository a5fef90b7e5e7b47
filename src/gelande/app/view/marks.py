"""Lines and brush strokes drawn on the land, in Relief and in Plan: drawing, moving points, moving and removing
strokes.

The marks are the chosen node's own setting, in metres of the site. They are shown over the picture and edited there;
every change goes out as a whole new value, so undo and the journal know it like any other setting.
"""

from __future__ import annotations

from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPen

from gelande.core.param import Param
from gelande.kernels.shapes import curve_through

from ..theme import theme
from .tools import REACH, SIMPLE, TOOLS, Tool, simplified

#: Pixels between the points that a hand-drawn line is taken at.
STEP = 6.0


class Marks:
    """What is drawn over a ViewWidget. give(param id, value) takes every change; brush: (radius m, amount,
    hardness)."""

    def __init__(self, view, give):
        self.view, self.give = view, give
        self.param: Param | None = None
        self.tool: Tool | None = None
        self.value: tuple = ()
        self.brush = (100.0, 50.0, 0.3)
        self.drawing = False
        self.chosen: int | None = None
        self._held = None
        self._trail: list | None = None
        self._pointer: QPointF | None = None

    @property
    def words(self) -> str:
        """What can be done while drawing."""
        return self.tool.words if self.tool else ""

    def show(self, param: Param | None = None, value=(), brush=None):
        """Shows a node's line or strokes; nothing without a parameter."""
        if param != self.param:
            self.drawing, self.chosen, self._held, self._trail = False, None, None, None
            self.tool = TOOLS[type(param)](self) if param is not None else None
        self.param, self.value = param, value
        if brush:
            self.brush = brush
        if self.chosen is not None and self.chosen >= len(value):
            self.chosen = None
        self.view.update()

    def begun_anew(self, param: Param) -> bool:
        """Whether this setting is being drawn from nothing, so that what it was is not shown."""
        return self.drawing and self.param == param and self.tool is not None and self.tool.begun(("x",)) == ()

    def draw(self, on: bool = True):
        """Begins drawing (a line is begun anew), or ends it."""
        self.drawing = on and self.tool is not None
        self.chosen, self._trail = None, None
        if self.drawing:
            self.value = self.tool.begun(self.value)
        self.view.update()

    # -- places -----------------------------------------------------------------------------------------
    def to_ground(self, pos) -> tuple[float, float] | None:
        """Metres east and north under a place in the widget."""
        return self.view.mode.to_ground(pos)

    def to_widget(self, point) -> tuple[QPointF, bool] | None:
        """Where a point of the ground is seen, and whether land hides it; None when it lies behind the eye."""
        return self.view.mode.to_widget(point)

    def near_line(self, points, pos) -> int | None:
        """The number of the piece of the smooth line through points that passes a place in the widget."""
        if len(points) < 2:
            return None
        pieces = 8
        seen = [self.to_widget(p) for p in (curve_through(points, pieces) if len(points) > 2 else points)]
        for k, (a, b) in enumerate(zip(seen, seen[1:])):
            if a is None or b is None:
                continue
            d = b[0] - a[0]
            length = d.x() ** 2 + d.y() ** 2
            t = (
                0.0
                if length < 1e-9
                else min(1.0, max(0.0, ((pos.x() - a[0].x()) * d.x() + (pos.y() - a[0].y()) * d.y()) / length))
            )
            if (a[0] + d * t - pos).manhattanLength() < REACH:
                return k // pieces if len(points) > 2 else k
        return None

    # -- pointer and keys -------------------------------------------------------------------------------
    def hold(self, chosen: int, held):
        """Chooses a part and drags it from now on; held: what the tool needs to know of it."""
        self.chosen, self._held = chosen, (held,)
        self.view.update()

    def press(self, event) -> bool:
        """Whether a press belongs to the marks."""
        pos, left = event.position(), event.button() == Qt.MouseButton.LeftButton
        if self.tool is None or self.view.frame is None:
            return False
        if self.drawing and left:
            ground = self.to_ground(pos)
            if ground is not None:
                self._trail = [(pos, ground)]
            return True
        return self.tool.press(pos, left, event.button() == Qt.MouseButton.RightButton)

    def move(self, event) -> bool:
        """Whether a move belongs to the marks."""
        pos = event.position()
        self._pointer = pos
        if self.drawing:
            self.view.update()
        if self._held is None and self._trail is None:
            return False
        ground = self.to_ground(pos)
        if ground is None:
            return True
        if self._trail is not None:
            if (pos - self._trail[-1][0]).manhattanLength() >= STEP:
                self._trail.append((pos, ground))
                self.view.update()
        elif self.tool is not None:
            self.tool.drag(self._held[0], ground)
        return True

    def release(self, event) -> bool:
        """Whether a release belongs to the marks; ends a stroke, or a piece of a line."""
        held, self._held = self._held, None
        trail, self._trail = self._trail, None
        if held is None and trail is None:
            return False
        self.view.mark_done.emit()
        if trail is not None and self.tool is not None:
            seen = set(simplified([(p.x(), p.y()) for p, _ in trail], SIMPLE))
            kept = [g for p, g in trail if (p.x(), p.y()) in seen]
            self.tool.drawn(tuple((round(e, 2), round(n, 2)) for e, n in kept))
        return True

    def finish(self):
        """Ends drawing and takes what was drawn."""
        value, self.drawing = self.value, False
        if self.tool is not None:
            self.tool.finished(value)
        self.view.update()

    def end_by_double_click(self) -> bool:
        """Whether a double-click ended what was being drawn."""
        if self.param is None or not self.begun_anew(self.param):
            return False
        self.finish()
        return True

    def key(self, event) -> bool:
        """Enter ends a line, Escape stops drawing, Delete removes the chosen point or stroke."""
        key = event.key()
        if self.drawing and key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.finish()
        elif self.drawing and key == Qt.Key.Key_Escape:
            self.drawing = False
            self.view.marks_ended()
        elif self.chosen is not None and key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace):
            self.remove(self.chosen)
        else:
            return False
        self.view.update()
        return True

    def remove(self, index: int):
        """Takes away a point (a line keeps two) or a stroke."""
        if self.tool is not None and not self.tool.keeps(self.value):
            self.chosen = None
            self.set((*self.value[:index], *self.value[index + 1 :]))

    def set(self, value):
        """Takes a new value and hands it on."""
        self.value = self.tool.stored(value)
        self.give(self.param.id, self.value)
        self.view.update()

    # -- painting ---------------------------------------------------------------------------------------
    def paint(self, painter: QPainter):
        """Draws the marks over the picture."""
        if self.tool is None or self.view.frame is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        self.tool.paint(painter)
        if self._trail:
            self.paint_path(painter, [g for _, g in self._trail], True)
        ground = self.to_ground(self._pointer) if self.drawing and self._pointer is not None else None
        if ground is not None:
            self.tool.paint_pointer(painter, ground)

    def paint_path(self, painter, points, chosen: bool):
        """One line on the ground: light below, ink or accent above, faint where land hides it."""
        t = theme()
        points = list(points)
        fine = (
            curve_through(points, 12)
            if len(points) > 2
            else points
            if len(points) < 2
            else [
                (
                    points[0][0] + (points[1][0] - points[0][0]) * k / 24,
                    points[0][1] + (points[1][1] - points[0][1]) * k / 24,
                )
                for k in range(25)
            ]
        )
        seen = [self.to_widget(p) for p in fine]
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
