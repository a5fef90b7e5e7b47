"""What a view says of the ground: of a place under the pointer, and of distances on a map."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QPainter, QPen

from gelande.scene.relief import Scene

from ..theme import mono, theme
from .numbers import round_up

#: Pixels that a scale bar is long at most, and at which it lies from the left and from below.
LONGEST, AWAY, ABOVE = 150, 14, 46


def told_of(scene: Scene, hit: tuple[float, float]) -> tuple[float, float, str, str]:
    """Metres east and north of a place (column and row), that in words, and its height and slope in words."""
    d = scene.dx
    east, north = hit[0] * d, scene.depth - hit[1] * d
    gx = (scene.ground(east + d, north) - scene.ground(east - d, north)) / (2 * d)
    gy = (scene.ground(east, north + d) - scene.ground(east, north - d)) / (2 * d)
    place = f"E {east:,.0f} m · N {north:,.0f} m".replace(",", " ")
    slope = math.degrees(math.atan(math.hypot(gx, gy)))
    return east, north, place, f"height {scene.ground(east, north):.1f} m · slope {slope:.0f}°"


def bar_of(metres: float) -> tuple[float, str]:
    """(pixels, words) of a scale bar of a round length, where a pixel shows so many metres."""
    longest = LONGEST * metres
    length = round_up(longest)
    while length > longest:
        length = round_up(length / 2.6)
    words = f"{length / 1000:g} km" if length >= 1000 else f"{length:g} m" if length >= 1 else f"{length * 100:g} cm"
    return length / metres, words


def paint_bar(painter: QPainter, metres: float, height: int) -> None:
    """Draws a scale bar over a map."""
    pixels, words = bar_of(metres)
    y = height - ABOVE
    painter.setRenderHint(QPainter.RenderHint.Antialiasing, False)
    painter.setFont(mono(9))
    for shift, tone in ((1, "paper"), (0, "ink")):
        painter.setPen(QPen(theme().colour(tone), 2))
        for x in (AWAY, AWAY + pixels):
            painter.drawLine(QPointF(x + shift, y - 5 + shift), QPointF(x + shift, y + shift))
        painter.drawLine(QPointF(AWAY + shift, y + shift), QPointF(AWAY + pixels + shift, y + shift))
        painter.drawText(QRectF(AWAY + shift, y - 24 + shift, max(pixels, 60), 18), Qt.AlignmentFlag.AlignLeft, words)
