"""The rule: how far two places of the ground are apart, how much one is higher, and how steep it is between them."""

from __future__ import annotations

import math

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPen

from ..theme import mono, theme
from .base import View

#: Pixels of a press that is no drag.
STILL = 6
HINT = "Rule: click two places on the ground, or drag from one to the other; Esc ends."


def told_between(first: tuple[float, float], second: tuple[float, float], heights: tuple[float, float]) -> str:
    """Distance, difference in height and slope between two places, metres east and north, in words."""
    away, up = math.hypot(second[0] - first[0], second[1] - first[1]), heights[1] - heights[0]
    length = f"{away:,.0f} m".replace(",", " ") if away >= 100 else f"{away:.1f} m"
    rise = f"{'up' if up >= 0 else 'down'} {abs(up):.1f} m"
    return f"{length} · {rise} · {math.degrees(math.atan2(abs(up), max(away, 1e-9))):.1f}°"


class Rule:
    """A rule in a view. first, second: its ends, metres east and north, or None."""

    def __init__(self, view: View) -> None:
        self.view = view
        self.on = False
        self.first: tuple[float, float] | None = None
        self.second: tuple[float, float] | None = None
        self._pressed: QPointF | None = None
        self._follows = False
        view.active_tool.put_down.connect(lambda: self.set_on(False))

    def set_on(self, on: bool) -> None:
        """Takes it in hand, or puts it down."""
        if on and not self.on:
            self.view.active_tool.put_down.emit()  # one tool is in hand at a time
        elif not on and not self.on:
            return
        self.on, self.first, self.second, self._pressed, self._follows = on, None, None, None, False
        self.view.bar.rule.setChecked(on)
        self.view.active_tool.say(HINT if on else "")
        self.view.update()

    def press(self, event: QMouseEvent) -> bool:
        """True when a press sets an end."""
        if not self.on or event.button() != Qt.MouseButton.LeftButton:
            return False
        place = self.view.mode.to_ground(event.position())
        if place is None:
            return True
        if self._follows:
            self.second, self._follows = place, False
        else:
            self.first, self.second, self._pressed, self._follows = place, None, event.position(), True
        self.view.update()
        return True

    def move(self, event: QMouseEvent) -> bool:
        """True while it is drawn out by a drag."""
        if self.on and self._follows:
            place = self.view.mode.to_ground(event.position())
            self.second = place if place is not None else self.second
            self.view.update()
        return self.on and self._pressed is not None

    def release(self, event: QMouseEvent) -> bool:
        """True when a drag ends."""
        if not self.on or self._pressed is None:
            return False
        dragged = (event.position() - self._pressed).manhattanLength() > STILL
        self._pressed = None
        self._follows = self._follows and not dragged
        return True

    @property
    def words(self) -> str:
        """What it says, once it has two ends."""
        if self.first is None or self.second is None or self.view.frame is None:
            return ""
        ground = self.view.frame.scene.ground
        return told_between(self.first, self.second, (ground(*self.first), ground(*self.second)))

    def paint(self, p: QPainter) -> None:
        """Draws it over the picture."""
        if not self.on or self.first is None:
            return
        t, seen = theme(), []
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        if self.second is not None:
            self.view.marks.paint_path(p, [self.first, self.second], True)
        for end in (self.first, self.second):
            at = self.view.mode.to_widget(end) if end is not None else None
            if at is not None:
                p.setPen(QPen(t.colour("accent"), 1.6))
                p.setBrush(t.colour("sheet"))
                p.drawEllipse(at[0], 4, 4)
                seen.append(at[0])
        if not seen or not self.words:
            return
        p.setFont(mono(9))
        wide = p.fontMetrics().horizontalAdvance(self.words) + 14
        x = min(max(4.0, seen[-1].x() - wide / 2), self.view.width() - wide - 4.0)
        box = QRectF(x, min(max(80.0, seen[-1].y() - 32), self.view.height() - 60.0), wide, 20)
        p.setPen(QPen(t.colour("line"), 1))
        p.setBrush(t.colour("sheet"))
        p.drawRoundedRect(box, 3, 3)
        p.setPen(t.colour("ink"))
        p.drawText(box, int(Qt.AlignmentFlag.AlignCenter), self.words)
