"""Two results against each other in the view: side by side under a line that is dragged, in turn, or as their
difference in metres."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, Qt, QTimer
from PyQt6.QtGui import QColor, QLinearGradient, QPainter, QPen

from gelande.core.recipe.raster import COLOUR, HEIGHT, MASK
from gelande.kernels.curves import to_srgb
from gelande.scene.tints import DIFFERENCE, DIFFERENCE_TONES, MASKS

from ..theme import mono, sans, theme
from .base import View
from .numbers import round_up
from .renderer import Picture, Renderer, RenderRequest

SPLIT, BLINK, CHANGE = "split", "blink", "difference"
#: Ways to compare, with what is said of them.
WAYS = {
    SPLIT: ("Split by a line", "Left of the line what was before, right of it what is selected; drag the line."),
    BLINK: ("Blinking", "One after the other on the same place."),
    CHANGE: ("Difference in metres", "How much higher or lower the land came to lie."),
}
#: Milliseconds that each result shows while blinking; pixels beside the line where it can be taken.
BEAT, REACH = 700, 7


@dataclass(frozen=True)
class Content:
    """Content of one side. key: of its rasters; words: its name; names: of the masks that are shown together."""

    key: tuple
    height: np.ndarray
    dx: float
    kind: str
    data: np.ndarray
    water: np.ndarray | None = None
    words: str = ""
    names: tuple[str, ...] = ()

    def masks_at(self, east: float, north: float) -> list[tuple[str, float]]:
        """(name, value) of every mask that is shown, at the sample that is nearest to a place."""
        if self.kind not in (MASK, MASKS):
            return []
        masks, names = ((self.data,), ("mask",)) if self.kind == MASK else (self.data[0], self.names)
        rows, columns = self.height.shape
        r, c = rows - 1 - round(north / self.dx), round(east / self.dx)
        return [(n, float(m[min(max(r, 0), rows - 1), min(max(c, 0), columns - 1)])) for n, m in zip(names, masks)]

    @property
    def parts(self) -> tuple:
        """As a Wish takes it."""
        return self.key, self.height, self.dx, self.kind, self.data, self.water


@dataclass(frozen=True)
class Change:
    """Difference of after and before. shares: of the span, -1 to 1; low, high: the least and the greatest
    change; unit: of those and of the span."""

    fractions: np.ndarray
    span: float
    low: float
    high: float
    unit: str


#: Share of the samples that lie within the span of a difference: a few steps would leave no colour for the rest.
WITHIN = 99.5


def change_of(after: Content, before: Content) -> Change:
    """Heights are compared in metres, masks as shares, colours by their brightness; different kinds by the heights that
    they lie on."""
    if after.kind == before.kind and after.kind not in (HEIGHT, MASKS):
        a, b, unit = after.data, before.data, ""
        if after.kind == COLOUR:
            a, b = a.mean(axis=2), b.mean(axis=2)
    else:
        a, b, unit = after.height, before.height, " m"
    found = np.asarray(a, np.float32) - np.asarray(b, np.float32)
    span = round_up(float(np.percentile(np.abs(found), WITHIN)))
    fractions = np.clip(found / np.float32(span), -1, 1)
    return Change(fractions, span, float(found.min()), float(found.max()), unit)


class Comparison:
    """Comparison of what a ViewWidget shows with another result. way: SPLIT, BLINK, CHANGE, or "" for nothing."""

    def __init__(self, view: View) -> None:
        self.view, self.way, self.last = view, "", SPLIT
        self.at = 0.5
        self.main: Content | None = None
        self.other: Content | None = None
        self.frame: Picture | None = None
        self.second = False  # blinking: whether the other one shows
        self.change: Change | None = None
        self._renderer: Renderer | None = None
        self._asked: RenderRequest | None = None
        self._held = False
        self._beat = QTimer(view, interval=BEAT)
        self._beat.timeout.connect(self._turn)

    def set_way(self, way: str) -> None:
        """Begins to compare in a way, or ends."""
        self.way, self.frame, self.second = way, None, False
        if way:
            self.last = way
        self._beat.start() if way == BLINK else self._beat.stop()
        bar = self.view.bar
        bar.compare.setChecked(bool(way))
        for name, action in bar.way_actions.items():
            action.setChecked(name == way)
        self.view.compare_asked.emit()
        self.view.reshow()

    def toggle(self) -> None:
        """Begins to compare in the way of the last time, or ends."""
        self.set_way("" if self.way else self.last)

    def _turn(self) -> None:
        self.second = not self.second
        self.view.update()

    # -- what is shown ----------------------------------------------------------------------------------
    @property
    def ready(self) -> bool:
        """True when there are two results of the same samples."""
        return (
            bool(self.way)
            and self.other is not None
            and self.main is not None
            and (self.other.height.shape == self.main.height.shape)
        )

    def shown(self, main: Content) -> Content:
        """Content drawn in place of a result: itself, or how it differs from the other one."""
        self.main = main
        if self.way != CHANGE or not self.ready or self.other is None:
            return main
        self.change = change_of(main, self.other)
        key = (*main.key, "against", *self.other.key)
        return replace(main, key=key, kind=DIFFERENCE, data=self.change.fractions, water=None)

    def ask(self, request: RenderRequest) -> None:
        """Draws the other side of a wish."""
        if not self.ready or self.way == CHANGE or self.other is None:
            return
        if self._renderer is None:
            self._renderer = Renderer(self.view)
            self._renderer.pictured.connect(self._pictured)
        self._asked = replace(request, content=self.other.parts)
        self._renderer.ask(self._asked)

    def _pictured(self, frame: Picture) -> None:
        if self.ready and self.other is not None and frame.key == self.other.key:
            self.frame = frame
            self.view.update()

    @property
    def drawn(self) -> bool:
        """True when the other side is on screen as it was asked for last, in full."""
        if not self.ready or self.way == CHANGE:
            return not self.way or self.other is None or self.ready
        asked, frame = self._asked, self.frame
        if asked is None or frame is None or asked.projection is None or frame.key != asked.content[0]:
            return False
        return (frame.request.projection, frame.request.size, frame.passes) == (
            asked.projection,
            asked.size,
            asked.projection.passes,
        )

    def close(self) -> None:
        if self._renderer is not None:
            self._renderer.close()

    # -- pointer ----------------------------------------------------------------------------------------
    @property
    def line(self) -> float:
        """Place of the dividing line, pixels from the left."""
        return self.at * self.view.width()

    def press(self, x: float) -> bool:
        """True when a press takes the line."""
        self._held = self.way == SPLIT and self.ready and abs(x - self.line) <= REACH
        return self._held

    def move(self, x: float) -> bool:
        """True when a move belongs to the line."""
        near = self.way == SPLIT and self.ready and abs(x - self.line) <= REACH
        if self._held:
            self.at = min(0.98, max(0.02, x / max(1, self.view.width())))
            self.view.update()
        self.view.setCursor(Qt.CursorShape.SplitHCursor if near or self._held else Qt.CursorShape.ArrowCursor)
        return self._held

    def release(self) -> bool:
        held, self._held = self._held, False
        return held

    # -- painting ---------------------------------------------------------------------------------------
    def paint(self, p: QPainter) -> None:
        """Draws the other side over the picture, and says what is what."""
        if not self.ready or self.main is None or self.other is None:
            return
        if self.way == CHANGE:
            self._paint_legend(p)
            return
        if self.frame is None:
            return
        size, rect = self.view.rect(), QRectF(self.view.rect())
        if self.way == BLINK:
            if self.second:
                p.drawImage(size, self.frame.image)
            self._paint_name(p, self.other.words if self.second else self.main.words, rect.center().x(), 0)
            return
        part = QRectF(0, 0, self.line, rect.height())
        fraction = self.frame.image.width() / max(1, rect.width())
        p.drawImage(part, self.frame.image, QRectF(0, 0, self.line * fraction, self.frame.image.height()))
        p.setPen(QPen(theme().colour("sheet"), 3))
        p.drawLine(QPointF(self.line, 44), QPointF(self.line, rect.height()))
        p.setPen(QPen(theme().colour("accent"), 1.4))
        p.drawLine(QPointF(self.line, 44), QPointF(self.line, rect.height()))
        self._paint_name(p, self.other.words, self.line - 10, -1)
        self._paint_name(p, self.main.words, self.line + 10, 1)

    def _paint_name(self, p: QPainter, text: str, x: float, side: int) -> None:
        """A name at the top of one side of the line; side: -1 left of x, 0 about it, 1 right of it."""
        t = theme()
        p.setFont(sans(9.4))
        width = p.fontMetrics().horizontalAdvance(text) + 14
        left = x - width if side < 0 else x - width / 2 if side == 0 else x
        box = QRectF(left, 46, width, 21)
        p.setPen(QPen(t.colour("line"), 1))
        p.setBrush(t.colour("sheet"))
        p.drawRoundedRect(box, 3, 3)
        p.setPen(t.colour("ink"))
        p.drawText(box, int(Qt.AlignmentFlag.AlignCenter), text)

    def _paint_legend(self, p: QPainter) -> None:
        """The colours of lower and higher with their metres."""
        t = theme()
        change = self.change
        if change is None:
            return
        box = QRectF(self.view.width() / 2 - 150, 46, 300, 70)
        p.setPen(QPen(t.colour("line"), 1))
        p.setBrush(t.colour("sheet"))
        p.drawRoundedRect(box, 3, 3)
        bar = QRectF(box.x() + 12, box.y() + 22, box.width() - 24, 9)
        blend = QLinearGradient(bar.topLeft(), bar.topRight())
        for k, tone in enumerate(to_srgb(np.array(DIFFERENCE_TONES, np.float32))):
            blend.setColorAt(k / (len(DIFFERENCE_TONES) - 1), QColor.fromRgbF(*(float(v) for v in tone)))
        p.setPen(Qt.PenStyle.NoPen)
        p.setBrush(blend)
        p.drawRect(bar)
        p.setPen(t.colour("ink"))
        p.setFont(sans(9.0))
        words = p.fontMetrics().elidedText(self.words, Qt.TextElideMode.ElideMiddle, int(box.width()) - 12)
        p.drawText(QRectF(box.x(), box.y() + 2, box.width(), 18), int(Qt.AlignmentFlag.AlignCenter), words)
        p.setFont(mono(8.0))
        foot = QRectF(bar.x() - 6, bar.bottom() + 2, bar.width() + 12, 16)
        for flag, text in (
            (Qt.AlignmentFlag.AlignLeft, f"−{change.span:g}{change.unit}"),
            (Qt.AlignmentFlag.AlignHCenter, "0"),
            (Qt.AlignmentFlag.AlignRight, f"+{change.span:g}{change.unit}"),
        ):
            p.drawText(foot, int(flag), text)
        p.setPen(t.colour("muted"))
        ends = f"from {change.low:+.3g}{change.unit} to {change.high:+.3g}{change.unit}".replace("-", "−")
        p.drawText(foot.translated(0, 16), int(Qt.AlignmentFlag.AlignHCenter), ends)

    @property
    def words(self) -> str:
        """Names of the two sides."""
        return f"{self.main.words} less {self.other.words}" if self.main and self.other else ""
