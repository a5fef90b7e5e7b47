"""How the interface looks: its theme, its size and how much moves, for all windows of the program."""

from __future__ import annotations

import os

from PyQt6.QtCore import QObject, QPoint, QSettings, Qt, pyqtSignal
from PyQt6.QtWidgets import QApplication, QFrame, QGridLayout, QLabel

from . import theme
from .switches import Pick, Tick

#: Themes that can be chosen, and what they are called.
NAMES = {
    theme.SYSTEM: "As the system says",
    "light": "Light sheet",
    "dark": "Dark sheet",
    "contrast": "High contrast",
}
#: Sizes of the interface that can be chosen, in per cent.
SIZES = (90, 100, 110, 125, 150, 175, 200)
#: Name of the variable from which Qt reads the size of the interface, as a factor.
SCALE = "QT_SCALE_FACTOR"


def settings() -> QSettings:
    """Where looks are kept between sessions."""
    return QSettings("Gelande", "Gelande")


def kept_size() -> int:
    """Per cent that the interface is to be drawn at; 100 where somebody spoilt it in the settings file."""
    try:
        size = int(settings().value("size", 100))
    except (TypeError, ValueError):
        return 100
    return size if size in SIZES else 100


def set_scale() -> None:
    """Has Qt draw everything at the size that was chosen, unless the environment says a size. Before the application
    is made: Qt reads it once."""
    size = kept_size()
    if size != 100:
        os.environ.setdefault(SCALE, f"{size / 100:g}")


class Looks(QObject):
    """The looks in force. ``changed`` comes when all has to be painted anew."""

    changed = pyqtSignal()

    def __init__(self) -> None:
        super().__init__()
        self.name, self.still, self._listening = theme.SYSTEM, False, False

    def begin(self) -> None:
        """Puts in force what was kept, and follows the system from now on. After the application is made."""
        self.still = settings().value("still", False, bool)
        self.set_theme(settings().value("theme", theme.SYSTEM))
        if not self._listening:
            self._listening = True
            QApplication.styleHints().colorSchemeChanged.connect(self._system_changed)

    def set_theme(self, name: str) -> None:
        """Chooses a theme by its id and keeps it; what is not known follows the system."""
        self.name = name if name in theme.THEMES else theme.SYSTEM
        settings().setValue("theme", self.name)
        theme.dress(self.name)
        self.changed.emit()

    def set_still(self, still: bool) -> None:
        """Chooses whether nothing moves that need not."""
        self.still = still
        settings().setValue("still", still)

    def _system_changed(self) -> None:
        if self.name == theme.SYSTEM:
            self.set_theme(theme.SYSTEM)


looks = Looks()


class LooksPanel(QFrame):
    """Panel for theme, size and motion. ``said`` carries what is not seen at once."""

    said = pyqtSignal(str)

    def __init__(self, parent) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("sheet")
        grid = QGridLayout(self)
        grid.setContentsMargins(14, 12, 14, 12)
        grid.setVerticalSpacing(8)
        grid.addWidget(QLabel("Look", objectName="head"), 0, 0, 1, 2)
        self.theme_box, self.size_box = Pick("Theme"), Pick("Size")
        for name, label in NAMES.items():
            self.theme_box.addItem(label, name)
        for size in SIZES:
            self.size_box.addItem(f"{size} %", size)
        self.theme_box.setCurrentIndex(self.theme_box.findData(looks.name))
        self.size_box.setCurrentIndex(self.size_box.findData(kept_size()))
        self.theme_box.activated.connect(lambda k: looks.set_theme(self.theme_box.itemData(k)))
        self.size_box.activated.connect(lambda k: self._set_size(self.size_box.itemData(k)))
        for row, (label, box) in enumerate((("Theme", self.theme_box), ("Size", self.size_box)), 1):
            word = QLabel(label)
            word.setBuddy(box)
            grid.addWidget(word, row, 0)
            grid.addWidget(box, row, 1)
        self.still_box = Tick("Nothing moves by itself")
        self.still_box.setToolTip("The line on the cards of nodes at work stands still.")
        self.still_box.setChecked(looks.still)
        self.still_box.clicked.connect(looks.set_still)
        grid.addWidget(self.still_box, 3, 0, 1, 2)
        self.note = QLabel("The size is of text and all else, beside what the desktop asks for.", objectName="muted")
        self.note.setWordWrap(True)
        grid.addWidget(self.note, 4, 0, 1, 2)
        self.setFixedWidth(300)

    def open_at(self, place: QPoint) -> None:
        """Shows it with its left upper corner at a place on the screen."""
        self.move(place)
        self.show()
        self.theme_box.setFocus()

    def _set_size(self, size: int) -> None:
        settings().setValue("size", size)
        words = f"Gelande is drawn at {size} % from its next start on."
        self.note.setText(words)
        self.said.emit(words)
