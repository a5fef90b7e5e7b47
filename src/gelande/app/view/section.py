"""The land cut along a line: a profile below the picture, with its line on the land."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPainterPath, QPaintEvent, QPen, QPolygonF, QResizeEvent
from PyQt6.QtWidgets import QPushButton, QWidget

from ..switches import Switch
from ..theme import mono, sans, theme
from .base import View
from .numbers import round_up

#: Nodes that a section shows over each other at most; samples of a profile; pixels at which a handle is taken.
MOST, SAMPLES, REACH = 4, 512, 10
STROKES = (Qt.PenStyle.SolidLine, Qt.PenStyle.DashLine, Qt.PenStyle.DotLine, Qt.PenStyle.DashDotLine)

Line = tuple[tuple[float, float], tuple[float, float]]


@dataclass(frozen=True)
class Layer:
    """One land of a section. node: its id; height in metres on the samples of the view; water: depth over it."""

    node: str
    name: str
    height: np.ndarray
    water: np.ndarray | None = None


def along(line: Line, count: int = SAMPLES) -> np.ndarray:
    """(count, 2) places on a line, metres east and north."""
    fraction = np.linspace(0, 1, count)[:, None]
    return np.array(line[0]) * (1 - fraction) + np.array(line[1]) * fraction


def profile(height: np.ndarray, dx: float, places: np.ndarray) -> np.ndarray:
    """Heights at places (metres east and north) by the surface between the samples; beyond the site those of its
    edge."""
    rows, columns = height.shape
    x = np.clip(places[:, 0] / dx, 0, columns - 1)
    y = np.clip((rows - 1) - places[:, 1] / dx, 0, rows - 1)
    c, r = np.minimum(x.astype(int), columns - 2), np.minimum(y.astype(int), rows - 2)
    u, v = x - c, y - r
    top = height[r, c] * (1 - u) + height[r, c + 1] * u
    return top * (1 - v) + (height[r + 1, c] * (1 - u) + height[r + 1, c + 1] * u) * v


class Section:
    """The section of a ViewWidget: its line, its lands, and the panel that shows them, which stands where the page
    puts it."""

    def __init__(self, view: View) -> None:
        self.view, self.on = view, False
        self.line: Line | None = None
        self.layers: list[Layer] = []
        self.kept: list[str] = []  # nodes beside the one that is shown
        self.drawing = False
        self._held: int | None = None
        self.mark: float | None = None  # the place that is pointed at, as a share of the line
        self.panel = Panel(self)
        self.panel.hide()

    def set_on(self, on: bool) -> None:
        """Shows the section or leaves it."""
        self.on, self.drawing, self._held = on, False, None
        self.view.bar.section.setChecked(on)
        self.panel.setVisible(on)
        self.view.section_asked.emit()
        self.view.update()

    def ends(self) -> Line:
        """The line: as it was drawn, else from west to east through the middle. Another site has another one."""
        wide, deep = self.view.extent
        if self.line is None or any(not (-1 <= e <= wide + 1 and -1 <= n <= deep + 1) for e, n in self.line):
            return ((0.0, deep / 2), (wide, deep / 2))
        return self.line

    def show(self, layers: list[Layer]) -> None:
        """Takes the lands, the one that the view shows first."""
        self.layers = layers[:MOST]
        self.panel.tell()
        self.panel.update()

    def keep(self, node: str) -> None:
        """Keeps a node in the section, or lets it go."""
        if node in self.kept:
            self.kept.remove(node)
        elif len(self.kept) < MOST - 1:
            self.kept.append(node)
        self.view.section_asked.emit()

    # -- pointer on the land ----------------------------------------------------------------------------
    def press(self, pos: QPointF) -> bool:
        """True when a press takes an end of the line, or begins a new one."""
        if not self.on:
            return False
        if self.drawing:
            ground = self.view.mode.to_ground(pos)
            if ground is not None:
                self.line, self._held = (ground, ground), 1
            return True
        for k, end in enumerate(self.ends()):
            seen = self.view.mode.to_widget(end)
            if seen is not None and (seen[0] - pos).manhattanLength() <= REACH:
                self.line, self._held = self.ends(), k
                return True
        return False

    def move(self, pos: QPointF) -> bool:
        """True when a move belongs to the line; over the line it marks the place in the profile."""
        if not self.on:
            return False
        ground = self.view.mode.to_ground(pos)
        if self._held is None:
            self._point_at(ground)
            return False
        if ground is not None and self.line is not None:
            wide, deep = self.view.extent
            place = min(max(ground[0], 0.0), wide), min(max(ground[1], 0.0), deep)
            self.line = (place, self.line[1]) if self._held == 0 else (self.line[0], place)
            self.view.update()
            self.panel.update()
        return True

    def release(self) -> bool:
        """True when a release ends a drag of the line. A line without length is none."""
        held, self._held = self._held, None
        if held is not None and self.drawing:
            self.drawing = False
            self.panel.tell()
        if self.line is not None and math.dist(*self.line) < 1e-3 * max(self.view.extent):
            self.line = None
        return held is not None

    def _point_at(self, ground) -> None:
        """Marks the place of the line that is nearest to a place on the ground, if it is near."""
        before, self.mark = self.mark, None
        if ground is not None:
            a, b = np.array(self.ends())
            length = float(np.dot(b - a, b - a))
            t = float(np.dot(np.array(ground) - a, b - a)) / max(length, 1e-9)
            if 0 <= t <= 1 and math.dist(a + (b - a) * t, ground) < 0.02 * max(self.view.extent):
                self.mark = t
        if before != self.mark:
            self.panel.update()
            self.view.update()

    # -- on the land --------------------------------------------------------------------------------------
    def paint(self, p: QPainter) -> None:
        """The line over the picture, its ends and the place that is pointed at."""
        if not self.on or self.view.frame is None:
            return
        t = theme()
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        self.view.marks.paint_path(p, [tuple(q) for q in self.ends()], True)
        for k, end in enumerate(self.ends()):
            seen = self.view.mode.to_widget(end)
            if seen is None:
                continue
            p.setPen(QPen(t.colour("accent"), 1.6))
            p.setBrush(t.colour("sheet"))
            p.drawEllipse(seen[0], 5, 5)
            p.setFont(sans(8.6))
            p.drawText(seen[0] + QPointF(8, -6), "AB"[k])
        if self.mark is not None:
            a, b = np.array(self.ends())
            seen = self.view.mode.to_widget(tuple(a + (b - a) * self.mark))
            if seen is not None:
                p.setPen(QPen(t.colour("sheet"), 1.4))
                p.setBrush(t.colour("accent"))
                p.drawEllipse(seen[0], 4.5, 4.5)


class Panel(QWidget):
    """The profile: metres along the line across, heights up, each land in its own stroke."""

    LEFT, TOP, RIGHT, FOOT = 52, 38, 14, 24

    def __init__(self, section: Section) -> None:
        super().__init__(section.view, objectName="sheet")
        self.section = section
        self.setMouseTracking(True)
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        self.setAccessibleName("Section")
        self.setMinimumHeight(120)
        self.true = Switch("Heights as wide", self)
        self.true.setToolTip("Draws heights in the scale of the length, or as high as there is room.")
        self.draw = Switch("Draw the line", self)
        self.draw.setToolTip("Drag over the land from one end of the line to the other.")
        self.keep = QPushButton("Keep this node", self)
        self.keep.setToolTip("Keeps the profile of the node that is shown, to see others over it (four at most).")
        self.true.clicked.connect(self.update)
        self.draw.clicked.connect(self._draw)
        self.keep.clicked.connect(self._keep)

    def _draw(self, on: bool) -> None:
        self.section.drawing = on

    def _keep(self) -> None:
        if self.section.layers:
            self.section.keep(self.section.layers[0].node)

    def tell(self) -> None:
        """Brings the buttons up to date."""
        section = self.section
        self.draw.setChecked(section.drawing)
        kept = bool(section.layers) and section.layers[0].node in section.kept
        self.keep.setText("Let this node go" if kept else "Keep this node")
        self.keep.setEnabled(kept or len(section.kept) < MOST - 1)
        self.resizeEvent(None)

    def resizeEvent(self, event: QResizeEvent | None) -> None:
        x = self.width() - self.RIGHT
        for b in (self.keep, self.draw, self.true):
            b.adjustSize()
            x -= b.width()
            b.move(x, 6)
            x -= 6

    # -- what is where --------------------------------------------------------------------------------------
    def field(self) -> QRectF:
        """Rectangle of the profile."""
        return QRectF(
            self.LEFT,
            self.TOP,
            max(10.0, self.width() - self.LEFT - self.RIGHT),
            max(10.0, self.height() - self.TOP - self.FOOT),
        )

    def profiles(self) -> tuple[float, list[tuple[Layer, np.ndarray, np.ndarray | None]]]:
        """(length of the line in metres, each land with its heights and water surfaces along it)."""
        section = self.section
        line, view = section.ends(), section.view
        places, found = along(line), []
        for layer in section.layers:
            dx = view.extent[0] / (layer.height.shape[1] - 1)
            ground = profile(layer.height, dx, places)
            water = None if layer.water is None else ground + profile(layer.water, dx, places)
            found.append((layer, ground, water))
        return math.dist(*line), found

    def scale(self, length: float, low: float, high: float) -> tuple[float, float, float]:
        """(pixels of a metre along, pixels of a metre up, height at the foot of the field)."""
        field = self.field()
        across = field.width() / max(length, 1e-6)
        up = across if self.true.isChecked() else field.height() / max(high - low, 1e-6)
        if self.true.isChecked():
            return across, up, (low + high) / 2 - field.height() / up / 2
        return across, up, low

    # -- pointer ----------------------------------------------------------------------------------------
    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        field = self.field()
        fraction = (event.position().x() - field.left()) / field.width()
        self.section.mark = fraction if 0 <= fraction <= 1 else None
        self.update()
        self.section.view.update()

    def leaveEvent(self, event) -> None:
        self.section.mark = None
        self.update()
        self.section.view.update()

    # -- painting ---------------------------------------------------------------------------------------
    def paintEvent(self, event: QPaintEvent) -> None:
        t, p, field = theme(), QPainter(self), self.field()
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(self.rect(), t.colour("sheet"))
        p.setPen(QPen(t.colour("line"), 1))
        p.drawLine(0, 0, self.width(), 0)
        length, found = self.profiles()
        if not found or length <= 0:
            p.setPen(t.colour("muted"))
            p.drawText(self.rect(), int(Qt.AlignmentFlag.AlignCenter), "Nothing to cut here yet.")
            return
        low = min(float(g.min()) for _, g, _ in found)
        high = max(float(max(g.max(), -math.inf if w is None else w.max())) for _, g, w in found)
        pad = 0.06 * max(high - low, 1e-3 * length, 1e-3)
        across, up, foot = self.scale(length, low - pad, high + pad)

        def place(fraction: float, h: float) -> QPointF:
            return QPointF(field.left() + fraction * field.width(), field.bottom() - (h - foot) * up)

        self._paint_grid(p, field, length, across, up, foot)
        p.save()
        p.setClipRect(field)
        self._paint_water(p, found, place)
        for k, (_, ground, _) in enumerate(found):
            path = QPainterPath(place(0, ground[0]))
            for j in range(1, SAMPLES):
                path.lineTo(place(j / (SAMPLES - 1), ground[j]))
            p.setPen(QPen(t.colour("ink" if k == 0 else "accent"), 1.8 if k == 0 else 1.3, STROKES[k]))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawPath(path)
        p.restore()
        self._paint_names(p, found, up / across)
        if self.section.mark is not None:
            self._paint_mark(p, field, found, length)

    def _paint_water(self, p: QPainter, found: list[tuple], place: Callable) -> None:
        """Standing water over the first land, and the sea up to its level."""
        layer, ground, water = found[0]
        sea = self.section.view.look.water
        surface = np.full(SAMPLES, -np.inf) if water is None else np.where(water > ground + 1e-3, water, -np.inf)
        if sea is not None:
            surface = np.maximum(surface, np.where(ground < sea, sea, -np.inf))
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(theme().colour("water", 130))
        wet = np.flatnonzero(np.isfinite(surface) & (surface > ground))
        for run in np.split(wet, np.flatnonzero(np.diff(wet) > 1) + 1) if len(wet) else ():
            top = [place(j / (SAMPLES - 1), surface[j]) for j in run]
            bottom = [place(j / (SAMPLES - 1), ground[j]) for j in run[::-1]]
            p.drawPolygon(QPolygonF([*top, *bottom]))

    def _paint_grid(self, p: QPainter, field: QRectF, length: float, across: float, up: float, foot: float) -> None:
        """Lines of equal height and distances along the foot, with their metres."""
        t = theme()
        p.setFont(mono(7.8))
        step = round_up(field.height() / up / 4)
        h = math.ceil(foot / step) * step
        while h <= foot + field.height() / up:
            y = field.bottom() - (h - foot) * up
            p.setPen(QPen(t.colour("line"), 1))
            p.drawLine(QPointF(field.left(), y), QPointF(field.right(), y))
            p.setPen(t.colour("muted"))
            box = QRectF(0, y - 8, self.LEFT - 6, 16)
            p.drawText(box, int(Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignVCenter), f"{h:g} m")
            h += step
        step = round_up(length / 5)
        for k in range(int(length / step) + 1):
            x = field.left() + k * step * across
            p.setPen(QPen(t.colour("line"), 1))
            p.drawLine(QPointF(x, field.bottom()), QPointF(x, field.bottom() + 4))
            p.setPen(t.colour("muted"))
            text = f"{k * step / 1000:g} km" if length >= 2000 else f"{k * step:g} m"
            if x + 60 < self.width() or k == 0:
                p.drawText(QRectF(x + 3, field.bottom() + 3, 70, 16), int(Qt.AlignmentFlag.AlignLeft), text)

    def _paint_names(self, p: QPainter, found: list[tuple], times: float) -> None:
        """Paints which stroke is which land, and how much heights are drawn larger than lengths."""
        t, x = theme(), 12.0
        p.setFont(sans(9.0))
        for k, (layer, _, _) in enumerate(found):
            p.setPen(QPen(t.colour("ink" if k == 0 else "accent"), 1.8, STROKES[k]))
            p.drawLine(QPointF(x, 19), QPointF(x + 20, 19))
            p.setPen(t.colour("ink"))
            room = max(0.0, self.true.x() - x - 110)
            name = p.fontMetrics().elidedText(layer.name, Qt.TextElideMode.ElideRight, int(min(150.0, room)))
            p.drawText(QRectF(x + 25, 9, 160, 20), int(Qt.AlignmentFlag.AlignVCenter), name)
            x += 25 + p.fontMetrics().horizontalAdvance(name) + 14
        p.setPen(t.colour("muted"))
        p.setFont(mono(8.0))
        p.drawText(QRectF(x, 9, 90, 20), int(Qt.AlignmentFlag.AlignVCenter), f"heights × {times:.2g}")

    def _paint_mark(self, p: QPainter, field: QRectF, found: list[tuple], length: float) -> None:
        """The place that is pointed at, with the height of each land there."""
        t, fraction = theme(), float(self.section.mark or 0.0)
        x = field.left() + fraction * field.width()
        p.setPen(QPen(t.colour("accent"), 1, Qt.PenStyle.DotLine))
        p.drawLine(QPointF(x, field.top()), QPointF(x, field.bottom()))
        j = round(fraction * (SAMPLES - 1))
        text = f"{fraction * length:.0f} m: " + " · ".join(f"{ground[j]:.1f} m" for _, ground, _ in found)
        p.setFont(mono(8.0))
        width = p.fontMetrics().horizontalAdvance(text) + 12
        left = min(max(field.left(), x - width / 2), field.right() - width)
        box = QRectF(left, field.top() + 1, width, 17)
        p.setPen(QPen(t.colour("line"), 1))
        p.setBrush(t.colour("sheet"))
        p.drawRoundedRect(box, 3, 3)
        p.setPen(t.colour("ink"))
        p.drawText(box, int(Qt.AlignmentFlag.AlignCenter), text)
