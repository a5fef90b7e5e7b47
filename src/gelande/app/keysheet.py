"""All keys on one sheet, shown by ``?``."""

from __future__ import annotations

from PyQt6.QtCore import Qt
from PyQt6.QtGui import QKeyEvent
from PyQt6.QtWidgets import QFrame, QGridLayout, QHBoxLayout, QLabel, QVBoxLayout

#: Where keys work, then key and what it does.
SHEET = (
    (
        "Everywhere",
        (
            ("Ctrl+1  2  3", "Compose, Variants, Deliver"),
            ("Ctrl+N  O  S", "New, open, save"),
            ("Ctrl+Z", "Undo"),
            ("Ctrl+Shift+Z", "Redo"),
            ("Ctrl++  Ctrl+−", "Finer, coarser detail"),
            ("F6  Shift+F6", "Next pane: graph, view, bench"),
            ("Tab", "Next button or setting"),
            ("F1", "Help on the selected node"),
            ("?", "This sheet"),
        ),
    ),
    (
        "Graph",
        (
            ("A", "Add a node below the selected one"),
            ("Shift+A", "Add a node without a link"),
            ("Arrows", "Select the next card"),
            ("O", "Turn off or on"),
            ("N", "Next seed"),
            ("R", "Replace by another kind"),
            ("Del", "Delete"),
            ("F2", "Rename"),
            ("Ctrl+G", "Pack into a group"),
            ("Return  Esc", "Go into a group, go out"),
            ("B", "Frame"),
            ("K", "Set a cairn (named link)"),
            ("L", "Lay everything out"),
            ("F", "Fit the graph"),
            ("I", "Link an input of the selected node"),
            ("Ctrl+L", "The graph as a list"),
        ),
    ),
    (
        "View",
        (
            ("W A S D", "Walk or fly; Shift faster"),
            ("Q  E", "Down, up"),
            ("H", "The whole land"),
            ("G", "Stand on the ground"),
            ("P  R", "A person for scale; a rule"),
            ("1 to 9", "Step to a kept camera"),
            ("V", "Hold the view on the selected node"),
            ("X (held)", "The selected node's input"),
            ("C", "Compare"),
            ("M", "The mask alone in grey"),
            ("[  ]", "Smaller, larger brush"),
        ),
    ),
    (
        "Settings",
        (
            ("Left  Right", "A step; with Shift ten"),
            ("Home  End", "To the end of the slider"),
            ("0 to 9, Return", "Type a value with its unit"),
            ("P", "Publish, or take off the sheet"),
            ("Page up, down", "Next point of a curve or ramp"),
            ("Ins  Del", "Add, remove a point"),
        ),
    ),
)


class KeySheet(QFrame):
    """The sheet, over the window; Escape or a click beside it closes it."""

    def __init__(self, parent) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("sheet")
        self.setProperty("ruled", True)
        row = QHBoxLayout(self)
        row.setContentsMargins(18, 14, 18, 16)
        row.setSpacing(26)
        for half in (SHEET[:1] + SHEET[3:], SHEET[1:2], SHEET[2:3]):
            column = QVBoxLayout()
            for title, keys in half:
                column.addWidget(QLabel(title, objectName="head"))
                grid = QGridLayout()
                grid.setHorizontalSpacing(12)
                grid.setVerticalSpacing(3)
                for k, (key, words) in enumerate(keys):
                    grid.addWidget(QLabel(key, objectName="mono"), k, 0)
                    grid.addWidget(QLabel(words), k, 1)
                column.addLayout(grid)
                column.addSpacing(8)
            column.addStretch(1)
            row.addLayout(column)

    def keyPressEvent(self, event: QKeyEvent) -> None:
        if event.text() == "?" or event.key() == Qt.Key.Key_Escape:
            self.close()
        else:
            super().keyPressEvent(event)

    def open_over(self, window) -> None:
        """Shows the sheet in the middle of a window."""
        self.adjustSize()
        self.move(window.mapToGlobal(window.rect().center()) - self.rect().center())
        self.show()
