"""Six steps over the real window that say what is where. Skippable, and in the menu afterwards."""

from __future__ import annotations

from PyQt6.QtCore import QPoint, QRect, Qt
from PyQt6.QtGui import QKeyEvent, QPainter, QPen
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from .theme import theme

#: Title, sentence, and which part of the window it is about.
STEPS = (
    (
        "The recipe reads downwards",
        "Each card is a node with a picture of its own result. What comes first stands above. Heights, masks and "
        "colours have a lane each.",
        lambda w: w.compose.canvas,
    ),
    (
        "The view follows the selected card",
        "Drag to turn, wheel to come nearer, W A S D to walk, G to stand on the ground, H for the whole land. C "
        "compares before and after.",
        lambda w: w.compose.view,
    ),
    (
        "The bench sets the selected node",
        "Drag a slider or type a value with its unit. At the right, Where says on which ground the node works.",
        lambda w: w.compose.bench,
    ),
    (
        "Add what the land needs",
        "Press A and say what it should do: cliff, river, blur. The new node stands below the selected one and is "
        "linked to it. Everything can be undone.",
        lambda w: w.compose.canvas,
    ),
    (
        "Publish what others may change",
        "The dot before a setting puts it on the control sheet. In Variants, anybody makes new lands from seeds and "
        "controls without touching the graph.",
        lambda w: w.tabs["Variants"],
    ),
    (
        "Deliver files that engines read",
        "Height, masks and colours at any detail: what you saw is what is built, and each file is read back and "
        "checked.",
        lambda w: w.tabs["Deliver"],
    ),
)


class Outline(QWidget):
    """A frame around the part of the window that a step is about."""

    def __init__(self, parent) -> None:
        super().__init__(parent)
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)

    def paintEvent(self, event) -> None:
        p = QPainter(self)
        p.setPen(QPen(theme().colour("accent"), 3))
        p.drawRect(self.rect().adjusted(1, 1, -2, -2))


class Tour(QFrame):
    """The card of a step. Enter goes on, Escape ends."""

    def __init__(self, window) -> None:
        super().__init__(window)
        self.window_, self.step = window, 0
        self.setObjectName("sheet")
        self.setProperty("ruled", True)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.outline = Outline(window)
        self.count, self.title, self.text = QLabel(objectName="mono"), QLabel(objectName="title"), QLabel()
        self.text.setWordWrap(True)
        self.next, self.back, self.skip = QPushButton(objectName="primary"), QPushButton("Back"), QPushButton("Skip")
        self.next.clicked.connect(lambda: self.go(self.step + 1))
        self.back.clicked.connect(lambda: self.go(self.step - 1))
        self.skip.clicked.connect(self.end)
        column, row = QVBoxLayout(self), QHBoxLayout()
        column.setContentsMargins(16, 12, 16, 12)
        column.setSpacing(6)
        for label in (self.count, self.title, self.text):
            column.addWidget(label)
        for button in (self.skip, self.back):
            row.addWidget(button)
        row.addStretch(1)
        row.addWidget(self.next)
        column.addSpacing(4)
        column.addLayout(row)
        self.setFixedWidth(360)

    def go(self, step: int) -> None:
        """Shows a step; after the last one the tour ends."""
        if step >= len(STEPS):
            self.end()
            return
        self.step = max(0, step)
        title, text, part = STEPS[self.step]
        self.count.setText(f"{self.step + 1} of {len(STEPS)}")
        self.title.setText(title)
        self.text.setText(text)
        self.next.setText("Next" if self.step + 1 < len(STEPS) else "Begin")
        self.back.setEnabled(self.step > 0)
        self.layout().activate()
        self.setFixedHeight(self.layout().heightForWidth(360))
        self._stand_beside(part(self.window_))
        self.show()
        self.raise_()
        self.next.setFocus()

    def _stand_beside(self, part: QWidget) -> None:
        """Frames a part of the window, and stands where it hides the least of it."""
        window = self.window_
        box = QRect(part.mapTo(window, QPoint(0, 0)), part.size())
        self.outline.setGeometry(box.adjusted(-3, -3, 3, 3).intersected(window.rect()))
        self.outline.show()
        self.outline.raise_()
        room = window.rect().adjusted(12, 52, -12, -40)
        places = (
            QPoint(box.right() + 16, box.top() + 40),
            QPoint(box.left() - self.width() - 16, box.top() + 40),
            QPoint(box.left() + 24, box.top() - self.height() - 16),
            QPoint(box.center().x() - self.width() // 2, box.bottom() + 16),
        )
        fits = [p for p in places if room.contains(QRect(p, self.size()))]
        self.move(fits[0] if fits else room.center() - QPoint(self.width() // 2, self.height() // 2))

    def end(self) -> None:
        """Ends the tour; it is not shown again by itself."""
        self.window_.settings.setValue("toured", True)
        self.outline.hide()
        self.hide()
        self.window_.compose.canvas.setFocus()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.key() == Qt.Key.Key_Escape:
            self.end()
        elif event.key() in (Qt.Key.Key_Return, Qt.Key.Key_Enter, Qt.Key.Key_Right):
            self.go(self.step + 1)
        elif event.key() == Qt.Key.Key_Left:
            self.go(self.step - 1)
        else:
            super().keyPressEvent(event)
