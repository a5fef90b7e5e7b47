"""Limits dragged over the histogram of what comes into a node."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from gelande.core.recipe.param.numbers import Number

from ..ghost import GhostLine
from ..plot import paint_histogram
from ..theme import mono, sans, theme

LEFT, TOP, FOOT = 22.0, 16.0, 16.0


class LimitsPlot(QWidget):
    """A histogram of the input with a line for each limit; drag them, or step them with the arrow keys."""

    edited = pyqtSignal(str, object)

    def __init__(self, params: list[Number], values: dict, parent: QWidget | None = None) -> None:
        super().__init__(parent)
        self.params, self.values = params, dict(values)
        self.setFixedHeight(95)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Limits over the heights that come in")
        self.setToolTip("Heights that come in. Drag the lines; up and down select one, left and right move it.")
        self.counts, self.span = None, (0.0, 1.0)
        self._held, self._mark = None, 0
        self._figures = [
            GhostLine(self, p.label, lambda p=p: p.text(self.values[p.id]), lambda text, p=p: self._take(p, text))
            for p in params
        ]
        self._stretch(None)

    def _take(self, param: Number, text: str) -> None:
        """Sets a limit from a text with its unit. Raises ValueError."""
        self._give(param, param.parse(text))

    def _give(self, param: Number, value: float) -> None:
        if value != self.values[param.id]:
            self.values[param.id] = value
            self.update()
            self.edited.emit(param.id, value)

    def set_values(self, values: dict) -> None:
        self.values.update(values)
        for line in self._figures:
            line.show_text()
        if self._held is None:
            self._stretch(self._found)
        self.update()

    def show_histogram(self, found: tuple[float, float, np.ndarray]) -> None:
        """found: (low, high, counts) of the input, or None."""
        if self._held is None:
            self._stretch(found)
        self.update()

    def _stretch(self, found: tuple[float, float, np.ndarray] | None) -> None:
        """The range shown: that of the input, and every limit that lies near it."""
        self._found = found
        low, high = found[:2] if found else (min(self.values.values()), max(self.values.values()))
        room = max(high - low, 1.0)
        inside = [v for v in self.values.values() if low - 2 * room < v < high + 2 * room]
        a, b = min([low, *inside]), max([high, *inside])
        self.span = (a - 0.05 * (b - a) - 1e-3, b + 0.05 * (b - a) + 1e-3)

    def _area(self) -> QRectF:
        return QRectF(LEFT, TOP, max(10.0, self.width() - LEFT - 4), self.height() - TOP - FOOT)

    def x_of(self, value: float) -> float:
        """Horizontal place of a height, held at the plot's ends."""
        area, (a, b) = self._area(), self.span
        return area.left() + area.width() * min(1.0, max(0.0, (value - a) / (b - a)))

    def paintEvent(self, event: QPaintEvent) -> None:
        t, p, area = theme(), QPainter(self), self._area()
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        p.fillRect(area, t.colour("paper"))
        a, b = self.span
        if self._found:
            paint_histogram(p, area, self._found[2], (self._found[0] - a) / (b - a), (self._found[1] - a) / (b - a))
        p.setPen(QPen(t.colour("line"), 1))
        p.setBrush(Qt.BrushStyle.NoBrush)
        p.drawRect(area)
        low, high = (self.x_of(self.values[q.id]) for q in (self.params[0], self.params[-1]))
        p.fillRect(QRectF(min(low, high), area.top(), abs(high - low), area.height()), t.colour("accent", 34))
        for k, param in enumerate(self.params):
            x = self.x_of(self.values[param.id])
            p.setPen(QPen(t.colour("accent"), 2.4 if self.hasFocus() and k == self._mark else 1.4))
            p.drawLine(QPointF(x, area.top() - 2), QPointF(x, area.bottom() + 2))
            p.setBrush(t.colour("accent"))
            p.drawEllipse(QPointF(x, area.top() - 2), 3.6, 3.6)
            p.setFont(mono(8))
            p.setPen(t.colour("ink"))
            text = param.text(self.values[param.id])
            wide = p.fontMetrics().horizontalAdvance(text)
            p.drawText(QPointF(min(max(LEFT, x - wide / 2), self.width() - wide - 2), self.height() - 4), text)
        p.setFont(sans(8.4))
        p.setPen(t.colour("muted"))
        p.drawText(QPointF(LEFT, 10), "Heights that come in")

    def _near(self, x: float) -> int | None:
        away, k = min((abs(self.x_of(self.values[p.id]) - x), k) for k, p in enumerate(self.params))
        return k if away < 12 else None

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._held = self._near(event.position().x())
        if self._held is not None:
            self._mark = self._held

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held is not None:
            area, (a, b) = self._area(), self.span
            self._put(self._held, a + (b - a) * (event.position().x() - area.left()) / area.width())

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._held = None
        self._stretch(self._found)
        self.update()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        step = {Qt.Key.Key_Left: -0.01, Qt.Key.Key_Right: 0.01}.get(event.key())
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self._mark = (self._mark + 1) % len(self.params)
            self.update()
        elif step:
            self._put(self._mark, self.values[self.params[self._mark].id] + step * (self.span[1] - self.span[0]))
        else:
            super().keyPressEvent(event)

    def _put(self, k: int, value: float) -> None:
        param = self.params[k]
        value = round(value, 0 if self.span[1] - self.span[0] > 100 else 2)
        self._give(param, min(max(value, param.hard[0]), param.hard[1]))
