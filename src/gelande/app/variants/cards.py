"""Tiles of the variant sheet: a picture, a name, a figure, a star."""

from __future__ import annotations

from dataclasses import dataclass

from PyQt6.QtCore import QRect, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QImage, QMouseEvent, QPainter, QPaintEvent, QPen, QResizeEvent
from PyQt6.QtWidgets import QAbstractButton

from gelande.core.regenerate.figures import Figures
from gelande.core.regenerate.variant import Variant

from ..ghost import GhostBox
from ..switches import Heard
from ..theme import mono, sans, theme

#: A picture fills its tile when it is at most so many times as long or wide as that.
CUT = 1.35


@dataclass(frozen=True)
class Outcome:
    """Computed result of a variant for its tile. key: of its last node; picture: the bytes that image shows; recipe:
    of the variant."""

    key: str
    level: int = 0
    image: QImage | None = None
    figures: Figures | None = None
    fault: str = ""
    picture: object = None
    recipe: object = None


class VariantCard(Heard, QAbstractButton):
    """A picture with figures, a name and a star. told: what is said of it in the picture; outside: it is outside the
    recipe's limits. Until a new picture is there the old one stays, paler."""

    picked = pyqtSignal(int)
    starred = pyqtSignal(int)

    def __init__(self, index: int, parent=None) -> None:
        super().__init__(parent)
        self.index = index
        self.variant: Variant | None = None
        self.outcome: Outcome | None = None
        self.chosen = self.star = self.outside = False
        self.told: tuple[str, ...] = ()
        self.setMinimumSize(84, 96)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.clicked.connect(self._clicked)
        self._star = GhostBox(self, "Starred", QRect(0, 0, 24, 24), lambda: self.starred.emit(self.index))
        self._told = ""

    def _clicked(self) -> None:
        """By assistive technology; pointer and keys are taken below. The sheet says which one is chosen."""
        self.picked.emit(self.index)
        self.update()

    def update(self) -> None:
        """Paints it anew, and tells assistive technology what it shows now."""
        super().update()
        o, name = self.outcome, self.variant.brief if self.variant else ""
        state = (o.fault if o and o.fault else "") or ("" if self.fresh else "waiting")
        outside = "outside the limits" if self.outside else ""
        told = "; ".join(part for part in (*self.told, outside, state) if part)
        if (name, told) != (self.accessibleName(), self._told):
            self._told = told
            self.setAccessibleName(name)
            self.setAccessibleDescription(told)
            self._star.setAccessibleName(f"Starred: {name}")
        self.setChecked(self.chosen)
        self._star.setChecked(self.star)

    @property
    def fresh(self) -> bool:
        """True when what it shows is of its variant."""
        return self.outcome is not None and self.variant is not None and self.outcome.recipe is self.variant.recipe

    def paintEvent(self, event: QPaintEvent) -> None:
        t, p = theme(), QPainter(self)
        p.setRenderHint(QPainter.RenderHint.SmoothPixmapTransform)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        r = QRectF(self.rect()).adjusted(1, 1, -1, -1)
        p.setPen(QPen(t.colour("accent" if self.chosen or self.hasFocus() else "line"), 2 if self.chosen else 1))
        p.setBrush(t.colour("sheet"))
        p.drawRoundedRect(r, 3, 3)
        picture = r.adjusted(1, 1, -1, -27)
        self._paint_picture(p, picture)
        self._paint_figures(p, picture)
        if self.hasFocus():
            p.setPen(QPen(t.colour("accent"), 2))
            p.setBrush(Qt.BrushStyle.NoBrush)
            p.drawRoundedRect(r.adjusted(4, 4, -4, -4), 3, 3)
        p.setPen(t.colour("ink"))
        p.setFont(mono(8.6))
        line = QRectF(r.x() + 8, r.bottom() - 25, r.width() - 34, 24)
        if self.variant:
            name = p.fontMetrics().elidedText(self.variant.brief, Qt.TextElideMode.ElideRight, int(line.width()))
            p.drawText(line, int(Qt.AlignmentFlag.AlignVCenter), name)
            p.setPen(t.colour("accent" if self.star else "muted"))
            p.setFont(sans(12))
            p.drawText(self.star_box(), int(Qt.AlignmentFlag.AlignCenter), "★" if self.star else "☆")

    def _paint_picture(self, p: QPainter, box: QRectF) -> None:
        t, o = theme(), self.outcome
        if o is not None and o.image is not None:
            p.fillRect(box, t.colour("paper"))
            box = self._paint_land(p, box, o.image)
            if not self.fresh:
                p.fillRect(box, t.colour("paper", 120))
            return
        p.fillRect(box, t.colour("track"))
        p.setPen(t.colour("fault" if o and o.fault else "muted"))
        p.setFont(sans(9))
        flags = int(Qt.AlignmentFlag.AlignCenter | Qt.TextFlag.TextWordWrap)
        p.drawText(box, flags, o.fault if o and o.fault else "waiting")

    def _paint_land(self, p: QPainter, box: QRectF, image: QImage) -> QRectF:
        """Fills a box with the middle of a picture where little of it is lost by that; else all of it is in the middle
        of the box. Returns where it stands."""
        across, down = box.width() / image.width(), box.height() / image.height()
        if max(across, down) < CUT * min(across, down):
            scale = max(across, down)
            wide, tall = box.width() / scale, box.height() / scale
            p.drawImage(box, image, QRectF((image.width() - wide) / 2, (image.height() - tall) / 2, wide, tall))
            return box
        scale = min(across, down)
        place = QRectF(0, 0, image.width() * scale, image.height() * scale)
        place.moveCenter(box.center())
        p.drawImage(place, image)
        return place

    def _paint_figures(self, p: QPainter, picture: QRectF) -> None:
        """A line of figures; the first of them alone where there is little room."""
        if not self.told or not self.fresh:
            return
        t = theme()
        p.setFont(mono(8))
        text = " · ".join(self.told)
        if p.fontMetrics().horizontalAdvance(text) > picture.width() - 22:
            text = self.told[0]
        box = QRectF(picture.x() + 6, picture.y() + 6, p.fontMetrics().horizontalAdvance(text) + 10, 17)
        p.fillRect(box, t.colour("sheet", 225))
        p.setPen(t.colour("fault" if self.outside else "ink"))
        p.drawText(box, int(Qt.AlignmentFlag.AlignCenter), text)

    def star_box(self) -> QRectF:
        return QRectF(self.width() - 27, self.height() - 26, 24, 24)

    def resizeEvent(self, event: QResizeEvent) -> None:
        self._star.setGeometry(self.star_box().toRect())

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        """A press has done it."""

    def mousePressEvent(self, event: QMouseEvent) -> None:
        (self.starred if self.star_box().contains(event.position()) else self.picked).emit(self.index)

    def keyPressEvent(self, event) -> None:
        if event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Space):
            self.picked.emit(self.index)
        elif event.key() == Qt.Key.Key_S:
            self.starred.emit(self.index)
        else:
            super().keyPressEvent(event)
