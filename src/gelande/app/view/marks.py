"""Lines and brush strokes drawn on the land, in Relief and in Plan: drawing, moving points, moving and removing strokes.

The marks are the chosen node's own setting, in metres of the site. They are shown over the picture and edited there;
every change goes out as a whole new value, so undo and the journal know it like any other setting.
"""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QPainter, QPainterPath, QPen

from gelande.kernels.shapes import curve_through

from ..theme import theme

REACH = 9.0
#: Pixels between the points that a hand-drawn line is taken at, and how far it may be simplified.
STEP, SIMPLE = 6.0, 2.0


def simplified(points: list, tolerance: float) -> list:
    """The points that matter of a hand-drawn line (Douglas and Peucker 1973)."""
    p = np.asarray(points, float).reshape(-1, 2)
    kept, todo = {0, len(points) - 1}, [(0, len(points) - 1)]
    while todo:
        first, last = todo.pop()
        if last - first < 2:
            continue
        a, along, between = p[first], p[last] - p[first], p[first + 1:last]
        length = float(np.hypot(*along))
        if length < 1e-6:
            away = np.hypot(*(between - a).T)
        else:
            away = np.abs((between[:, 0] - a[0]) * along[1] - (between[:, 1] - a[1]) * along[0]) / length
        k = int(away.argmax())
        if away[k] > tolerance:
            kept.add(first + 1 + k)
            todo += [(first, first + 1 + k), (first + 1 + k, last)]
    return [points[k] for k in sorted(kept)] if points else []


class Marks:
    """What is drawn over a ViewWidget. give(param id, value) takes every change; brush: (radius m, amount, hardness)."""

    def __init__(self, view, give):
        self.view, self.give = view, give
        self.param, self.kind, self.value = "", "", ()
        self.brush = (100.0, 50.0, 0.3)
        self.unit = "m"
        self.drawing = False
        self.chosen: int | None = None
        self._held = None
        self._trail: list = []
        self._pointer: QPointF | None = None

    def show(self, param_id: str = "", kind: str = "", value=(), brush=None):
        """Shows a node's line or strokes; nothing for an empty kind."""
        if param_id != self.param or kind != self.kind:
            self.drawing, self.chosen, self._held, self._trail = False, None, None, []
        self.param, self.kind, self.value = param_id, kind, value
        if brush:
            self.brush = brush
        if self.chosen is not None and self.chosen >= len(value):
            self.chosen = None
        self.view.update()

    def draw(self, on: bool = True):
        """Begins drawing (a line is begun anew), or ends it."""
        self.drawing = on and bool(self.kind)
        self.chosen, self._trail = None, []
        if self.drawing and self.kind == "line":
            self.value = ()
        self.view.update()

    # -- places -----------------------------------------------------------------------------------------
    def to_ground(self, pos) -> tuple[float, float] | None:
        """Metres east and north under a place in the widget."""
        view = self.view
        if view.mode == "Plan" and view.plan is not None:
            return (view.plan.east + (pos.x() + 0.5 - view.width() / 2) * view.plan.metres,
                    view.plan.north - (pos.y() + 0.5 - view.height() / 2) * view.plan.metres)
        hit = view._under(pos.toPoint() if isinstance(pos, QPointF) else pos)
        if hit is None:
            return None
        scene = view.frame.scene
        return hit[0] * scene.dx, scene.depth - hit[1] * scene.dx

    def to_widget(self, point) -> tuple[QPointF, bool] | None:
        """Where a point of the ground is seen, and whether land hides it; None when it lies behind the eye."""
        view, scene = self.view, self.view.frame.scene
        if view.mode == "Plan" and view.plan is not None:
            return QPointF(view.width() / 2 + (point[0] - view.plan.east) / view.plan.metres,
                           view.height() / 2 - (point[1] - view.plan.north) / view.plan.metres), False
        aspect = view.width() / max(1, view.height())
        forward, right, up = view.camera.axes(aspect)
        away = np.array([point[0], point[1], scene.ground(*point)]) - view.camera.position
        t = float(away @ forward)
        if t <= 1e-3:
            return None
        a, b = float(away @ right) / float(right @ right) / t, float(away @ up) / float(up @ up) / t
        x, y = (a + 1) / 2 * view.width(), (1 - b) / 2 * view.height()
        buffer = view.frame.buffer
        h, w = buffer.kind.shape
        px, py = int(x * w / max(1, view.width())), int(y * h / max(1, view.height()))
        hidden = 0 <= px < w and 0 <= py < h and buffer.kind[py, px] > 0 and t > float(buffer.depth[py, px]) * 1.012 + 2 * scene.dx
        return QPointF(x, y), hidden

    def _near_point(self, pos) -> int | None:
        best = None
        for k, point in enumerate(self.value):
            seen = self.to_widget(point)
            if seen is not None and (seen[0] - pos).manhattanLength() < REACH * 1.4 and not seen[1]:
                away = (seen[0] - pos).manhattanLength()
                best = min(best or (away, k), (away, k))
        return best[1] if best else None

    def _near_line(self, points, pos) -> int | None:
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
            t = 0.0 if length < 1e-9 else min(1.0, max(0.0, ((pos.x() - a[0].x()) * d.x() + (pos.y() - a[0].y()) * d.y()) / length))
            if (a[0] + d * t - pos).manhattanLength() < REACH:
                return k // pieces if len(points) > 2 else k
        return None

    def _near_stroke(self, pos) -> int | None:
        for k in reversed(range(len(self.value))):
            points = self.value[k][3]
            seen = self.to_widget(points[0])
            if self._near_line(points, pos) is not None or seen is not None and (seen[0] - pos).manhattanLength() < REACH:
                return k
        return None

    # -- pointer and keys -------------------------------------------------------------------------------
    def press(self, event) -> bool:
        """Whether a press belongs to the marks."""
        pos, left = event.position(), event.button() == Qt.MouseButton.LeftButton
        if not self.kind or self.view.frame is None:
            return False
        if self.drawing and left:
            ground = self.to_ground(pos)
            if ground is not None:
                self._held, self._trail = "trail", [(pos, ground)]
            return True
        if self.kind == "line":
            return self._press_line(pos, left, event.button() == Qt.MouseButton.RightButton)
        near = self._near_stroke(pos)
        if near is None or not left:
            if left and self.chosen is not None:
                self.chosen = None
                self.view.update()
            return False
        self.chosen, self._held = near, ("stroke", self.to_ground(pos), self.value[near])
        self.view.update()
        return True

    def _press_line(self, pos, left: bool, right: bool) -> bool:
        near = self._near_point(pos)
        if near is not None and right:
            self.remove(near)
            return True
        if not left:
            return False
        if near is None:
            piece = self._near_line(self.value, pos)
            ground = self.to_ground(pos)
            if piece is None or ground is None:
                return False
            near = piece + 1
            self._set((*self.value[:near], ground, *self.value[near:]))
        self.chosen, self._held = near, ("point", near)
        self.view.update()
        return True

    def move(self, event) -> bool:
        """Whether a move belongs to the marks."""
        pos = event.position()
        self._pointer = pos
        if self.drawing:
            self.view.update()
        if self._held is None:
            return False
        ground = self.to_ground(pos)
        if ground is None:
            return True
        if self._held == "trail":
            if (pos - self._trail[-1][0]).manhattanLength() >= STEP:
                self._trail.append((pos, ground))
                self.view.update()
        elif self._held[0] == "point":
            k = self._held[1]
            self._set((*self.value[:k], ground, *self.value[k + 1:]))
        elif self._held[1] is not None:
            radius, amount, hardness, points = self._held[2]
            east, north = ground[0] - self._held[1][0], ground[1] - self._held[1][1]
            moved = tuple((round(e + east, 2), round(n + north, 2)) for e, n in points)
            self._set((*self.value[:self.chosen], (radius, amount, hardness, moved), *self.value[self.chosen + 1:]))
        return True

    def release(self, event) -> bool:
        """Whether a release belongs to the marks; ends a stroke, or a piece of a line."""
        held, self._held = self._held, None
        if held is not None:
            self.view.mark_done.emit()
        if held != "trail":
            return held is not None
        trail, self._trail = self._trail, []
        seen = simplified([(p.x(), p.y()) for p, _ in trail], SIMPLE)
        kept = [g for p, g in trail if (p.x(), p.y()) in set(seen)]
        points = tuple((round(e, 2), round(n, 2)) for e, n in kept)
        if self.kind == "strokes":
            self._set((*self.value, (*self.brush, points)))
        elif len(points) > 1:  # drawn in one go
            self.value = (*self.value, *points)
            self.finish()
        else:
            self.value = (*self.value, *points)
            self.view.update()
        return True

    def finish(self):
        """Ends a line that is being drawn."""
        value, self.drawing = self.value, False
        if self.kind == "line" and len(value) > 1:
            self._set(value)
        self.view.update()

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
        if self.kind == "strokes" or len(self.value) > 2:
            self.chosen = None
            self._set((*self.value[:index], *self.value[index + 1:]))

    def _set(self, value):
        if self.kind == "line":
            value = tuple((round(float(e), 2), round(float(n), 2)) for e, n in value)
        self.value = value
        self.give(self.param, value)
        self.view.update()

    # -- painting ---------------------------------------------------------------------------------------
    def paint(self, painter: QPainter):
        """Draws the marks over the picture."""
        if not self.kind or self.view.frame is None:
            return
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.kind == "line":
            self._paint_line(painter)
        else:
            for k, (radius, amount, hardness, points) in enumerate(self.value):
                self._paint_path(painter, points, k == self.chosen)
        if self._trail:
            self._paint_path(painter, [g for _, g in self._trail], True)
        if self.drawing:
            self._paint_brush(painter)

    def _paint_path(self, painter, points, chosen: bool):
        """One line on the ground: light below, ink or accent above, faint where land hides it."""
        t = theme()
        points = list(points)
        fine = curve_through(points, 12) if len(points) > 2 else points if len(points) < 2 else \
            [(points[0][0] + (points[1][0] - points[0][0]) * k / 24, points[0][1] + (points[1][1] - points[0][1]) * k / 24) for k in range(25)]
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

    def _paint_line(self, painter):
        t = theme()
        if len(self.value) > 1:
            self._paint_path(painter, self.value, True)
        for k, point in enumerate(self.value):
            seen = self.to_widget(point)
            if seen is None:
                continue
            painter.setPen(QPen(t.colour("ink", 120 if seen[1] else 255), 1.4))
            painter.setBrush(t.colour("accent" if k == self.chosen else "sheet", 120 if seen[1] else 255))
            painter.drawRect(int(seen[0].x()) - 4, int(seen[0].y()) - 4, 8, 8)
            if k == 0 and len(self.value) > 1:  # where the line begins
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRect(int(seen[0].x()) - 7, int(seen[0].y()) - 7, 14, 14)

    def _paint_brush(self, painter):
        """The ring that a brush covers on the ground."""
        ground = self.to_ground(self._pointer) if self._pointer is not None else None
        if self.kind != "strokes" or ground is None:
            return
        radius = self.brush[0]
        ring = [self.to_widget((ground[0] + radius * math.cos(a), ground[1] + radius * math.sin(a)))
                for a in (2 * math.pi * k / 40 for k in range(41))]
        painter.setPen(QPen(theme().colour("accent"), 1.4))
        for a, b in zip(ring, ring[1:]):
            if a is not None and b is not None:
                painter.drawLine(a[0], b[0])
