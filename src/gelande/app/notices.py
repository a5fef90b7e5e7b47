"""Lines under the top bar that ask for something: recovered work, a file that somebody else changed, a place that
cannot be written."""

from __future__ import annotations

from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton


class Notice(QFrame):
    """A sentence and a few buttons; hidden until it is needed."""

    def __init__(self, parent=None) -> None:
        super().__init__(parent)
        self.setObjectName("sheet")
        self.setProperty("ruled", True)
        self.row = QHBoxLayout(self)
        self.row.setContentsMargins(12, 4, 12, 4)
        self.text = QLabel()
        self.text.setWordWrap(True)
        self.row.addWidget(self.text, 1)
        self.buttons: dict[str, QPushButton] = {}
        self.hide()

    def ask(self, text: str, *choices) -> None:
        """Shows a sentence with buttons. choices: (word, function); the first one is the one to take."""
        for button in self.buttons.values():
            self.row.removeWidget(button)
            button.deleteLater()
        self.buttons = {}
        for k, (word, run) in enumerate(choices):
            button = QPushButton(word, self, objectName="primary" if k == 0 else "")
            button.clicked.connect(lambda _=False, run=run: run())
            self.row.addWidget(button)
            self.buttons[word] = button
        self.text.setText(text)
        self.show()
