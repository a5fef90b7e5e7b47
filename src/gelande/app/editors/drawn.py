"""Editors of what is drawn: ramps and curves here, lines and strokes on the land."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import (
    QColor,
    QFocusEvent,
    QKeyEvent,
    QMouseEvent,
    QPainter,
    QPainterPath,
    QPaintEvent,
    QPen,
    QResizeEvent,
)
from PyQt6.QtWidgets import QColorDialog, QPushButton

from gelande.core.files import numerals
from gelande.core.recipe.param.drawn import Curve, Ramp, Strokes
from gelande.core.recipe.param.words import Colour
from gelande.kernels.curves import ramp_at, through

from ..ghost import GhostLine
from ..plot import paint_histogram
from ..ramps import RampSheet, paint_strip
from ..switches import Switch
from ..theme import theme
from .base import DOT, WidgetRow


class MarksRow(WidgetRow):
    """Row of a setting that is drawn on the land: how much there is, drawing, clearing."""

    verb = hint = ""

    def __init__(self, param, value: tuple, **more) -> None:
        super().__init__(param, value, 48, **more)
        self.box, self.clear = Switch(self.verb, self), QPushButton("Clear", self)
        self.box.setToolTip(self.hint)
        self.box.clicked.connect(lambda on: self.draw_asked.emit(param.id, on))
        self.clear.clicked.connect(lambda: self.edited.emit(param.id, ()))
        for button, verb in ((self.box, self.verb), (self.clear, "Clear")):
            button.setAccessibleName(f"{verb}: {param.label}")
        self.buttons = [self.box, self.clear]
        self.chosen: int | None = None
        self.set_value(value)

    def caption(self) -> str:
        chosen = "" if self.chosen is None else f" · number {self.chosen + 1} chosen"
        return f"{self.param.label}: {self.param.text(self.value)}{chosen}"

    def resizeEvent(self, event: QResizeEvent) -> None:
        n, x = len(self.buttons), DOT
        width = (self.width() - DOT - 6 * (n - 1)) // n
        for button in self.buttons:
            button.setGeometry(x, 23, width, 24)
            x += width + 6

    def set_value(self, value: tuple) -> None:
        self.value = value
        self.clear.setEnabled(bool(value))
        self._describe()
        self.update()

    def tell_drawing(self, drawing: bool, kept: bool) -> None:
        """True when it is being drawn, and stays in hand."""
        self.box.setChecked(drawing)

    def tell_chosen(self, index: int | None) -> None:
        """Notes which piece is chosen in the view."""
        self.chosen = index
        self.update()


class LineRow(MarksRow):
    """A line on the land."""

    verb = "Draw"
    hint = "Click points on the land, or draw in one go; Enter or a double-click ends the line."


class StrokesRow(MarksRow):
    """Brush strokes on the land, with a brush that may stay in hand."""

    verb = "Brush"
    hint = "Brush on the land. With this off, click a stroke to select it, drag to move it, Delete removes it."

    def __init__(self, param: Strokes, value: tuple, **more) -> None:
        super().__init__(param, value, **more)
        self.keep = Switch("Lock", self)
        self.keep.setAccessibleName(f"Lock: {param.label}")
        self.keep.setToolTip(
            "Keeps the brush in hand while you select other nodes: paint here and watch what it becomes there."
        )
        self.keep.clicked.connect(lambda on: self.keep_asked.emit(param.id, on))
        self.buttons.insert(1, self.keep)

    def without_keep(self) -> None:
        self.buttons.remove(self.keep)
        self.keep.hide()

    def tell_drawing(self, drawing: bool, kept: bool) -> None:
        super().tell_drawing(drawing, kept)
        self.keep.setChecked(kept)


class OutlinesRow(MarksRow):
    """Closed outlines on the land."""

    verb = "Draw"
    hint = (
        "Click points or draw around an area. With this off, click an outline to select it: its points and its middle "
        "can be dragged, a right click takes a point away, Delete removes it."
    )


class ShapesRow(MarksRow):
    """Shapes on the land."""

    verb = "Draw"
    hint = "Drag a new shape on the land. With this off, click one to select it; its handles move, stretch and turn it."


class PointsRow(WidgetRow):
    """Points to drag along an axis; double-click adds one, right click takes one away."""

    #: Height of the row, and of the field in it.
    tall, field = 112, 82

    def __init__(self, param: Curve | Ramp, value: tuple, **more) -> None:
        super().__init__(param, value, self.tall, **more)
        self._held = None
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self._chosen = 0
        self.histogram = None
        self.figures = GhostLine(self, f"{param.label}: points in per cent", self._figures, self._take_figures)
        self.figures.setGeometry(DOT, 24, 60, self.field)
        self._describe()

    def _figures(self) -> str:
        """The points as text: "0 10; 50 40; 100 100"."""
        return "; ".join(" ".join(f"{100 * v:.4g}" for v in point) for point in self.value)

    def _take_figures(self, text: str) -> None:
        """Sets the points from such a text. Raises ValueError."""
        points = [tuple(numerals.read(word) / 100 for word in point.split()) for point in text.split(";")]
        points = self.param.check(points)
        if points != self.value and text != self._figures():
            self._set(points)

    def _describe(self) -> None:
        super()._describe()
        if not hasattr(self, "figures"):
            return
        self.figures.show_text()
        k = min(self._chosen, len(self.value) - 1)
        place = " ".join(f"{100 * v:.4g} %" for v in self.value[k])
        self.setAccessibleDescription(f"point {k + 1} of {len(self.value)} at {place}; {self.accessibleDescription()}")

    def _area(self) -> QRectF:
        return QRectF(DOT + 5, 24, self.width() - DOT - 10, self.field)

    def _spot(self, point: tuple[float, float]) -> QPointF:
        """Place of a point in the row."""
        area = self._area()
        return QPointF(area.left() + point[0] * area.width(), area.bottom() - point[1] * area.height())

    def paint_field(self, p: QPainter, area: QRectF) -> None:
        """Paints the ground under the points."""

    def paintEvent(self, event: QPaintEvent) -> None:
        super().paintEvent(event)
        t, p, area = theme(), QPainter(self), self._area()
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.setPen(QPen(t.colour("line"), 1))
        self.paint_field(p, area)
        for k, point in enumerate(self.value):
            p.setPen(QPen(t.colour("accent" if k == self._chosen and self.hasFocus() else "ink"), 1.2))
            p.setBrush(self.colour_of(point))
            p.drawEllipse(self._spot(point), 4.5, 4.5)

    def _near(self, pos: QPointF) -> int | None:
        return next((k for k, point in enumerate(self.value) if (self._spot(point) - pos).manhattanLength() < 11), None)

    def _from(self, pos: QPointF) -> tuple[float, float]:
        area = self._area()
        return (
            min(1.0, max(0.0, (pos.x() - area.left()) / area.width())),
            min(1.0, max(0.0, (area.bottom() - pos.y()) / area.height())),
        )

    def _set(self, points: list[tuple]) -> None:
        self.value = tuple(sorted(points, key=lambda q: q[0]))
        self._describe()
        self.update()
        self.edited.emit(self.param.id, self.value)

    def mousePressEvent(self, event: QMouseEvent) -> None:
        if self.dot_clicked(event):
            return
        near = self._near(event.position())
        if event.button() == Qt.MouseButton.RightButton and near is not None and len(self.value) > 2:
            self._set([p for k, p in enumerate(self.value) if k != near])
        elif event.button() == Qt.MouseButton.LeftButton and near is not None:
            self._held, self._chosen = near, near
            self.update()

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held is None:
            return
        self._move(self._held, *self._from(event.position()))

    def _move(self, k: int, x: float, y: float) -> None:
        """Moves a point, which stays between its neighbours."""
        points = list(self.value)
        low = points[k - 1][0] + 0.004 if k else 0.0
        high = points[k + 1][0] - 0.004 if k + 1 < len(points) else 1.0
        points[k] = self.moved(points[k], min(max(x, low), high), min(1.0, max(0.0, y)))
        self._set(points)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._held = None

    def mouseDoubleClickEvent(self, event: QMouseEvent) -> None:
        near, (x, y) = self._near(event.position()), self._from(event.position())
        if near is not None:
            self.open_point(near)
        elif len(self.value) < self.param.most and self._area().adjusted(-2, -2, 2, 12).contains(event.position()):
            self._set([*self.value, self.fresh(x, y)])

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """Page keys step to a point, arrows move it, Insert adds one after it, Delete takes it away, Return opens."""
        key, points, k = event.key(), list(self.value), min(self._chosen, len(self.value) - 1)
        step = 0.05 if event.modifiers() & Qt.KeyboardModifier.ShiftModifier else 0.01
        dx = {Qt.Key.Key_Left: -step, Qt.Key.Key_Right: step}.get(key, 0.0)
        dy = {Qt.Key.Key_Down: -step, Qt.Key.Key_Up: step}.get(key, 0.0)
        if key in (Qt.Key.Key_PageDown, Qt.Key.Key_PageUp):
            self._chosen = (k + (1 if key == Qt.Key.Key_PageDown else -1)) % len(points)
            self._describe()
            self.update()
        elif dx or dy:
            self._move(k, points[k][0] + dx, self._height_of(points[k]) + dy)
        elif key == Qt.Key.Key_Insert and len(points) < self.param.most:
            beside = points[k + 1] if k + 1 < len(points) else points[k - 1]
            x = (points[k][0] + beside[0]) / 2
            self._chosen = k + 1 if k + 1 < len(points) else k
            self._set([*points, self.fresh(x, (self._height_of(points[k]) + self._height_of(beside)) / 2)])
        elif key in (Qt.Key.Key_Delete, Qt.Key.Key_Backspace) and len(points) > 2:
            self._chosen = max(0, k - 1)
            self._set([p for i, p in enumerate(points) if i != k])
        elif key in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.open_point(k)
        elif key == Qt.Key.Key_P and self.publishable:
            self.publish_asked.emit(self.param.id)
        else:
            super().keyPressEvent(event)

    def focusInEvent(self, event: QFocusEvent) -> None:
        self.update()

    def focusOutEvent(self, event: QFocusEvent) -> None:
        self.update()

    @staticmethod
    def _height_of(point: tuple[float, float]) -> float:
        """Height of a point, where that counts."""
        return point[1]

    def colour_of(self, point: tuple[float, float]) -> QColor:
        """Fill of a point."""
        return theme().colour("accent")

    def moved(self, point: tuple[float, float], x: float, y: float) -> tuple[float, float]:
        """A point that was dragged to x, y."""
        return x, y

    def fresh(self, x: float, y: float) -> tuple[float, float]:
        """A new point at x, y."""
        return x, y

    def open_point(self, index: int) -> None:
        """Opens a point after a double-click."""

    def contextMenuEvent(self, event) -> None:
        if self._near(QPointF(event.pos())) is None:
            super().contextMenuEvent(event)


class RampRow(PointsRow):
    """A colour ramp; a double-click on a stop chooses its colour. Library opens the sheet of ramps."""

    tall, field = 62, 18

    def __init__(self, param: Ramp, value: tuple, **more) -> None:
        super().__init__(param, value, **more)
        self.library = QPushButton("Library", self)
        self.library.setStyleSheet("padding: 0 4px;")
        self.library.setAccessibleName(f"Library: {param.label}")
        self.library.setToolTip("Ramps of our own, by ground; ramps from files and into files")
        self.library.clicked.connect(self.open_library)

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.library.setGeometry(self.width() - 65, 1, 60, 20)

    def open_library(self) -> None:
        """Opens the sheet of ramps."""
        self.sheet = RampSheet(self, self.value, self.param.label)
        self.sheet.chosen.connect(lambda stops: self._set(stops))
        self.sheet.refused.connect(self.refused)
        self.sheet.open_at(self.mapToGlobal(self.rect().topLeft()))

    def _spot(self, point: tuple[float, float, float, float]) -> QPointF:
        area = self._area()
        return QPointF(area.left() + point[0] * area.width(), area.bottom() + 7)

    def paint_field(self, p: QPainter, area: QRectF) -> None:
        paint_strip(p, area, self.value)
        p.drawRect(area)

    def colour_of(self, point: tuple[float, float, float, float]) -> QColor:
        return QColor.fromRgbF(*point[1:])

    def moved(self, point, x: float, y: float):
        return x, *point[1:]

    def fresh(self, x: float, y: float):
        return x, *ramp_at(self.value, x)

    def open_point(self, index: int) -> None:
        self.choose_colour(index)

    def choose_colour(self, index: int) -> None:
        """Opens a colour chooser for one stop."""
        now = QColor.fromRgbF(*self.value[index][1:])
        colour = QColorDialog.getColor(now, self, f"Colour at {self.value[index][0] * 100:.0f} %")
        if colour.isValid():
            points = list(self.value)
            points[index] = (
                points[index][0],
                round(colour.redF(), 4),
                round(colour.greenF(), 4),
                round(colour.blueF(), 4),
            )
            self._set(points)


class Swatch(QPushButton):
    """A button that shows a colour."""

    def __init__(self, row: ColourRow) -> None:
        super().__init__(row)
        self.row = row
        self.clicked.connect(row.choose)

    def paintEvent(self, event: QPaintEvent) -> None:
        t, p = theme(), QPainter(self)
        area = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        p.fillRect(area, QColor.fromRgbF(*self.row.value))
        p.setPen(QPen(t.colour("accent" if self.hasFocus() else "edge"), 2 if self.hasFocus() else 1))
        p.drawRect(area)


class ColourRow(WidgetRow):
    """A colour; a click on it, or Return, opens the colour chooser."""

    def __init__(self, param: Colour, value: tuple[float, float, float], **more) -> None:
        super().__init__(param, value, **more)
        self.box = Swatch(self)
        self.setFocusProxy(self.box)
        self._describe()

    def _describe(self) -> None:
        super()._describe()
        if hasattr(self, "box"):
            self.box.setAccessibleName(f"{self.param.label}, {self.param.text(self.value)}")

    def caption(self) -> str:
        return f"{self.param.label}  {self.param.text(self.value)}"

    def resizeEvent(self, event: QResizeEvent) -> None:
        self.box.setGeometry(self.width() - 67, 2, 66, 22)

    def keyPressEvent(self, event) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter):
            self.choose()
        elif event.key() == Qt.Key.Key_P and self.publishable:
            self.publish_asked.emit(self.param.id)
        else:
            super().keyPressEvent(event)

    def choose(self) -> None:
        """Opens a colour chooser."""
        colour = QColorDialog.getColor(QColor.fromRgbF(*self.value), self, self.param.label)
        if colour.isValid():
            self.value = tuple(round(v, 4) for v in (colour.redF(), colour.greenF(), colour.blueF()))
            self._describe()
            self.update()
            self.edited.emit(self.param.id, self.value)


class CurveRow(PointsRow):
    """A curve over the histogram of what it maps."""

    def paint_field(self, p: QPainter, area: QRectF) -> None:
        t = theme()
        p.fillRect(area, t.colour("paper"))
        if self.histogram is not None:
            paint_histogram(p, area, self.histogram)
            p.setPen(QPen(t.colour("line"), 1))
            p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawRect(area)
        for k in (0.25, 0.5, 0.75):
            x = area.left() + k * area.width()
            p.drawLine(QPointF(x, area.top()), QPointF(x, area.bottom()))
        line = QPainterPath()
        for k in range(49):
            spot = self._spot((k / 48, min(1.0, max(0.0, through(self.value, k / 48)))))
            line.lineTo(spot) if k else line.moveTo(spot)
        p.setPen(QPen(t.colour("ink"), 1.4))
        p.drawPath(line)

    def show_histogram(self, histogram: np.ndarray) -> None:
        self.histogram = histogram
        self.update()
