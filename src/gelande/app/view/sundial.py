"""Where the sun stands, on a small dial of the sky: its middle is straight above, its rim the horizon."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QKeyEvent, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from ..theme import mono, sans, theme
from .base import View

#: Lights that are kept: azimuth and height in degrees, and a word.
LIGHTS = (
    (318, 34, "Survey"),
    (318, 16, "Low"),
    (45, 34, "Morning"),
    (135, 30, "Noon side"),
    (225, 34, "Afternoon"),
    (262, 7, "Evening"),
)
#: Degrees of the lowest sun; pixels of the dial's radius and around it; height of a row of kept lights.
LOWEST, RADIUS, AROUND, ROW = 4.0, 66, 22, 20


def place_of(azimuth: float, elevation: float) -> tuple[float, float]:
    """Place of a sun on a dial of radius 1: to the right and down."""
    r, a = (90.0 - elevation) / 90.0, math.radians(azimuth)
    return r * math.sin(a), -r * math.cos(a)


def sun_at(x: float, y: float) -> tuple[float, float]:
    """(azimuth, height) in whole degrees of a place on a dial of radius 1; beyond its rim the nearest on it."""
    elevation = min(88.0, max(LOWEST, 90.0 * (1 - math.hypot(x, y))))
    return float(round(math.degrees(math.atan2(x, -y))) % 360), float(round(elevation))


class SunDial(QWidget):
    """A dial that opens below the button Light. Dragging, arrows and the kept lights move the sun of a view."""

    def __init__(self, view: View) -> None:
        super().__init__(view, Qt.WindowType.Popup)
        self.view = view
        side = 2 * (RADIUS + AROUND)
        self.setFixedSize(side, side + 24 + ROW * ((len(LIGHTS) + 1) // 2))
        self.setAccessibleName("Where the sun stands")
        self.setAccessibleDescription("Left and right arrows turn it, up and down arrows raise and lower it")
        self._held = False

    def open(self, below: QWidget) -> None:
        """Opens below a button."""
        corner = below.mapToGlobal(below.rect().bottomRight())
        self.move(corner.x() - self.width(), corner.y() + 4)
        self.show()
        self.setFocus()

    def next(self) -> None:
        """The next of the kept lights; after another one the first."""
        look = self.view.look
        kept = [light[:2] for light in LIGHTS]
        here = (look.azimuth, look.elevation)
        self.view.set_light(*kept[(kept.index(here) + 1) % len(kept) if here in kept else 0])

    @property
    def _middle(self) -> QPointF:
        return QPointF(self.width() / 2, RADIUS + AROUND)

    def _rows(self) -> list[tuple[QRectF, tuple[float, float, str]]]:
        """Rectangles of the kept lights."""
        top, half = 2 * (RADIUS + AROUND) + 22, self.width() / 2
        return [(QRectF(k % 2 * half, top + k // 2 * ROW, half, ROW), light) for k, light in enumerate(LIGHTS)]

    def _put(self, pos: QPointF, moving: bool) -> None:
        away = (pos - self._middle) / RADIUS
        self.view.set_light(*sun_at(away.x(), away.y()), moving)
        self.update()

    def mousePressEvent(self, event: QMouseEvent) -> None:
        pos = event.position()
        if not self.rect().contains(pos.toPoint()):
            self.hide()
            return
        for place, (azimuth, elevation, _) in self._rows():
            if place.contains(pos):
                self.view.set_light(azimuth, elevation)
                self.update()
                return
        self._held = True
        self._put(pos, True)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held:
            self._put(event.position(), True)

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        if self._held:
            self._held = False
            self._put(event.position(), False)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        turn = {Qt.Key.Key_Left: (-5, 0), Qt.Key.Key_Right: (5, 0), Qt.Key.Key_Up: (0, 2), Qt.Key.Key_Down: (0, -2)}
        if event.key() not in turn:
            super().keyPressEvent(event)
            return
        look, (a, e) = self.view.look, turn[event.key()]
        self.view.set_light((look.azimuth + a) % 360, min(88.0, max(LOWEST, look.elevation + e)))
        self.update()

    def paintEvent(self, event: QPaintEvent) -> None:
        painter, look, tones = QPainter(self), self.view.look, theme()
        painter.setRenderHint(QPainter.RenderHint.Antialiasing)
        painter.fillRect(self.rect(), tones.colour("paper"))
        painter.setPen(QPen(tones.colour("line"), 1))
        painter.drawRect(self.rect().adjusted(0, 0, -1, -1))
        for share in (1.0, 2 / 3, 1 / 3):
            painter.drawEllipse(self._middle, RADIUS * share, RADIUS * share)
        painter.setPen(tones.colour("muted"))
        painter.setFont(sans(8.5))
        for name, azimuth in (("N", 0), ("E", 90), ("S", 180), ("W", 270)):
            x, y = place_of(azimuth, -11)
            at = self._middle + RADIUS * QPointF(x, y)
            painter.drawText(QRectF(at.x() - 8, at.y() - 8, 16, 16), Qt.AlignmentFlag.AlignCenter, name)
        x, y = place_of(look.azimuth, look.elevation)
        sun = self._middle + RADIUS * QPointF(x, y)
        painter.setPen(QPen(tones.colour("line"), 1))
        painter.drawLine(self._middle, sun)
        painter.setPen(QPen(tones.colour("ink"), 1))
        painter.setBrush(tones.colour("accent"))
        painter.drawEllipse(sun, 6, 6)
        painter.setFont(mono(9))
        painter.drawText(
            QRectF(0, 2 * (RADIUS + AROUND) - 4, self.width(), 18),
            Qt.AlignmentFlag.AlignCenter,
            f"from {look.azimuth:g}°, {look.elevation:g}° high",
        )
        painter.setFont(sans(9))
        for place, (azimuth, elevation, name) in self._rows():
            here = (azimuth, elevation) == (look.azimuth, look.elevation)
            painter.setPen(tones.colour("accent" if here else "ink"))
            painter.drawText(place, Qt.AlignmentFlag.AlignCenter, name)
