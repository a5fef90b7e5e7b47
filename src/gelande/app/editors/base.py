"""What all editors of a parameter share: publish dot, name, typed value with unit."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, QRect, QRectF, Qt, pyqtSignal
from PyQt6.QtGui import QFontMetrics, QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from gelande.core.recipe.param import Param

from ..ghost import GhostBox
from ..theme import mono, sans, theme

DOT = 20


class Row(QWidget):
    """Common part: ``edited`` carries a checked value, ``refused`` why a typed one is not taken."""

    edited = pyqtSignal(str, object)
    refused = pyqtSignal(str)
    publish_asked = pyqtSignal(str)
    menu_asked = pyqtSignal(str, object)
    draw_asked = pyqtSignal(str, bool)
    keep_asked = pyqtSignal(str, bool)

    def __init__(
        self, param: Param, value, published: bool = False, publishable: bool = True, parent: QWidget | None = None
    ) -> None:
        super().__init__(parent)
        self.param, self.value = param, value
        self.publishable = publishable and not param.tool
        self.dot = self._make_dot() if self.publishable else None
        self.published = published
        self.setToolTip(f"{param.help}" + ("" if not publishable else "\nThe dot publishes it on the control sheet."))
        self.setAccessibleName(param.label)

    def _make_dot(self) -> GhostBox:
        name = f"{self.param.label}: on the control sheet"
        return GhostBox(self, name, QRect(0, 2, DOT - 4, 16), lambda: self.publish_asked.emit(self.param.id))

    @property
    def published(self) -> bool:
        """Whether its dot is filled: on the bench it is on the control sheet, there it is not as it was opened."""
        return self._published

    @published.setter
    def published(self, published: bool) -> None:
        self._published = published
        if self.dot is not None:
            self.dot.setChecked(published)
        self._describe()

    def focus_part(self) -> QWidget:
        """The part that takes the keyboard."""
        return getattr(self, "box", None) or getattr(self, "line", None) or self

    def set_value(self, value: float) -> None:
        """Shows a value without telling anybody."""
        self.value = value
        self._describe()
        self.update()

    def _describe(self) -> None:
        """Tells screen readers the value, what it may be, and what it is for."""
        bounds = self.param.range_text
        changed = "changed" if self.published and not self.publishable else ""
        told = (self.param.text(self.value), changed, bounds and f"may be {bounds}", self.param.help)
        self.setAccessibleDescription("; ".join(part for part in told if part))

    def without_keep(self) -> None:
        """There are no other nodes to select: nothing has to stay in hand."""

    def show_histogram(self, histogram: np.ndarray) -> None:
        """Takes a histogram of the heights that come in, for those who paint it."""

    def paint_dot(self, painter: QPainter, y: float) -> None:
        """The publish dot: filled when on the control sheet."""
        if not self.publishable and not self.published:
            return
        t = theme()
        painter.setPen(QPen(t.colour("accent" if self.published else "muted"), 1))
        painter.setBrush(t.colour("accent") if self.published else Qt.BrushStyle.NoBrush)
        painter.drawEllipse(QPointF(6, y), 4, 4)

    def paint_text(self, painter: QPainter, value: str, mark: str) -> None:
        """Name at the left, cut where the value stands that a field of its own shows; a mark at the right."""
        t = theme()
        painter.setPen(t.colour("ink"))
        font = mono(9)
        value_width = QFontMetrics(font).horizontalAdvance(value + mark)
        painter.setFont(sans(9.6))
        name = painter.fontMetrics().elidedText(
            self.param.label, Qt.TextElideMode.ElideRight, self.width() - DOT - value_width - 6
        )
        painter.drawText(QRectF(DOT, 0, self.width() - DOT, 18), int(Qt.AlignmentFlag.AlignVCenter), name)
        painter.setFont(font)
        painter.drawText(
            QRectF(DOT, 0, self.width() - DOT, 18),
            int(Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight),
            mark,
        )

    def dot_clicked(self, event: QMouseEvent) -> bool:
        if event.button() == Qt.MouseButton.LeftButton and event.position().x() < DOT - 4 and event.position().y() < 20:
            if self.publishable:
                self.publish_asked.emit(self.param.id)
            return True
        return False

    def contextMenuEvent(self, event) -> None:
        self.menu_asked.emit(self.param.id, event.globalPos())


class WidgetRow(Row):
    """A row with a name and some widget under or beside it."""

    def __init__(self, param, value, tall: int = 29, **more) -> None:
        super().__init__(param, value, **more)
        self.setFixedHeight(tall)

    def paintEvent(self, event: QPaintEvent) -> None:
        p = QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        self.paint_dot(p, 12)
        p.setFont(sans(9.6))
        p.setPen(theme().colour("ink"))
        p.drawText(QRectF(DOT, 0, self.width() - DOT, 24), int(Qt.AlignmentFlag.AlignVCenter), self.caption())

    def caption(self) -> str:
        return self.param.label

    def mousePressEvent(self, event) -> None:
        self.dot_clicked(event)
