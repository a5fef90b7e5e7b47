"""What differs between the kinds of marks that are drawn on the land: here a line of points, and brush strokes."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPointF, Qt
from PyQt6.QtGui import QPainter, QPen

from gelande.kernels.shapes import curve_through

from ..theme import theme
from .marks import Tool

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
        a, along, between = p[first], p[last] - p[first], p[first + 1 : last]
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


def rounded(points) -> tuple:
    """Points to a hundredth of a metre, as they are kept."""
    return tuple((round(float(p[0]), 2), round(float(p[1]), 2), *(round(float(v), 3) for v in p[2:])) for p in points)


class Trail:
    """Places that the pointer passed while it was pressed: in the widget, on the ground, and a pen's pressure."""

    def __init__(self, pos: QPointF, ground: tuple[float, float], pressure: float | None) -> None:
        self.places: list = []
        self.add(pos, ground, pressure)

    def add(self, pos: QPointF, ground: tuple[float, float], pressure: float | None) -> bool:
        """True when it was far enough from the one before."""
        if self.places and (pos - self.places[-1][0]).manhattanLength() < STEP:
            return False
        self.places.append((pos, ground, pressure))
        return True

    def points(self, simple: bool) -> tuple:
        """(east, north) in metres, with the pressure where a pen has one; simple: only those that matter."""
        kept = self.places
        if simple:
            seen = set(simplified([(p.x(), p.y()) for p, _, _ in kept], SIMPLE))
            kept = [place for place in kept if (place[0].x(), place[0].y()) in seen]
        if all(pressure is None for _, _, pressure in kept):
            return rounded(ground for _, ground, _ in kept)
        return rounded((*ground, 1.0 if pressure is None else pressure) for _, ground, pressure in kept)


class LineTool(Tool):
    """A line of points: drawing begins it anew; its points can be moved, added and taken away."""

    words = "Click points on the land or draw in one go; Enter or a double-click ends the line, Esc gives up."
    ends_by_double_click = True
    trail: Trail | None = None

    def begun(self, value: tuple) -> tuple:
        return ()

    def begin(self, pos: QPointF, ground: tuple[float, float], other: bool) -> None:
        self.trail = Trail(pos, ground, None)

    def extend(self, pos, ground) -> None:
        if self.trail.add(pos, ground, None):
            self.marks.view.update()

    def end(self, pos: QPointF) -> None:
        marks, points = self.marks, self.trail.points(True)
        self.trail = None
        marks.value = (*marks.value, *points)
        if len(points) > 1:  # drawn in one go
            marks.finish()
        else:
            marks.view.update()

    def press(self, pos: QPointF, left: bool, right: bool) -> bool:
        marks = self.marks
        near = marks.near_point(marks.value, pos)
        if near is not None and right:
            marks.remove(near)
            marks.done.emit()
            return True
        if not left:
            return False
        if near is None:
            fine = curve_through(marks.value, 8) if len(marks.value) > 2 else marks.value
            piece, ground = marks.near_line(fine, pos, 8 if len(marks.value) > 2 else 1), marks.to_ground(pos)
            if piece is None or ground is None:
                return False
            near = piece + 1
            marks.set((*marks.value[:near], ground, *marks.value[near:]))
        marks.hold(near, near)
        return True

    def drag(self, held: int, ground: tuple[float, float]) -> None:
        value = self.marks.value
        self.marks.set((*value[:held], ground, *value[held + 1 :]))

    def finished(self, value: tuple[tuple, tuple, tuple]) -> None:
        if len(value) > 1:
            self.marks.set(value)

    def keeps(self, value: tuple[tuple, tuple, tuple, tuple]) -> bool:
        return len(value) <= 2

    def stored(self, value: tuple) -> tuple:
        return rounded(value)

    def paint(self, painter: QPainter) -> None:
        t, marks = theme(), self.marks
        if len(marks.value) > 1:
            marks.paint_path(painter, marks.value, True)
        if self.trail is not None:
            marks.paint_path(painter, self.trail.points(False), True)
        for k, point in enumerate(marks.value):
            marks.paint_handle(painter, point, k == marks.chosen)
            seen = marks.to_widget(point)
            if k == 0 and len(marks.value) > 1 and seen is not None:  # where the line begins
                painter.setPen(QPen(t.colour("ink", 120 if seen[1] else 255), 1.4))
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRect(int(seen[0].x()) - 7, int(seen[0].y()) - 7, 14, 14)


class StrokesTool(Tool):
    """Brush strokes: each is added, and seen while it is drawn; a click chooses one, which can be moved, changed and
    taken away."""

    told = 2
    words = "Brush on the land. Shift: the other way round; [ and ]: smaller, larger; Esc ends brushing."
    trail: Trail | None = None
    index, settings = 0, ()

    def begin(self, pos: QPointF, ground: tuple[float, float], other: bool) -> None:
        marks = self.marks
        self.trail = Trail(pos, ground, marks.pressure)
        radius, amount, *rest = marks.fresh
        self.index, self.settings = len(marks.value), (radius, -amount if other else amount, *rest)
        self._lay(False)

    def _lay(self, simple: bool) -> None:
        self.marks.put(self.index, (*self.settings, self.trail.points(simple)))

    def extend(self, pos: QPointF, ground: tuple[float, float]) -> None:
        if self.trail.add(pos, ground, self.marks.pressure):
            self._lay(False)

    def end(self, pos: QPointF) -> None:
        self._lay(True)
        self.trail = None

    def near(self, pos: QPointF) -> int | None:
        """The stroke under a place in the widget."""
        marks = self.marks
        for k in reversed(range(len(marks.value))):
            points = marks.value[k][-1]
            if len(points) == 1 and marks.near_point([points[0][:2]], pos) is not None:
                return k
            if marks.near_line(self.shown(points), pos) is not None:
                return k
        return None

    @staticmethod
    def shown(points: tuple) -> list[tuple]:
        """The line as it is drawn."""
        return [p[:2] for p in points]

    def press(self, pos: QPointF, left: bool, right: bool) -> bool:
        marks = self.marks
        near = self.near(pos)
        if near is None or not left:
            if left and marks.chosen is not None:
                marks.chosen = None
            return False
        marks.hold(near, (marks.to_ground(pos), marks.value[near]))
        return True

    def drag(self, held: tuple[tuple, tuple], ground: tuple[float, float]) -> None:
        start, (*settings, points) = held
        if start is not None:
            east, north = ground[0] - start[0], ground[1] - start[1]
            moved = rounded((p[0] + east, p[1] + north, *p[2:]) for p in points)
            self.marks.put(self.marks.chosen, (*settings, moved))

    def paint(self, painter: QPainter) -> None:
        if self.marks.drawing:  # what they do is seen, and the lines would hide it
            return
        for k, stroke in enumerate(self.marks.value):
            self.marks.paint_line(painter, self.shown(stroke[-1]), k == self.marks.chosen)

    def paint_pointer(self, painter: QPainter, ground: tuple[float, float]) -> None:
        """The ring that the brush covers on the ground."""
        radius = self.marks.fresh[0]
        turns = (2 * math.pi * k / 40 for k in range(41))
        ring = [
            self.marks.to_widget((ground[0] + radius * math.cos(a), ground[1] + radius * math.sin(a))) for a in turns
        ]
        for pen in (QPen(theme().colour("sheet", 190), 3.2), QPen(theme().colour("accent"), 1.4)):
            painter.setPen(pen)
            for a, b in zip(ring, ring[1:]):
                if a is not None and b is not None:
                    painter.drawLine(a[0], b[0])
