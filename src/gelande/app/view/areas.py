"""Areas that are kept, hatched over the picture, and pins of a line of sight."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QPainter, QPainterPath, QPen

from gelande.kernels.shapes import closed_curve

from ..theme import mono, theme
from .base import View
from .pieces import divided


class Areas:
    """Kept areas of a ViewWidget. shown: (name, outlines, whether it is on) of each; pins: places east and north."""

    def __init__(self, view: View) -> None:
        self.view = view
        self.shown: tuple = ()
        self.pins: tuple = ()

    def show(self, areas: list, pins: tuple = ()) -> None:
        """Shows other areas and pins."""
        self.shown, self.pins = tuple(areas), tuple(pins)
        self.view.update()

    def paint(self, p: QPainter) -> None:
        """Hatches the areas, and draws the pins."""
        if self.view.frame is None:
            return
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        t = theme()
        for name, outlines, on in self.shown:
            path = QPainterPath()
            path.setFillRule(Qt.FillRule.OddEvenFill)
            for curved, _, points in outlines:
                self._add(path, closed_curve(points, 10) if curved else divided(points, 6))
            p.setPen(QPen(t.colour("sheet", 200), 3.4))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawPath(path)
            style = Qt.BrushStyle.BDiagPattern if on else Qt.BrushStyle.NoBrush
            p.setBrush(QBrush(t.colour("ink", 110), style))
            p.setPen(
                QPen(t.colour("ink" if on else "muted"), 1.4, Qt.PenStyle.SolidLine if on else Qt.PenStyle.DotLine)
            )
            p.drawPath(path)
            if not path.isEmpty():
                self._name(p, name if on else f"{name} (off)", path.boundingRect().center())
        for k, pin in enumerate(self.pins):
            seen = self.view.mode.to_widget(pin)
            if seen is not None:
                p.setPen(QPen(t.colour("sheet", 220), 4))
                p.drawLine(seen[0], seen[0] - QPointF(0, 16))
                p.setPen(QPen(t.colour("fault"), 1.8))
                p.drawLine(seen[0], seen[0] - QPointF(0, 16))
                self._name(p, "AB"[k % 2], seen[0] - QPointF(0, 22))

    def _add(self, path: QPainterPath, points: np.ndarray) -> None:
        """One closed line as it is seen; what lies behind the eye is left out."""
        seen = [self.view.mode.to_widget(q) for q in points]
        line = [s[0] for s in seen if s is not None]
        if len(line) > 2:
            path.moveTo(line[0])
            for q in line[1:]:
                path.lineTo(q)
            path.closeSubpath()

    def _name(self, p: QPainter, name: str, at: QPointF) -> None:
        t = theme()
        p.setFont(mono(8.2))
        box = QRectF(0, 0, p.fontMetrics().horizontalAdvance(name) + 10, 17)
        box.moveCenter(at)
        p.setPen(QPen(t.colour("line"), 1))
        p.setBrush(t.colour("sheet", 230))
        p.drawRoundedRect(box, 3, 3)
        p.setPen(t.colour("ink"))
        p.drawText(box, int(Qt.AlignmentFlag.AlignCenter), name)
