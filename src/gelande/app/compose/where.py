"""Where: restricting a node to heights, slopes, a side of the land or a mask, with limits over a histogram."""

from __future__ import annotations

import numpy as np
from PyQt6.QtCore import QPointF, Qt, pyqtSignal
from PyQt6.QtGui import QMouseEvent, QPainter, QPaintEvent, QPen, QPolygonF
from PyQt6.QtWidgets import QButtonGroup, QHBoxLayout, QLabel, QPushButton, QVBoxLayout, QWidget

from gelande.app.engine import Bench
from gelande.core.files import numerals
from gelande.core.recipe.model import NodeState
from gelande.core.recipe.node import WHERE_ALL, WHERE_FACING, WHERE_HEIGHT, WHERE_MASK, WHERE_SLOPE

from ..editors import Row, make_row
from ..ghost import GhostLine
from ..switches import Switch, Tick
from ..theme import mono, theme

BANDS = {
    WHERE_HEIGHT: ("where_low", "where_high", "where_falloff"),
    WHERE_SLOPE: ("where_slope_low", "where_slope_high", "where_slope_falloff"),
}


#: Settings of Where that are set by rows of their own.
ROWS = {
    WHERE_SLOPE: ("where_slope_over",),
    WHERE_FACING: ("where_facing", "where_facing_width", "where_facing_falloff"),
}


class BandPlot(QWidget):
    """A histogram with a band: drag the upper handles to set the limits, the feet to set the falloff."""

    edited = pyqtSignal(dict)
    held = pyqtSignal(bool)

    def __init__(self, parent=None) -> None:
        super().__init__(parent)
        self.setMinimumHeight(70)
        self.setFocusPolicy(Qt.FocusPolicy.StrongFocus)
        self.setAccessibleName("Range with falloff")
        self.low = self.high = self.falloff = 0.0
        self.counts, self.span, self.unit = None, (0.0, 1.0), "m"
        self._held, self._mark = None, 0
        self.figures = GhostLine(self, "Range: from; to; falloff", self._figures, self._take_figures)

    def _figures(self) -> str:
        """The band as text: "190 m; 1200 m; 60 m"."""
        unit = "°" if self.unit == "°" else " m"
        return "; ".join(f"{v:g}{unit}" for v in (self.low, self.high, self.falloff))

    def _take_figures(self, text: str) -> None:
        """Sets the band from such a text. Raises ValueError."""
        low, high, falloff = (numerals.read(word.strip().removesuffix(self.unit)) for word in text.split(";"))
        if not low <= high or falloff < 0:
            raise ValueError("the limits must be in order")
        if (low, high, falloff) != (self.low, self.high, self.falloff):
            self.low, self.high, self.falloff = low, high, falloff
            self.update()
            self.edited.emit({"low": low, "high": high, "falloff": falloff})

    def show_band(
        self, low: float, high: float, falloff: float, histogram: tuple[float, float, np.ndarray], unit: str
    ) -> None:
        self.low, self.high, self.falloff, self.unit = low, high, falloff, unit
        if histogram:
            a, b, self.counts = histogram
        else:
            a, b, self.counts = (0.0, 90.0, None) if unit == "°" else (min(low, 0.0), max(high, 1.0), None)
        if self._held is None:
            room = 0.08 * (b - a)
            self.span = (a - room, b + room) if unit == "m" else (a, b)
        self.figures.show_text()
        self.update()

    def _x(self, value: float) -> float:
        a, b = self.span
        return 6 + (self.width() - 12) * min(1.0, max(0.0, (value - a) / max(b - a, 1e-9)))

    def _value(self, x: float) -> float:
        a, b = self.span
        return a + (b - a) * (x - 6) / max(1, self.width() - 12)

    def handles(self) -> list[QPointF]:
        """Places of: low limit, high limit, low foot, high foot."""
        top, foot = 8.0, self.height() - 18.0
        return [
            QPointF(self._x(self.low), top),
            QPointF(self._x(self.high), top),
            QPointF(self._x(self.low - self.falloff), foot),
            QPointF(self._x(self.high + self.falloff), foot),
        ]

    def paintEvent(self, event: QPaintEvent) -> None:
        t, p = theme(), QPainter(self)
        p.setRenderHint(QPainter.RenderHint.Antialiasing)
        foot = self.height() - 18.0
        if self.counts is not None:
            a, b = self.span
            full = self.unit == "m"
            lo, hi = (a + 0.08 / 1.16 * (b - a), b - 0.08 / 1.16 * (b - a)) if full else (a, b)
            n = len(self.counts)
            line = [
                QPointF(self._x(lo + (hi - lo) * (k + 0.5) / n), foot - (foot - 10) * float(c) ** 0.6)
                for k, c in enumerate(self.counts)
            ]
            p.setPen(Qt.PenStyle.NoPen)
            p.setBrush(t.colour("line"))
            p.drawPolygon(QPolygonF([QPointF(line[0].x(), foot), *line, QPointF(line[-1].x(), foot)]))
        spots = self.handles()
        p.setPen(QPen(t.colour("accent"), 1.4))
        p.setBrush(t.colour("accent", 40))
        p.drawPolygon(QPolygonF([spots[2], spots[0], spots[1], spots[3]]))
        p.setBrush(t.colour("accent"))
        for k, spot in enumerate(spots):
            r = 4.0 if k < 2 else 3.0
            if self.hasFocus() and k == self._mark:
                r += 1.5
            p.drawEllipse(spot, r, r)
        p.setFont(mono(8))
        p.setPen(t.colour("ink"))
        unit = "°" if self.unit == "°" else " m"
        low, high = f"{self.low:.0f}{unit}", f"{self.high:.0f}{unit}"
        width = p.fontMetrics().horizontalAdvance(low)
        x = min(max(0.0, spots[0].x() - width / 2), self.width() - 2 * width - 8)
        p.drawText(QPointF(x, self.height() - 4), low)
        other = p.fontMetrics().horizontalAdvance(high)
        p.drawText(
            QPointF(min(max(x + width + 8, spots[1].x() - other / 2), self.width() - other), self.height() - 4), high
        )

    def mousePressEvent(self, event: QMouseEvent) -> None:
        away = [
            (abs(s.x() - event.position().x()) + abs(s.y() - event.position().y()), k)
            for k, s in enumerate(self.handles())
        ]
        if min(away)[0] < 16:
            self._held = self._mark = min(away)[1]
            self.held.emit(True)

    def mouseMoveEvent(self, event: QMouseEvent) -> None:
        if self._held is not None:
            self._put(self._held, self._value(event.position().x()))

    def mouseReleaseEvent(self, event: QMouseEvent) -> None:
        self._held = None
        self.held.emit(False)

    def keyPressEvent(self, event) -> None:
        step = {Qt.Key.Key_Left: -0.01, Qt.Key.Key_Right: 0.01}.get(event.key())
        if event.key() in (Qt.Key.Key_Up, Qt.Key.Key_Down):
            self._mark = (self._mark + (1 if event.key() == Qt.Key.Key_Up else 3)) % 4
            self.update()
        elif step:
            place = (self.low, self.high, self.low - self.falloff, self.high + self.falloff)[self._mark]
            self._put(self._mark, place + step * (self.span[1] - self.span[0]))
        else:
            super().keyPressEvent(event)

    def _put(self, handle: int, value: float) -> None:
        digits = 0 if self.unit == "m" and self.span[1] - self.span[0] > 100 else 1
        value = round(value, digits)
        if self.unit == "°":
            value = min(90.0, max(0.0, value)) if handle < 2 else value
        if handle == 0:
            self.low = min(value, self.high)
        elif handle == 1:
            self.high = max(value, self.low)
        elif handle == 2:
            self.falloff = max(0.0, self.low - value)
        else:
            self.falloff = max(0.0, value - self.high)
        if self.unit == "°":
            self.falloff = min(90.0, self.falloff)
        self.figures.show_text()
        self.update()
        self.edited.emit({"low": self.low, "high": self.high, "falloff": self.falloff})


class WherePanel(QWidget):
    """The right part of the bench. ``edited`` carries (parameter id, value), ``held`` whether a limit is dragged;
    ``judge_asked``: how natural the result looks."""

    edited = pyqtSignal(str, object)
    held = pyqtSignal(bool)
    judge_asked = pyqtSignal()

    def __init__(self, parent=None) -> None:
        super().__init__(parent)
        self.setObjectName("sheet")
        self.state, self.site_hectares = None, 0.0
        self.buttons, self.group = {}, QButtonGroup(self)
        self.head = QHBoxLayout()
        self.head.setSpacing(4)
        self.title = QLabel("Where", objectName="head")
        self.head.addWidget(self.title)
        for word in (WHERE_ALL, WHERE_HEIGHT, WHERE_SLOPE, WHERE_FACING, WHERE_MASK):
            button = Switch(word.capitalize())
            button.setStyleSheet("padding: 2px 6px;")
            button.clicked.connect(lambda _=False, w=word: self.edited.emit("where", w))
            self.buttons[word] = button
            self.group.addButton(button)
            self.head.addWidget(button)
        self.head.addStretch(1)
        self.plot, self.hint = BandPlot(), QLabel(objectName="muted")
        self.hint.setWordWrap(True)
        self.plot.edited.connect(self._band)
        self.plot.held.connect(self.held)
        layout = QVBoxLayout(self)
        layout.setContentsMargins(12, 8, 12, 6)
        layout.setSpacing(4)
        layout.addLayout(self.head)
        layout.addWidget(self.plot, 1)
        self.rows: dict[str, Row] = {}
        self.sides = QVBoxLayout()
        layout.addLayout(self.sides)
        layout.addWidget(self.hint)
        self.invert = Tick("Everywhere but there")
        self.invert.clicked.connect(lambda on: self.edited.emit("where_invert", on))
        layout.addWidget(self.invert)
        self.natural = QPushButton("How natural")
        self.natural.setToolTip("Figures of this land at 513 samples beside those of real land")
        self.natural.setStyleSheet("padding: 2px 7px;")
        self.natural.clicked.connect(self.judge_asked)
        layout.addWidget(self.natural, 0, Qt.AlignmentFlag.AlignLeft)
        layout.addStretch(0)

    def show_node(self, state: NodeState | None, figures: Bench | None) -> None:
        """Shows a node's restriction; figures: what the engine measured (Bench) or None."""
        self.state = state
        params = state.params if state is not None and state.spec else {}
        where = params.get("where")
        self.setVisible(state is not None)
        for word, button in self.buttons.items():
            fits = where is not None and word in state.spec.param("where").choices
            button.setVisible(fits)
            button.setChecked(word == where)
        self.title.setText("Where" if where is not None else "Result")
        band = BANDS.get(where)
        self.plot.setVisible(band is not None)
        if band:
            histogram = None if figures is None else (figures.heights if where == WHERE_HEIGHT else figures.slopes)
            self.plot.show_band(*(params[b] for b in band), histogram, "m" if where == WHERE_HEIGHT else "°")
        self._show_rows(params, ROWS.get(where, ()))
        self.hint.setVisible(band is None and where not in ROWS)
        self.invert.setVisible(where not in (None, WHERE_ALL))
        self.invert.setChecked(bool(params.get("where_invert")))
        main = state.spec.main if state is not None and state.spec else None
        self.natural.setVisible(main is not None and main.kind == "height")
        self.hint.setText(self._words(state, where, figures))

    def _show_rows(self, params: dict, names: tuple[str, ...]) -> None:
        """Rows for these settings."""
        for name in names:
            if name not in self.rows:
                param = self.state.spec.param(name)
                row = self.rows[name] = make_row(param, params[name], publishable=False)
                row.edited.connect(self.edited)
                self.sides.addWidget(row)
            elif self.rows[name].value != params[name]:
                self.rows[name].set_value(params[name])
        for name, row in self.rows.items():
            row.setVisible(name in names)

    def _words(self, state: NodeState | None, where: str | None, figures: Bench | None) -> str:
        if state is None:
            return ""
        spec, text = state.spec, ""
        if where == WHERE_ALL:
            text = "The node works everywhere. "
        elif where == WHERE_MASK:
            text = "The linked mask says where. " if "mask" in state.inputs else "Link a mask to the node's mask port. "
        if figures is not None and spec and spec.main and figures.kind != "colour":
            unit = {"height": " m", "mask": ""}.get(figures.kind, "")
            digits = 0 if unit else 2
            if figures.fraction is not None:
                hectares = figures.fraction * self.site_hectares
                shown = f"{hectares:,.{1 if hectares < 100 else 0}f}".replace(",", " ")
                text += f"White: {figures.fraction * 100:.1f} % of the site, {shown} ha. "
            text += f"Result from {figures.low:.{digits}f}{unit} to {figures.high:.{digits}f}{unit}."
            text += f" {figures.mass}" if figures.mass else ""
        return text

    def _band(self, values: dict) -> None:
        where = self.state.params["where"]
        for name, param in zip(("low", "high", "falloff"), BANDS[where]):
            if values[name] != self.state.params[param]:
                self.edited.emit(param, values[name])
