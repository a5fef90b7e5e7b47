"""Small plots that several panels draw."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPolygonF

from .theme import theme


def paint_histogram(painter: QPainter, area: QRectF, counts: np.ndarray, low: float = 0.0, high: float = 1.0) -> None:
    """Counts (0-1) as a filled curve standing between two shares of an area's width."""
    n = len(counts)
    spots = [
        QPointF(
            area.left() + (low + (high - low) * (k + 0.5) / n) * area.width(),
            area.bottom() - (area.height() - 3) * float(c) ** 0.6,
        )
        for k, c in enumerate(counts)
    ]
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(theme().colour("line"))
    painter.drawPolygon(
        QPolygonF([QPointF(spots[0].x(), area.bottom()), *spots, QPointF(spots[-1].x(), area.bottom())])
    )
