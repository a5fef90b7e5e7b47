"""What an empty window offers: a landform to start from, an example, a file."""

from __future__ import annotations

from pathlib import Path

from PyQt6.QtCore import QSize, Qt, pyqtSignal
from PyQt6.QtGui import QIcon, QKeyEvent, QPixmap
from PyQt6.QtWidgets import QFrame, QHBoxLayout, QLabel, QPushButton, QScrollArea, QVBoxLayout, QWidget

from gelande.app.compose.page import ComposePage
from gelande.core.recipe.node import spec_of
from gelande.places import examples_folder

from . import thumbs
from .flow import Flow

#: Landforms that most lands begin with.
LANDFORMS = ("fractal_noise", "ridge_noise", "massif", "cone", "plateau", "dunes", "elevation_file")
GALLERY = Path(__file__).parent / "gallery"
PICTURE, LARGE = QSize(150, 94), QSize(182, 114)
#: Whole landscapes by the name of their file, in the order in which they are offered; other examples are studies.
LANDSCAPES = {
    "varrowdale": "Limestone upland",
    "valley-head": "Alpine valley head",
    "canyon": "Canyon in layered rock",
    "old-volcano": "Old volcano",
    "tableland": "Table lands",
    "skerrin-sound": "Drowned coast",
    "badlands": "Badlands",
    "dune-field": "Dune field",
    "moor": "Moor with tors",
    "river-plain": "River plain",
    "oru": "Farmed loess plateau",
    "ice-country": "Ice country",
}


def title_of(path: Path) -> str:
    """The name of a recipe file as it is shown."""
    return LANDSCAPES.get(path.stem) or path.stem.replace("-", " ").capitalize()


class PictureButton(QPushButton):
    """A picture with a name below it."""

    def __init__(
        self, name: str, picture: QPixmap, tip: str = "", instead: str = "no picture yet", size: QSize = PICTURE
    ) -> None:
        super().__init__()
        self.setToolTip(tip)
        self.setAccessibleName(name)
        column = QVBoxLayout(self)
        column.setContentsMargins(5, 5, 5, 4)
        column.setSpacing(3)
        shown, words = QLabel(), QLabel(name)
        shown.setFixedSize(size)
        if picture.isNull():
            shown.setText(instead)
            shown.setObjectName("muted")
            shown.setAlignment(Qt.AlignmentFlag.AlignCenter)
        else:
            shown.setPixmap(picture)
        words.setMaximumWidth(size.width())
        for label in (shown, words):
            label.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
            column.addWidget(label)
        self.setFixedSize(size.width() + 12, size.height() + 32)


class Welcome(QScrollArea):
    """Covers the empty Compose workspace. ``landform`` carries a kind, ``recipe`` a path and whether it is an
    example."""

    landform = pyqtSignal(str)
    recipe = pyqtSignal(object, bool)
    file_asked = pyqtSignal()
    dismissed = pyqtSignal()
    any_asked = pyqtSignal()

    def __init__(self, parent: ComposePage | None = None) -> None:
        super().__init__(parent)
        self.setWidgetResizable(True)
        self.setFrameShape(QFrame.Shape.NoFrame)
        self.setHorizontalScrollBarPolicy(Qt.ScrollBarPolicy.ScrollBarAlwaysOff)
        self.setObjectName("paper")
        self.buttons: dict[str, QPushButton] = {}
        self.hide()

    def offer(self, recent: list[str]) -> None:
        """Fills itself anew and shows itself."""
        inner = QWidget(objectName="paper")
        inner.setAttribute(Qt.WidgetAttribute.WA_StyledBackground)
        column = QVBoxLayout(inner)
        column.setContentsMargins(28, 20, 28, 20)
        column.setSpacing(10)
        self.buttons = {}
        scale = self.devicePixelRatioF()

        landforms, landscapes, studies, files = Flow(), Flow(), Flow(), Flow()
        for kind in LANDFORMS:
            spec = spec_of(kind)
            picture = QPixmap(str(GALLERY / f"{kind}.png"))
            if not picture.isNull():
                picture = thumbs.fitted(picture, PICTURE.width(), PICTURE.height(), scale)
            button = PictureButton(spec.name, picture, spec.summary, "your own heights")
            button.clicked.connect(lambda _=False, k=kind: self.landform.emit(k))
            landforms.addWidget(button)
            self.buttons[kind] = button
        paths = {path.stem: path for path in sorted(examples_folder().glob("*.gelande"))}
        for stem in (stem for stem in LANDSCAPES if stem in paths):
            self._recipe(landscapes, paths.pop(stem), True, scale, LARGE)
        for path in paths.values():
            self._recipe(studies, path, True, scale)
        for name in recent[:6]:
            self._recipe(files, Path(name), False, scale)
        for title, words, row in (
            ("Open a landscape", "A whole recipe: turn its controls, look how it is made, take it apart.", landscapes),
            (
                "Start from a landform",
                "It becomes the first node. A adds the next one below it, linked; here it adds any node.",
                landforms,
            ),
            ("Open a study", "Small recipes that show one thing each.", studies),
        ):
            column.addWidget(QLabel(title, objectName="title"))
            column.addWidget(QLabel(words, objectName="muted"))
            column.addLayout(row)
        column.addWidget(QLabel("Open a file", objectName="title"))
        line = QHBoxLayout()
        choose, sheet = QPushButton("Choose a file…", objectName="primary"), QPushButton("Just the empty sheet")
        choose.clicked.connect(self.file_asked)
        sheet.clicked.connect(self.dismissed)
        line.addWidget(choose)
        line.addWidget(sheet)
        line.addStretch(1)
        column.addLayout(line)
        column.addLayout(files)
        column.addStretch(1)
        self.buttons |= {"choose": choose, "sheet": sheet}
        self.setWidget(inner)
        self.setGeometry(self.parentWidget().rect())
        self.show()
        self.raise_()
        self.buttons[LANDFORMS[0]].setFocus()

    def keyPressEvent(self, event: QKeyEvent) -> None:
        """A begins with any node, as on the sheet; Escape shows that."""
        if event.key() in (Qt.Key.Key_A, Qt.Key.Key_Escape):
            self.dismissed.emit()
            if event.key() == Qt.Key.Key_A:
                self.any_asked.emit()
        else:
            super().keyPressEvent(event)

    def _recipe(self, row: Flow, path: Path, example: bool, scale: float, size: QSize = PICTURE) -> None:
        picture = thumbs.picture(path, size.width(), size.height(), scale)
        button = PictureButton(title_of(path) if example else path.stem, picture, str(path), size=size)
        button.clicked.connect(lambda: self.recipe.emit(path, example))
        row.addWidget(button)
        self.buttons[path.name] = button


def with_picture(menu, name: str, path: Path, run):
    """Adds an entry with a recipe's picture to a menu."""
    picture = thumbs.picture(path, 64, 40)
    action = menu.addAction(QIcon(picture), name, run) if not picture.isNull() else menu.addAction(name, run)
    action.setIconVisibleInMenu(True)
    return action
