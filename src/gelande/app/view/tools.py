"""What differs between the kinds of marks that are drawn on the land: a line of points, and brush strokes."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

import numpy as np
from PyQt6.QtCore import Qt
from PyQt6.QtGui import QPainter, QPen

from gelande.core import param as P

from ..theme import theme

if TYPE_CHECKING:
    from .marks import Marks

REACH = 9.0
#: How far a hand-drawn line may be simplified, pixels.
SIMPLE = 2.0


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


class Tool:
    """How one kind of setting is drawn and changed. value: the setting's, as it stands in Marks."""

    words = ""

    def __init__(self, marks: Marks):
        self.marks = marks

    def begun(self, value):
        """The value with which drawing begins."""
        return value

    def near(self, pos) -> int | None:
        """The number of the part under a place in the widget."""
        raise NotImplementedError

    def press(self, pos, left: bool, right: bool) -> bool:
        """Whether a press that does not draw belongs to the marks."""
        raise NotImplementedError

    def drag(self, held, ground):
        """Moves what is held to a place on the ground."""
        raise NotImplementedError

    def drawn(self, points: tuple):
        """Takes what was drawn in one go."""
        raise NotImplementedError

    def finished(self, value):
        """Ends drawing, and takes what was drawn."""

    def keeps(self, value) -> bool:
        """Whether nothing can be taken away."""
        return False

    def stored(self, value):
        """The value as it is handed on."""
        return value

    def paint(self, painter: QPainter):
        """Draws the marks."""
        raise NotImplementedError

    def paint_pointer(self, painter: QPainter, ground):
        """Draws what the pointer would do at a place on the ground."""


class LineTool(Tool):
    """A line of points: drawing begins it anew; its points can be moved, added and taken away."""

    words = "Click points on the land or draw in one go; Enter or a double-click ends the line, Esc gives up."

    def begun(self, value):
        return ()

    def near(self, pos) -> int | None:
        best = None
        for k, point in enumerate(self.marks.value):
            seen = self.marks.to_widget(point)
            if seen is not None and (seen[0] - pos).manhattanLength() < REACH * 1.4 and not seen[1]:
                away = (seen[0] - pos).manhattanLength()
                best = min(best or (away, k), (away, k))
        return best[1] if best else None

    def press(self, pos, left: bool, right: bool) -> bool:
        marks = self.marks
        near = self.near(pos)
        if near is not None and right:
            marks.remove(near)
            return True
        if not left:
            return False
        if near is None:
            piece, ground = marks.near_line(marks.value, pos), marks.to_ground(pos)
            if piece is None or ground is None:
                return False
            near = piece + 1
            marks.set((*marks.value[:near], ground, *marks.value[near:]))
        marks.hold(near, near)
        return True

    def drag(self, held, ground):
        value = self.marks.value
        self.marks.set((*value[:held], ground, *value[held + 1 :]))

    def drawn(self, points: tuple):
        marks = self.marks
        marks.value = (*marks.value, *points)
        if len(points) > 1:  # drawn in one go
            marks.finish()
        else:
            marks.view.update()

    def finished(self, value):
        if len(value) > 1:
            self.marks.set(value)

    def keeps(self, value) -> bool:
        return len(value) <= 2

    def stored(self, value):
        return tuple((round(float(e), 2), round(float(n), 2)) for e, n in value)

    def paint(self, painter: QPainter):
        t, marks = theme(), self.marks
        if len(marks.value) > 1:
            marks.paint_path(painter, marks.value, True)
        for k, point in enumerate(marks.value):
            seen = marks.to_widget(point)
            if seen is None:
                continue
            painter.setPen(QPen(t.colour("ink", 120 if seen[1] else 255), 1.4))
            painter.setBrush(t.colour("accent" if k == marks.chosen else "sheet", 120 if seen[1] else 255))
            painter.drawRect(int(seen[0].x()) - 4, int(seen[0].y()) - 4, 8, 8)
            if k == 0 and len(marks.value) > 1:  # where the line begins
                painter.setBrush(Qt.BrushStyle.NoBrush)
                painter.drawRect(int(seen[0].x()) - 7, int(seen[0].y()) - 7, 14, 14)


class StrokesTool(Tool):
    """Brush strokes: each is added; a click chooses one, which can be moved and taken away."""

    words = "Brush on the land; Esc ends brushing."

    def near(self, pos) -> int | None:
        for k in reversed(range(len(self.marks.value))):
            points = self.marks.value[k][3]
            seen = self.marks.to_widget(points[0])
            if (
                self.marks.near_line(points, pos) is not None
                or seen is not None
                and (seen[0] - pos).manhattanLength() < REACH
            ):
                return k
        return None

    def press(self, pos, left: bool, right: bool) -> bool:
        marks = self.marks
        near = self.near(pos)
        if near is None or not left:
            if left and marks.chosen is not None:
                marks.chosen = None
                marks.view.update()
            return False
        marks.hold(near, (marks.to_ground(pos), marks.value[near]))
        return True

    def drag(self, held, ground):
        start, (radius, amount, hardness, points) = held
        if start is None:
            return
        marks = self.marks
        east, north = ground[0] - start[0], ground[1] - start[1]
        moved = tuple((round(e + east, 2), round(n + north, 2)) for e, n in points)
        stroke, k = (radius, amount, hardness, moved), marks.chosen
        marks.set((*marks.value[:k], stroke, *marks.value[k + 1 :]))

    def drawn(self, points: tuple):
        self.marks.set((*self.marks.value, (*self.marks.brush, points)))

    def paint(self, painter: QPainter):
        for k, stroke in enumerate(self.marks.value):
            self.marks.paint_path(painter, stroke[3], k == self.marks.chosen)

    def paint_pointer(self, painter: QPainter, ground):
        """The ring that the brush covers on the ground."""
        radius = self.marks.brush[0]
        turns = (2 * math.pi * k / 40 for k in range(41))
        ring = [
            self.marks.to_widget((ground[0] + radius * math.cos(a), ground[1] + radius * math.sin(a))) for a in turns
        ]
        painter.setPen(QPen(theme().colour("accent"), 1.4))
        for a, b in zip(ring, ring[1:]):
            if a is not None and b is not None:
                painter.drawLine(a[0], b[0])


TOOLS: dict[type[P.Param], type[Tool]] = {P.Line: LineTool, P.Strokes: StrokesTool}
