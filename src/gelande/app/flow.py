"""Parts that fit themselves to little room: rows that go on in the next line, words that are cut with dots."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QRect, QSize, Qt
from PyQt6.QtGui import QPainter, QPaintEvent, QResizeEvent
from PyQt6.QtWidgets import QLabel, QLayout, QPushButton, QSizePolicy, QWidgetItem


class Flow(QLayout):
    """Lays its widgets out like words in a paragraph."""

    def __init__(self, parent=None, gap: int = 6) -> None:
        super().__init__(parent)
        self.setContentsMargins(0, 0, 0, 0)
        self.setSpacing(gap)
        self._items: list = []

    def addItem(self, item: QWidgetItem) -> None:
        self._items.append(item)

    def count(self) -> int:
        return len(self._items)

    def itemAt(self, index: int) -> QWidgetItem | None:
        return self._items[index] if 0 <= index < len(self._items) else None

    def takeAt(self, index):
        return self._items.pop(index) if 0 <= index < len(self._items) else None

    def expandingDirections(self):
        return Qt.Orientation(0)

    def hasHeightForWidth(self) -> bool:
        return True

    def heightForWidth(self, width: int) -> int:
        return self._lay(QRect(0, 0, width, 0), False)

    def setGeometry(self, rect: QRect) -> None:
        super().setGeometry(rect)
        self._lay(rect, True)

    def sizeHint(self) -> QSize:
        shown = [i.sizeHint() for i in self._items if not i.isEmpty()]
        wide = sum(s.width() for s in shown) + self.spacing() * max(0, len(shown) - 1)
        return QSize(wide, max((s.height() for s in shown), default=0))

    def minimumSize(self) -> QSize:
        size = QSize()
        for item in self._items:
            if not item.isEmpty():
                size = size.expandedTo(item.minimumSize())
        return size

    def _lay(self, rect: QRect, place: bool) -> int:
        """Puts the widgets into a rectangle, or only finds how high that is."""
        x, y, tall = rect.x(), rect.y(), self.sizeHint().height()
        for item in self._items:
            if item.isEmpty():
                continue
            size = item.sizeHint()
            if x > rect.x() and x + size.width() > rect.right() + 1:
                x, y = rect.x(), y + tall + self.spacing()
            if place:
                item.setGeometry(QRect(QPoint(x, y + (tall - size.height()) // 2), size))
            x += size.width() + self.spacing()
        return y + tall - rect.y()


class CutButton(QPushButton):
    """A button whose text is cut with dots where there is no room for it; the tooltip has it whole."""

    def __init__(self, tip: str, **more) -> None:
        super().__init__(**more)
        self._tip, self._whole = tip, ""
        self.setSizePolicy(QSizePolicy.Policy.Preferred, QSizePolicy.Policy.Fixed)

    def say(self, text: str) -> None:
        """Sets the whole text."""
        self._whole = text
        self.setToolTip(f"{text}\n{self._tip}")
        self.updateGeometry()
        self._cut()

    def _cut(self) -> None:
        self.setText(
            self.fontMetrics().elidedText(self._whole, Qt.TextElideMode.ElideRight, max(20, self.width() - 20))
        )

    def sizeHint(self) -> QSize:
        return QSize(self.fontMetrics().horizontalAdvance(self._whole) + 24, super().sizeHint().height())

    def minimumSizeHint(self) -> QSize:
        return QSize(80, super().minimumSizeHint().height())

    def resizeEvent(self, event: QResizeEvent) -> None:
        super().resizeEvent(event)
        self._cut()


class CutLabel(QLabel):
    """A line of text that takes the room there is and is cut with dots; text() is the whole. cut: which side goes."""

    def __init__(self, text: str = "", cut=Qt.TextElideMode.ElideRight, **more) -> None:
        super().__init__(text, **more)
        self._side = cut

    def paintEvent(self, event: QPaintEvent) -> None:
        painter = QPainter(self)
        painter.setFont(self.font())
        painter.setPen(self.palette().windowText().color())
        text = self.fontMetrics().elidedText(self.text(), self._side, self.width())
        painter.drawText(self.rect(), int(Qt.AlignmentFlag.AlignVCenter), text)

    def minimumSizeHint(self) -> QSize:
        return QSize(40, super().minimumSizeHint().height())
