"""Closed outlines and shapes drawn on the land: drawing, choosing, handles."""

from __future__ import annotations

import math

import numpy as np
from PyQt6.QtCore import QPointF
from PyQt6.QtGui import QPainter

from gelande.kernels.shapes import closed_curve, corners

from .marks import REACH, Tool
from .tools import Trail, rounded

#: Pixels within which a press belongs to a handle.
GRASP = REACH * 1.4
#: Points of a curved outline from one of its own to the next, as it is drawn; points on a straight edge, so that it
#: lies on the land.
FINE, STRAIGHT = 10, 8


def divided(points: tuple[tuple, tuple, tuple], pieces: int) -> np.ndarray:
    """A closed line of straight pieces with points between, the first one again at the end."""
    p = np.asarray(points, float)
    t = np.arange(pieces)[None, :, None] / pieces
    fine = (p[:, None] + (np.roll(p, -1, axis=0) - p)[:, None] * t).reshape(-1, 2)
    return np.concatenate([fine, p[:1]])


class OutlinesTool(Tool):
    """Closed outlines. Each click while drawing adds a point at once, so that undo takes back a point; drawing in one
    go closes the outline. A chosen one shows its points, and a handle in its middle that moves it."""

    words = (
        "Click points on the land or draw around an area in one go; Enter, a double-click or the first point closes "
        "the outline, Esc gives up."
    )
    ends_by_double_click = True
    trail: Trail | None = None
    #: The outline that is being drawn; the chosen point of the chosen one.
    opened: int | None = None
    point: int | None = None

    # -- drawing
    def follow(self) -> None:
        value = self.marks.value
        if self.opened is not None and self.opened >= len(value):
            self.opened = None
        piece = self.marks.piece
        if self.point is not None and (piece is None or self.point >= len(piece[-1])):
            self.point = None

    def begin(self, pos: QPointF, ground: tuple[float, float], other: bool) -> None:
        if self.opened is not None:
            points = self.marks.value[self.opened][-1]
            if len(points) > 2 and self.marks.near_point(points[:1], pos) == 0:
                self.trail = None
                return
        self.trail = Trail(pos, ground, None)

    def extend(self, pos: QPointF, ground: tuple[float, float]) -> None:
        if self.trail is not None and self.trail.add(pos, ground, None):
            self.marks.view.update()

    def end(self, pos: QPointF) -> None:
        marks = self.marks
        if self.trail is None:  # on the first point
            marks.finish()
            marks.ended.emit()
            return
        points, self.trail = self.trail.points(True), None
        if self.opened is None:
            self.opened = len(marks.value)
            marks.put(self.opened, (*marks.fresh, points))
        else:
            *settings, before = marks.value[self.opened]
            marks.put(self.opened, (*settings, (*before, *points)))
        if len(points) > 2:  # drawn in one go
            marks.finish()
            marks.ended.emit()

    def finished(self, value: tuple) -> None:
        opened, self.opened = self.opened, None
        if opened is not None and opened < len(value):
            if len(value[opened][-1]) < 3:
                self.marks.remove(opened)
            else:
                self.marks.chosen = opened

    def given_up(self) -> None:
        if self.opened is not None and self.opened < len(self.marks.value):
            self.marks.remove(self.opened)
        self.opened = None

    # -- changing
    def shown(self, piece: tuple) -> np.ndarray:
        """The closed line as it is drawn."""
        points = piece[-1]
        if len(points) < 3:
            return np.asarray(points, float)
        if piece[0]:
            fine = closed_curve(points, FINE)
            return np.concatenate([fine, fine[:1]])
        return divided(points, STRAIGHT)

    @staticmethod
    def middle(piece: tuple) -> tuple[float, float]:
        """Place of the handle that moves all of it."""
        east, north = np.mean(piece[-1], axis=0)
        return float(east), float(north)

    def press(self, pos: QPointF, left: bool, right: bool) -> bool:
        marks, piece = self.marks, self.marks.piece
        if piece is not None:
            near = marks.near_point(piece[-1], pos)
            if near is not None and right:
                self._without(near)
                marks.done.emit()
                return True
            if near is not None and left:
                return self._take(near)
            if left and marks.near_point([self.middle(piece)], pos) == 0:
                self.point = None
                marks.hold(marks.chosen, (None, self.middle(piece), piece))
                return True
            part = marks.near_line(self.shown(piece), pos, FINE if piece[0] else STRAIGHT) if left else None
            ground = marks.to_ground(pos)
            if part is not None and ground is not None:
                *settings, points = piece
                marks.put(marks.chosen, (*settings, rounded((*points[: part + 1], ground, *points[part + 1 :]))))
                return self._take(part + 1)
        if not left:
            return False
        for k in reversed(range(len(marks.value))):
            if marks.near_line(self.shown(marks.value[k]), pos) is not None:
                self.point, marks.chosen = None, k
                return True
        marks.chosen = self.point = None
        return False

    def _take(self, point: int) -> bool:
        self.point = point
        self.marks.hold(self.marks.chosen, (point, None, None))
        return True

    def drag(self, held: tuple, ground: tuple[float, float]) -> None:
        marks, (point, start, before) = self.marks, held
        if point is None:
            *settings, points = before
            east, north = ground[0] - start[0], ground[1] - start[1]
            marks.put(marks.chosen, (*settings, rounded((e + east, n + north) for e, n in points)))
        else:
            *settings, points = marks.piece
            marks.put(marks.chosen, (*settings, rounded((*points[:point], ground, *points[point + 1 :]))))

    def _without(self, point: int) -> None:
        """Takes away a point; an outline keeps three."""
        *settings, points = self.marks.piece
        if len(points) > 3:
            self.point = None
            self.marks.put(self.marks.chosen, (*settings, (*points[:point], *points[point + 1 :])))

    def remove_chosen(self) -> None:
        if self.point is not None:
            self._without(self.point)
        else:
            self.marks.remove(self.marks.chosen)

    def paint(self, painter: QPainter) -> None:
        marks = self.marks
        for k, piece in enumerate(marks.value):
            open_one = k == self.opened
            line = [tuple(p) for p in piece[-1]] if open_one else self.shown(piece)
            if open_one and len(line) > 2 and piece[0]:
                marks.paint_path(painter, line, True)
            else:
                marks.paint_line(painter, line, open_one or k == marks.chosen)
            if open_one or k == marks.chosen:
                for j, point in enumerate(piece[-1]):
                    marks.paint_handle(painter, point, j == (0 if open_one else self.point))
            if k == marks.chosen:
                marks.paint_handle(painter, self.middle(piece), False, 10, True)
        if self.trail is not None:
            marks.paint_path(painter, self.trail.points(False), True)


class ShapesTool(Tool):
    """Ellipses and boxes: drawn from their middle; handles move, stretch and turn a chosen one."""

    words = "Drag on the land from the middle of a new shape; Esc ends drawing."
    MIDDLE, ACROSS, ALONG, TURN = range(4)
    index, settings, start = 0, (), (0.0, 0.0)

    # -- drawing
    def begin(self, pos: QPointF, ground: tuple[float, float], other: bool) -> None:
        side = 0.12 * max(self.marks.view.extent)
        self.index, self.settings, self.start = len(self.marks.value), self.marks.fresh, (pos, ground)
        self._lay((*ground, side, side, 0.0))

    def _lay(self, place: tuple) -> None:
        self.marks.put(self.index, (*self.settings, tuple(round(v, 2) for v in place)))

    def extend(self, pos: QPointF, ground: tuple[float, float]) -> None:
        first, (east, north) = self.start
        if (pos - first).manhattanLength() > GRASP:
            width, length = 2 * abs(ground[0] - east), 2 * abs(ground[1] - north)
            least = 0.02 * max(width, length)
            self._lay((east, north, max(width, least, 0.1), max(length, least, 0.1), 0.0))

    def end(self, pos: QPointF) -> None:
        self.marks.stop_drawing()
        self.marks.chosen = self.index

    # -- changing
    @staticmethod
    def shown(piece: tuple) -> np.ndarray:
        """The closed line as it is drawn."""
        round_one = piece[0] == "Ellipse"
        line = corners(round_one, *piece[-1])
        return np.concatenate([line[::4], line[:1]]) if round_one else divided(line, STRAIGHT)

    def handles(self, piece: tuple) -> list[tuple[float, float]]:
        """Places of the handles: middle, width, length and turn."""
        east, north, width, length, turn = piece[-1]
        a = math.radians(turn)
        along, across = (math.sin(a), math.cos(a)), (math.cos(a), -math.sin(a))
        beyond = length / 2 + 0.16 * max(width, length)
        reach = ((0.0, along), (width / 2, across), (length / 2, along), (beyond, along))
        return [(east + r * d[0], north + r * d[1]) for r, d in reach]

    def press(self, pos: QPointF, left: bool, right: bool) -> bool:
        marks, piece = self.marks, self.marks.piece
        if not left:
            return False
        near = marks.near_point(self.handles(piece), pos) if piece is not None else None
        if near is not None:
            marks.hold(marks.chosen, near)
            return True
        for k in reversed(range(len(marks.value))):
            other = marks.value[k]
            if marks.near_point(self.handles(other)[:1], pos) == 0:
                marks.hold(k, self.MIDDLE)
                return True
            if marks.near_line(self.shown(other), pos) is not None:
                marks.chosen = k
                return True
        marks.chosen = None
        return False

    def drag(self, held: int, ground: tuple[float, float]) -> None:
        *settings, (east, north, width, length, turn) = self.marks.piece
        dx, dy = ground[0] - east, ground[1] - north
        a = math.radians(turn)
        if held == self.MIDDLE:
            east, north = ground
        elif held == self.ACROSS:
            width = max(0.1, 2 * abs(dx * math.cos(a) - dy * math.sin(a)))
        elif held == self.ALONG:
            length = max(0.1, 2 * abs(dx * math.sin(a) + dy * math.cos(a)))
        else:
            turn = math.degrees(math.atan2(dx, dy)) % 360
        place = tuple(round(v, 2) for v in (east, north, width, length, turn))
        self.marks.put(self.marks.chosen, (*settings, place))

    def paint(self, painter: QPainter) -> None:
        marks = self.marks
        for k, piece in enumerate(marks.value):
            marks.paint_line(painter, self.shown(piece), k == marks.chosen)
            handles = self.handles(piece)
            if k == marks.chosen:
                marks.paint_line(painter, [handles[self.ALONG], handles[self.TURN]], False)
                for held, place in enumerate(handles):
                    marks.paint_handle(painter, place, False, 10 if held != self.TURN else 12, held == self.TURN)
            else:
                marks.paint_handle(painter, handles[self.MIDDLE], False)
