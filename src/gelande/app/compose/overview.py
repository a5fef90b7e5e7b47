"""A strip beside the graph that shows all of it small, and where the pane stands on it."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen
from PyQt6.QtWidgets import QWidget

from ..theme import theme

WIDTH, EDGE = 26, 3


class Overview(QWidget):
    """Lies over the right edge of a Canvas while its graph is larger than the pane; a press or a drag goes there."""

    def __init__(self, canvas) -> None:
        super().__init__(canvas)
        self.canvas = canvas
        self.setCursor(Qt.CursorShape.PointingHandCursor)
        self.setAccessibleName("Overview of the graph")
        self.hide()

    @property
    def room(self) -> float:
        """Pixels of the pane that it takes."""
        return float(WIDTH) if not self.isHidden() else 0.0

    def fit_in(self) -> None:
        """Shows itself when the graph does not fit into the pane, and takes its place."""
        canvas, size = self.canvas, self.canvas.sheet.rects.size
        larger = size[1] * canvas.zoom > canvas.height() + 2 or size[0] * canvas.zoom > canvas.width() + 2
        self.setVisible(larger and bool(canvas.recipe.nodes))
        self.setGeometry(canvas.width() - WIDTH, int(canvas.head), WIDTH, canvas.height() - int(canvas.head))
        self.update()

    def scales(self) -> tuple[float, float]:
        """Pixels of the strip for a unit of the sheet, across and down."""
        w, h = self.canvas.sheet.rects.size
        return (WIDTH - 2 * EDGE) / max(w, 1.0), min((self.height() - 2 * EDGE) / max(h, 1.0), 0.11)

    def paintEvent(self, event: QPaintEvent) -> None:
        t, p, canvas = theme(), QPainter(self), self.canvas
        p.fillRect(self.rect(), t.colour("sheet"))
        p.setPen(QPen(t.colour("line"), 1))
        p.drawLine(0, 0, 0, self.height())
        across, down = self.scales()
        p.setPen(Qt.PenStyle.NoPen)
        for node_id, (x, y, w, h) in canvas.sheet.rects.cards.items():
            look = canvas.looks.get(node_id)
            name = "accent" if node_id == canvas.chosen else "fault" if look and look.fault else "muted"
            box = QRectF(EDGE + x * across, EDGE + y * down, max(3.0, w * across), max(1.5, h * down))
            p.fillRect(box, t.colour(name, 255 if name != "muted" else 130))
        lens = canvas.sheet.lens
        pane = QRectF(
            EDGE + lens.x * across,
            EDGE + lens.y * down,
            canvas.width() / lens.zoom * across,
            canvas.height() / lens.zoom * down,
        )
        p.setPen(QPen(t.colour("ink"), 1))
        p.setBrush(t.colour("ink", 22))
        p.drawRect(pane.intersected(QRectF(self.rect()).adjusted(1, 1, -2, -2)))

    def mousePressEvent(self, event: QMouseEvent) -> None:
        self._go(event.position())

    def mouseMoveEvent(self, event) -> None:
        if event.buttons():
            self._go(event.position())

    def _go(self, place: QPointF) -> None:
        """Shows the part of the sheet that was pressed, in the middle of the pane."""
        canvas, (across, down) = self.canvas, self.scales()
        lens = canvas.sheet.lens
        lens.x = (place.x() - EDGE) / across - canvas.width() / lens.zoom / 2
        lens.y = (place.y() - EDGE) / down - canvas.height() / lens.zoom / 2
        canvas.lens_moved()
