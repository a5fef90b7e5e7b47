"""How cards, ports and links are drawn."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QPainter, QPainterPath, QPen, QPolygonF

from gelande.core.raster import COLOUR, HEIGHT, MASK

from ..theme import BOLD, mono, sans, theme

PORT = 4.6


def link_pen(kind: str, chosen: bool, scale: float = 1.0) -> QPen:
    """Height solid, mask dashed, colour double (the second stroke is drawn by draw_link)."""
    t = theme()
    pen = QPen(
        t.colour("accent") if chosen else t.colour({MASK: "mask_link", COLOUR: "colour_link"}.get(kind, "height_link"))
    )
    pen.setWidthF({COLOUR: 3.6}.get(kind, 1.6) * scale)
    pen.setCapStyle(Qt.PenCapStyle.FlatCap)
    if kind == MASK:
        pen.setDashPattern([4, 2.4])
    return pen


def road_path(points, radius: float = 5.0) -> QPainterPath:
    """A polyline with small round corners."""
    path = QPainterPath(QPointF(*points[0]))
    for before, here, after in zip(points, points[1:], points[2:]):

        def near(other):
            dx, dy = other[0] - here[0], other[1] - here[1]
            length = max(abs(dx) + abs(dy), 1e-6)
            r = min(radius, length / 2)
            return QPointF(here[0] + dx / length * r, here[1] + dy / length * r)

        path.lineTo(near(before))
        path.quadTo(QPointF(*here), near(after))
    path.lineTo(QPointF(*points[-1]))
    return path


def draw_link(painter: QPainter, path: QPainterPath, kind: str, chosen: bool = False):
    """One link in the stroke of its kind."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(link_pen(kind, chosen))
    painter.drawPath(path)
    if kind == COLOUR:
        painter.setPen(QPen(theme().colour("paper"), 1.2))
        painter.drawPath(path)


def draw_port(painter: QPainter, place: QPointF, kind: str, linked: bool, hot: bool = False):
    """Height a triangle, mask a half-filled circle, colour a square; "any" a diamond."""
    t = theme()
    name = {MASK: "mask_link", COLOUR: "colour_link"}.get(kind, "height_link")
    ink = t.colour("accent") if hot else t.colour(name)
    painter.setPen(QPen(ink, 1.2))
    painter.setBrush(ink if linked and kind != MASK else t.colour("sheet"))
    r = PORT * (1.35 if hot else 1.0)
    x, y = place.x(), place.y()
    if kind == HEIGHT:
        painter.drawPolygon(QPolygonF([QPointF(x - r, y + r * 0.8), QPointF(x + r, y + r * 0.8), QPointF(x, y - r)]))
    elif kind == MASK:
        painter.drawEllipse(place, r, r)
        painter.setBrush(ink)
        painter.drawPie(QRectF(x - r, y - r, 2 * r, 2 * r), 90 * 16, 180 * 16)
    elif kind == COLOUR:
        painter.drawRect(QRectF(x - r * 0.9, y - r * 0.9, 1.8 * r, 1.8 * r))
    else:
        painter.drawPolygon(QPolygonF([QPointF(x - r, y), QPointF(x, y - r), QPointF(x + r, y), QPointF(x, y + r)]))


def figure_text(state) -> str:
    """The telling figure of a card, in its unit."""
    spec = state.spec
    if spec is None:
        return "unknown kind"
    if state.kind == "group":
        n = len(state.face.controls)
        return f"{n} setting{'s' if n != 1 else ''}" if n else "a group"
    if not spec.figure:
        return spec.category
    texts = {p.id: p.text(state.params[p.id]) for p in spec.params}
    return spec.figure.format(**texts)


def draw_card(painter: QPainter, rect: QRectF, state, look):
    """One card. look: CardLook with picture, state and share of time."""
    t = theme()
    edge = "fault" if look.fault else ("accent" if look.chosen else ("ink" if look.selected else "line"))
    painter.setPen(QPen(t.colour(edge), 2.0 if look.chosen or look.fault else 1.0))
    painter.setBrush(t.colour("sheet"))
    painter.drawRoundedRect(rect, 3, 3)
    picture = QRectF(rect.x() + 1, rect.y() + 1, rect.height() - 2, rect.height() - 2)
    if look.picture is not None:
        painter.setOpacity(0.35 if state.off else 1.0)
        painter.drawImage(picture, look.picture)
        painter.setOpacity(1.0)
    else:
        painter.fillRect(picture, t.colour("track"))
    if look.stale and not look.fault:
        painter.fillRect(picture, QBrush(t.colour("paper", 150), Qt.BrushStyle.BDiagPattern))
    text = QRectF(picture.right() + 7, rect.y() + 6, rect.right() - picture.right() - 12, 16)
    painter.setPen(t.colour("muted" if state.off else "ink"))
    painter.setFont(sans(9.8, BOLD))
    name = painter.fontMetrics().elidedText(state.name, Qt.TextElideMode.ElideRight, int(text.width()))
    painter.drawText(text, int(Qt.AlignmentFlag.AlignVCenter), name)
    painter.setFont(mono(7.6))
    painter.setPen(t.colour("fault" if look.fault else "muted"))
    line = look.fault or ("off" if state.off else figure_text(state))
    line = painter.fontMetrics().elidedText(line, Qt.TextElideMode.ElideRight, int(text.width()))
    painter.drawText(text.translated(0, 17), int(Qt.AlignmentFlag.AlignVCenter), line)
    bar = QRectF(picture.right() + 1, rect.bottom() - 4, (rect.right() - picture.right() - 2), 3)
    if look.working:
        painter.fillRect(
            QRectF(bar.x() + bar.width() * 0.7 * look.sweep, bar.y(), bar.width() * 0.3, 3), t.colour("accent")
        )
    elif look.share > 0.004:
        painter.fillRect(QRectF(bar.x(), bar.y(), max(2.0, bar.width() * look.share), 3), t.colour("muted", 130))
    if look.held or look.baked:
        draw_badge(
            painter,
            QPointF(rect.right(), rect.y()),
            " · ".join(w for w in ("held" if look.held else "", look.baked) if w),
        )
    if state.kind == "group":  # a second edge: there is more behind the card
        painter.setPen(QPen(t.colour(edge), 1.0))
        painter.drawLine(QPointF(rect.x() + 4, rect.bottom() + 2.5), QPointF(rect.right() - 4, rect.bottom() + 2.5))
        painter.drawLine(QPointF(rect.x() + 8, rect.bottom() + 5), QPointF(rect.right() - 8, rect.bottom() + 5))


def draw_badge(painter: QPainter, corner: QPointF, text: str):
    """A small word above the right corner of a card."""
    t = theme()
    painter.setFont(sans(8))
    width = painter.fontMetrics().horizontalAdvance(text) + 10
    box = QRectF(corner.x() - width, corner.y() - 13, width, 13)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(t.colour("accent"))
    painter.drawRoundedRect(box, 2, 2)
    painter.setPen(t.colour("on_accent"))
    painter.drawText(box, int(Qt.AlignmentFlag.AlignCenter), text)


def draw_plate(painter: QPainter, rect: QRectF, state, look, outputs: bool):
    """An entry, a cairn or, inside a group, the plate of its outputs: a name beside its port."""
    t = theme()
    edge = "fault" if look.fault else "accent" if look.chosen else "ink" if look.selected else "line"
    painter.setPen(QPen(t.colour(edge), 1.6 if look.chosen else 1.0))
    painter.setBrush(t.colour("sheet"))
    painter.drawRoundedRect(rect, 3, 3)
    painter.setFont(sans(9.2, BOLD) if state.kind == "cairn" else sans(9.2))
    painter.setPen(t.colour("ink"))
    if outputs:
        for k, port in enumerate(state.spec.inputs):
            y = rect.y() + rect.height() * (k + 1) / (len(state.spec.inputs) + 1)
            name = painter.fontMetrics().elidedText(port.label, Qt.TextElideMode.ElideRight, int(rect.width() - 18))
            painter.drawText(
                QRectF(rect.x() + 11, y - 8, rect.width() - 14, 16), int(Qt.AlignmentFlag.AlignVCenter), name
            )
        return
    left = rect.x() + 9
    if state.kind == "cairn":
        draw_stones(painter, QPointF(rect.x() + 16, rect.bottom() - 6), t.colour("accent"))
        left = rect.x() + 28
        painter.setPen(t.colour("ink"))
    name = painter.fontMetrics().elidedText(state.name, Qt.TextElideMode.ElideRight, int(rect.right() - left - 8))
    painter.drawText(
        QRectF(left, rect.y(), rect.right() - left - 6, rect.height()), int(Qt.AlignmentFlag.AlignVCenter), name
    )


def draw_stones(painter: QPainter, foot: QPointF, ink, size: float = 1.0):
    """Three stones on one another."""
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(ink)
    for k, half in enumerate((6.0, 4.4, 2.8)):
        painter.drawRoundedRect(
            QRectF(foot.x() - half * size, foot.y() - (4.6 * k + 3.6) * size, 2 * half * size, 3.8 * size), 1.6, 1.6
        )


def draw_tag(painter: QPainter, card: QRectF, names: list, lit: bool):
    """Names of the cairns that a card's inputs are linked to, under the card."""
    t = theme()
    painter.setFont(sans(7.8))
    text = painter.fontMetrics().elidedText(
        ", ".join(dict.fromkeys(names)), Qt.TextElideMode.ElideRight, int(card.width())
    )
    box = QRectF(card.x(), card.bottom() + 1, painter.fontMetrics().horizontalAdvance(text) + 20, 13)
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(t.colour("accent" if lit else "track"))
    painter.drawRoundedRect(box, 2, 2)
    draw_stones(painter, QPointF(box.x() + 8, box.bottom() - 1), t.colour("on_accent" if lit else "accent"), 0.72)
    painter.setPen(t.colour("on_accent" if lit else "ink"))
    painter.drawText(box.adjusted(16, 0, 0, 0), int(Qt.AlignmentFlag.AlignVCenter), text)


def draw_frame(painter: QPainter, box: QRectF, title: str, selected: bool):
    """A titled box behind the cards it holds."""
    t = theme()
    painter.setPen(QPen(t.colour("accent" if selected else "muted"), 1))
    painter.setBrush(t.colour("track", 90))
    painter.drawRoundedRect(box, 3, 3)
    painter.setFont(sans(8.8, BOLD))
    painter.setPen(t.colour("accent" if selected else "ink"))
    painter.drawText(QRectF(box.x() + 7, box.y() + 1, box.width() - 12, 14), int(Qt.AlignmentFlag.AlignVCenter), title)


def draw_note(painter: QPainter, rect: QRectF, state, selected: bool):
    """A note: text on paper with a ruled edge."""
    t = theme()
    painter.setPen(QPen(t.colour("accent" if selected else "line"), 1, Qt.PenStyle.DashLine))
    painter.setBrush(t.colour("paper"))
    painter.drawRect(rect)
    painter.setPen(t.colour("ink"))
    painter.setFont(sans(8.8))
    painter.drawText(rect.adjusted(8, 5, -6, -5), int(Qt.TextFlag.TextWordWrap), state.params.get("text", ""))
