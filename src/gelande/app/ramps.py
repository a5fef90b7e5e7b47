"""The sheet of ramps: strips of our own colours by group, with a search; ramps from files and into files."""

from __future__ import annotations

from pathlib import Path

import numpy as np
from PyQt6.QtCore import QPointF, QRectF, QSize, Qt, pyqtSignal
from PyQt6.QtGui import QColor, QImage, QLinearGradient, QPainter, QPen, QPixmap
from PyQt6.QtWidgets import (
    QDialog,
    QFileDialog,
    QFrame,
    QHBoxLayout,
    QLabel,
    QLineEdit,
    QListWidget,
    QListWidgetItem,
    QPushButton,
    QStyledItemDelegate,
    QVBoxLayout,
    QWidget,
)

from gelande.core.recipe import rampfile
from gelande.core.recipe.ramps import find, ramp_along

from .theme import sans, theme

RAMP = Qt.ItemDataRole.UserRole
FILES = "Ramps (*.ggr *.gpl *.cpt)"
PICTURES = "Pictures (*.png *.jpg *.jpeg *.tif *.tiff)"


def paint_strip(painter: QPainter, area: QRectF, stops: tuple) -> None:
    """A ramp as a strip."""
    shade = QLinearGradient(area.topLeft(), area.topRight())
    for x, r, g, b in stops:
        shade.setColorAt(x, QColor.fromRgbF(r, g, b))
    painter.fillRect(area, shade)


class Strips(QStyledItemDelegate):
    """A strip, its name and its group in one line."""

    def paint(self, painter, option, index) -> None:
        ramp, t = index.data(RAMP), theme()
        painter.save()
        chosen = bool(option.state & option.state.State_Selected)
        if chosen:
            painter.fillRect(option.rect, t.colour("accent", 40))
        area = QRectF(option.rect).adjusted(6, 4, 0, -4)
        area.setWidth(170)
        paint_strip(painter, area, ramp.stops)
        painter.setPen(QPen(t.colour("line"), 1))
        painter.drawRect(area)
        painter.setPen(t.colour("ink"))
        painter.setFont(sans(9.6))
        words = QRectF(area.right() + 10, option.rect.top(), 150, option.rect.height())
        painter.drawText(words, int(Qt.AlignmentFlag.AlignVCenter), ramp.name)
        painter.setPen(t.colour("muted"))
        group = QRectF(words.right(), option.rect.top(), 130, option.rect.height())
        painter.drawText(group, int(Qt.AlignmentFlag.AlignVCenter), ramp.group)
        painter.restore()

    def sizeHint(self, option, index):
        return QSize(470, 28)


class PictureLine(QDialog):
    """A picture across which a line is dragged; ``chosen`` carries the ramp along it."""

    chosen = pyqtSignal(object)

    def __init__(self, parent: QWidget, image: QImage) -> None:
        super().__init__(parent)
        self.setWindowTitle("A ramp from a picture")
        self.image = image.convertToFormat(QImage.Format.Format_RGB888)
        fitted = QPixmap.fromImage(image).scaled(
            520, 400, Qt.AspectRatioMode.KeepAspectRatio, Qt.TransformationMode.SmoothTransformation
        )
        self.canvas = LineCanvas(fitted, self._drawn)
        self.strip = Strip()
        self.take = QPushButton("Take this ramp", objectName="primary")
        self.take.setEnabled(False)
        self.take.clicked.connect(self._take)
        column = QVBoxLayout(self)
        column.addWidget(QLabel("Drag a line across the picture."))
        for part in (self.canvas, self.strip, self.take):
            column.addWidget(part)

    def _drawn(self, first: tuple[float, float], last: tuple[float, float]) -> None:
        """Follows the line; its ends are shares of the picture's width and height."""
        image, count = self.image, 128
        w, h = image.width(), image.height()
        found = []
        for k in range(count):
            x, y = (a + (b - a) * k / (count - 1) for a, b in zip(first, last))
            tone = image.pixelColor(min(w - 1, max(0, int(x * w))), min(h - 1, max(0, int(y * h))))
            found.append((tone.redF(), tone.greenF(), tone.blueF()))
        self.strip.show_ramp(ramp_along(np.array(found)))
        self.take.setEnabled(True)

    def _take(self) -> None:
        self.accept()
        self.chosen.emit(self.strip.stops)


class Strip(QWidget):
    """A ramp as a strip with its number of stops."""

    def __init__(self) -> None:
        super().__init__()
        self.setFixedHeight(24)
        self.stops: tuple = ()

    def show_ramp(self, stops) -> None:
        self.stops = stops
        self.setToolTip(f"{len(stops)} stops")
        self.update()

    def paintEvent(self, event) -> None:
        if self.stops:
            paint_strip(QPainter(self), QRectF(self.rect()), self.stops)


class LineCanvas(QWidget):
    """A picture and the line on it. told(first, last) gets its ends as shares of width and height."""

    def __init__(self, picture: QPixmap, told) -> None:
        super().__init__()
        self.picture, self.told = picture, told
        self.line: list[QPointF] = []
        self.setFixedSize(picture.size())

    def mousePressEvent(self, event) -> None:
        self.line = [event.position(), event.position()]
        self.update()

    def mouseMoveEvent(self, event) -> None:
        if self.line:
            self.line[1] = event.position()
            self.update()

    def mouseReleaseEvent(self, event) -> None:
        if self.line and (self.line[0] - self.line[1]).manhattanLength() > 4:
            w, h = self.width(), self.height()
            self.told(*((p.x() / w, p.y() / h) for p in self.line))

    def paintEvent(self, event) -> None:
        p = QPainter(self)
        p.drawPixmap(0, 0, self.picture)
        if self.line:
            p.setRenderHint(QPainter.RenderHint.Antialiasing)
            for pen in (QPen(theme().colour("sheet", 220), 4), QPen(theme().colour("accent"), 2)):
                p.setPen(pen)
                p.drawLine(*self.line)


class RampSheet(QFrame):
    """Chooses a ramp. ``chosen`` carries its stops."""

    chosen = pyqtSignal(object)
    refused = pyqtSignal(str)

    def __init__(self, parent: QWidget, stops, name: str) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("sheet")
        self.stops, self.name = stops, name
        self.line, self.list = QLineEdit(), QListWidget()
        self.line.setPlaceholderText("Search: moss, snow, granite …")
        self.line.setAccessibleName("Search ramps")
        self.line.textChanged.connect(self.fill)
        self.line.returnPressed.connect(self.take)
        self.list.setItemDelegate(Strips(self.list))
        self.list.setFixedSize(500, 380)
        self.list.itemClicked.connect(lambda item: self.take())
        self.list.itemActivated.connect(lambda item: self.take())
        self.count = QLabel(objectName="muted")
        foot = QHBoxLayout()
        for words, run in (
            ("From a file…", self.open_file),
            ("From a picture…", self.open_picture),
            ("Into a file…", self.save_file),
            ("Reverse", self.reverse),
        ):
            button = QPushButton(words)
            button.clicked.connect(run)
            foot.addWidget(button)
        foot.addStretch(1)
        foot.addWidget(self.count)
        column = QVBoxLayout(self)
        column.setContentsMargins(12, 12, 12, 12)
        for part in (self.line, self.list):
            column.addWidget(part)
        column.addLayout(foot)
        self.fill("")

    def fill(self, words: str) -> None:
        """Lists what a search finds."""
        self.list.clear()
        for ramp in find(words):
            item = QListWidgetItem()
            item.setData(RAMP, ramp)
            item.setToolTip(f"{ramp.group}: {ramp.name}")
            self.list.addItem(item)
        self.list.setCurrentRow(0)
        self.count.setText(f"{self.list.count()} ramps" if self.list.count() != 1 else "1 ramp")

    def keyPressEvent(self, event) -> None:
        if event.key() in (Qt.Key.Key_Down, Qt.Key.Key_Up):
            step = 1 if event.key() == Qt.Key.Key_Down else -1
            self.list.setCurrentRow(min(max(0, self.list.currentRow() + step), self.list.count() - 1))
        else:
            super().keyPressEvent(event)

    def open_at(self, place) -> None:
        self.adjustSize()
        self.move(place)
        self.show()
        self.line.setFocus()

    def take(self) -> None:
        """Takes the ramp that stands out."""
        item = self.list.currentItem()
        if item is not None:
            self.close()
            self.chosen.emit(item.data(RAMP).stops)

    def reverse(self) -> None:
        """The present ramp the other way round."""
        self.stops = tuple((1 - x, *tone) for x, *tone in reversed(self.stops))
        self.close()
        self.chosen.emit(self.stops)

    def open_file(self) -> None:
        """A ramp from a file."""
        name, _ = QFileDialog.getOpenFileName(self, "Open a ramp", "", FILES)
        if not name:
            return
        self.close()
        try:
            self.chosen.emit(rampfile.read(Path(name)))
        except rampfile.RampFileError as error:
            self.refused.emit(str(error))

    def open_picture(self) -> None:
        """A ramp along a line that is drawn across a picture."""
        name, _ = QFileDialog.getOpenFileName(self, "Open a picture", "", PICTURES)
        if not name:
            return
        image = QImage(name)
        self.close()
        if image.isNull():
            self.refused.emit(f"{Path(name).name} cannot be read as a picture; it may be damaged or of another format.")
            return
        self.picture = PictureLine(self.parent(), image)
        self.picture.chosen.connect(self.chosen)
        self.picture.show()

    def save_file(self) -> None:
        """The present ramp into a file."""
        name, _ = QFileDialog.getSaveFileName(self, "Save the ramp", f"{self.name}.ggr", FILES)
        if not name:
            return
        self.close()
        try:
            rampfile.write(Path(name), self.stops, Path(name).stem)
        except (rampfile.RampFileError, OSError) as error:
            self.refused.emit(str(error))
