"""What is in hand for drawing, told over the view, with a button that puts it down."""

from __future__ import annotations

from PyQt6.QtCore import Qt, pyqtSignal
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton


class ActiveToolBar(QFrame):
    """Words and a button at the view's upper edge; hidden when nothing is in hand."""

    put_down = pyqtSignal()

    def __init__(self, view) -> None:
        super().__init__(view)
        self.setObjectName("sheet")
        self.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        row = QHBoxLayout(self)
        row.setContentsMargins(10, 4, 6, 4)
        self.words, self.button = QLabel(), QPushButton("Put down")
        self.button.setToolTip("Ends drawing (Esc)")
        self.button.clicked.connect(self.put_down)
        row.addWidget(self.words)
        row.addWidget(self.button)
        self.hide()

    def say(self, words: str) -> None:
        """Shows what is in hand; nothing without words."""
        if words != self.words.text() or bool(words) == self.isHidden():
            self.words.setText(words)
            self.setVisible(bool(words))
            self.place()

    def place(self) -> None:
        """Below the view's buttons, in the middle."""
        self.adjustSize()
        self.move((self.parent().width() - self.width()) // 2, 44)
