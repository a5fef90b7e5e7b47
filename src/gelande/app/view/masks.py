"""Seeing masks: how strong their tint is, alone in grey, and several of the recipe's masks in colours with a legend."""

from __future__ import annotations

from PyQt6.QtCore import QObject, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QBrush, QColor, QIcon, QPainter, QPen, QPixmap
from PyQt6.QtWidgets import QFrame, QLabel, QListWidget, QListWidgetItem, QSlider, QVBoxLayout, QWidget

from gelande.scene.tints import TONES, tone_of

from ..switches import Tick
from ..theme import sans, theme
from .base import View

#: Brushes of the hatches as the legend shows them.
_HATCHED = (
    Qt.BrushStyle.FDiagPattern,
    Qt.BrushStyle.BDiagPattern,
    Qt.BrushStyle.VerPattern,
    Qt.BrushStyle.HorPattern,
)


def swatch(number: int, size: int = 14) -> QPixmap:
    """The colour and hatch of a mask in a small square."""
    found = QPixmap(size, size)
    colour = QColor(*tone_of(number))
    found.fill(colour)
    p = QPainter(found)
    p.fillRect(found.rect(), QBrush(colour.darker(150), _HATCHED[number % len(_HATCHED)]))
    p.setPen(QPen(theme().colour("ink"), 1))
    p.drawRect(0, 0, size - 1, size - 1)
    p.end()
    return found


class Masks(QObject):
    """Masks that a view shows together. choices: (node, output, words) of all that there are; numbers: of the tone of
    each that is ticked, in the order in which they lie on each other. ``asked`` comes when other ones are ticked."""

    asked = pyqtSignal()

    def __init__(self, view: View) -> None:
        super().__init__(view)
        self.view = view
        self.choices: list[tuple[str, str, str]] = []
        self.numbers: dict[tuple[str, str], int] = {}
        self.panel = Panel(self)
        self.legend = Legend(self)

    @property
    def ticked(self) -> list[tuple[str, str]]:
        """(node, output) of the masks that are shown together; later ones lie on top."""
        return list(self.numbers)

    def words_of(self, mask: tuple[str, str]) -> str:
        """Name of a mask."""
        return next((words for node, port, words in self.choices if (node, port) == mask), "")

    def offer(self, choices: list[tuple[str, str, str]]) -> None:
        """The recipe's masks; those that are gone are no longer shown."""
        if choices == self.choices:
            return
        self.choices = choices
        there = {(node, port) for node, port, _ in choices}
        self.numbers = {mask: n for mask, n in self.numbers.items() if mask in there}
        self.panel.fill()
        self.legend.follow()

    def forget(self) -> None:
        """Another recipe: none of its masks is ticked, whatever their nodes are called."""
        self.choices, self.numbers = [], {}
        self.legend.follow()

    def tick(self, mask: tuple[str, str], on: bool) -> None:
        """Shows a mask together with those that are shown, or leaves it out."""
        if on and mask not in self.numbers:
            taken = set(self.numbers.values())
            self.numbers[mask] = next(n for n in range(len(TONES) + len(taken)) if n not in taken)
        elif not on:
            self.numbers.pop(mask, None)
        self.panel.fill()
        self.legend.follow()
        self.asked.emit()

    def open(self, place) -> None:
        """Opens the panel."""
        self.panel.fill()
        self.panel.adjustSize()
        self.panel.move(place)
        self.panel.show()


class Panel(QFrame):
    """The masks of the recipe with ticks, the tint's strength, and the chosen mask alone in grey."""

    def __init__(self, masks: Masks) -> None:
        super().__init__(masks.view, Qt.WindowType.Popup)
        self.setObjectName("sheet")
        self.masks, view = masks, masks.view
        self.strength = QSlider(Qt.Orientation.Horizontal)
        self.strength.setRange(10, 100)
        self.strength.setValue(100)
        self.strength.setAccessibleName("Strength of the tint")
        self.strength.valueChanged.connect(lambda v: view.set_tint(v / 100))
        self.grey = Tick("The selected mask alone, in grey (M)")
        self.grey.clicked.connect(view.set_grey)
        self.list = QListWidget()
        self.list.setFixedWidth(250)
        self.list.itemChanged.connect(self._changed)
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 12, 14, 12)
        column.addWidget(QLabel("Strength of the tint"))
        column.addWidget(self.strength)
        column.addWidget(self.grey)
        column.addWidget(QLabel("Shown together, in colours", objectName="head"))
        column.addWidget(self.list)
        self.none = QLabel("There is no mask in the graph.", objectName="muted")
        column.addWidget(self.none)
        self._filling = False

    def fill(self) -> None:
        """Lists what there is."""
        self._filling = True
        self.list.clear()
        for node, port, words in self.masks.choices:
            item = QListWidgetItem(words)
            item.setData(Qt.ItemDataRole.UserRole, (node, port))
            number = self.masks.numbers.get((node, port))
            item.setFlags(item.flags() | Qt.ItemFlag.ItemIsUserCheckable)
            item.setCheckState(Qt.CheckState.Unchecked if number is None else Qt.CheckState.Checked)
            if number is not None:
                item.setIcon(QIcon(swatch(number)))
            self.list.addItem(item)
        self.list.setFixedHeight(min(280, 8 + 24 * max(1, len(self.masks.choices))))
        self.list.setVisible(bool(self.masks.choices))
        self.none.setVisible(not self.masks.choices)
        self._filling = False

    def _changed(self, item) -> None:
        if not self._filling:
            mask, on = tuple(item.data(Qt.ItemDataRole.UserRole)), item.checkState() == Qt.CheckState.Checked
            self.masks.tick(mask, on)


class Legend(QWidget):
    """Names, colours and hatches of the masks that are shown together; the topmost first."""

    ROW = 20

    def __init__(self, masks: Masks) -> None:
        super().__init__(masks.view)
        self.masks = masks
        self.shown = True  # whether the masks are what is shown
        self.values: list[float] = []  # under the pointer, in the order in which the masks lie on each other
        self.setAttribute(Qt.WidgetAttribute.WA_TransparentForMouseEvents)
        self.setAccessibleName("Legend of the masks")
        self.hide()

    @property
    def lines(self) -> list[str]:
        """Its lines, from above."""
        return [self.masks.words_of(mask) for mask in reversed(self.masks.ticked)]

    def follow(self, shown: bool | None = None) -> None:
        """Takes what is ticked now. shown: whether the view shows masks."""
        self.shown = self.shown if shown is None else shown
        self.setVisible(bool(self.masks.numbers) and self.shown)
        self.resize(self.sizeHint())
        self.place()
        self.update()

    def say_values(self, values: list[float]) -> None:
        """Shows the masks' values under the pointer; none when it points at no land."""
        if values != self.values:
            self.values = values
            self.update()

    def place(self) -> None:
        """Above the read-out, at the left."""
        self.move(12, self.parent().height() - 44 - self.height())

    def sizeHint(self) -> QSize:
        wide = max((len(line) for line in self.lines), default=0)
        return QSize(min(280, 84 + 7 * wide), self.ROW * len(self.lines) + 10)

    def paintEvent(self, event) -> None:
        t, p = theme(), QPainter(self)
        p.fillRect(self.rect(), t.colour("sheet", 225))
        p.setPen(QPen(t.colour("line"), 1))
        p.drawRect(self.rect().adjusted(0, 0, -1, -1))
        p.setFont(sans(9.4))
        for k, mask in enumerate(reversed(self.masks.ticked)):
            y = 5 + k * self.ROW
            p.drawPixmap(8, y + 3, swatch(self.masks.numbers[mask]))
            p.setPen(t.colour("ink"))
            text = p.fontMetrics().elidedText(self.masks.words_of(mask), Qt.TextElideMode.ElideRight, self.width() - 72)
            p.drawText(QRectF(30, y, self.width() - 66, self.ROW), int(Qt.AlignmentFlag.AlignVCenter), text)
            at = len(self.masks.numbers) - 1 - k
            if len(self.values) == len(self.masks.numbers):
                right = QRectF(self.width() - 44, y, 36, self.ROW)
                flags = int(Qt.AlignmentFlag.AlignVCenter | Qt.AlignmentFlag.AlignRight)
                p.drawText(right, flags, f"{self.values[at]:.2f}")
