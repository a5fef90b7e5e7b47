"""How cards, ports and links are drawn."""

from __future__ import annotations

from PyQt6.QtCore import QPointF, QRectF, Qt
from PyQt6.QtGui import QBrush, QColor, QFontMetrics, QPainter, QPainterPath, QPen, QPolygonF

from gelande.core.recipe.model import NodeState
from gelande.core.recipe.node import CAIRN, ENTRY, FRAME, GROUP, JUNCTION, NOTE
from gelande.core.recipe.raster import COLOUR, HEIGHT, MASK

from ..theme import BOLD, mono, sans, theme
from .layout import CARD_H

PORT = 4.6
#: Points of type on cards that are drawn small, as it stands on the screen.
BRIEF_TYPE = 8.2


#: How much of the ink is left of links that have nothing to do with the selected node, of 255.
QUIET = 120


def link_pen(kind: str, chosen: bool, quiet: bool) -> QPen:
    """Height solid, mask dashed, colour double (the second stroke is drawn by draw_link)."""
    name = "accent" if chosen else {MASK: "mask_link", COLOUR: "colour_link"}.get(kind, "height_link")
    pen = QPen(theme().colour(name, QUIET if quiet else 255))
    pen.setWidthF({COLOUR: 3.6}.get(kind, 1.6) * (1.25 if chosen else 1.0))
    pen.setCapStyle(Qt.PenCapStyle.FlatCap)
    if kind == MASK:
        pen.setDashPattern([4, 2.4])
    return pen


def route_path(points: list[tuple], radius: float = 5.0) -> QPainterPath:
    """A polyline with small round corners."""
    path = QPainterPath(QPointF(*points[0]))
    for before, here, after in zip(points, points[1:], points[2:]):

        def near(other: tuple[float, float]) -> QPointF:
            dx, dy = other[0] - here[0], other[1] - here[1]
            length = max(abs(dx) + abs(dy), 1e-6)
            r = min(radius, length / 2)
            return QPointF(here[0] + dx / length * r, here[1] + dy / length * r)

        path.lineTo(near(before))
        path.quadTo(QPointF(*here), near(after))
    path.lineTo(QPointF(*points[-1]))
    return path


def draw_link(painter: QPainter, path: QPainterPath, kind: str, chosen: bool = False, quiet: bool = False) -> None:
    """One link in the stroke of its kind."""
    painter.setBrush(Qt.BrushStyle.NoBrush)
    painter.setPen(link_pen(kind, chosen, quiet))
    painter.drawPath(path)
    if kind == COLOUR:
        painter.setPen(QPen(theme().colour("paper"), 1.2))
        painter.drawPath(path)


def draw_port(painter: QPainter, place: QPointF, kind: str, linked: bool, hot: bool = False) -> None:
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


def figure_text(state: NodeState) -> str:
    """The telling figure of a card, in its unit."""
    spec = state.spec
    if spec is None:
        return "unknown kind"
    if state.role == GROUP:
        n = len(state.face.controls)
        return f"{n} setting{'s' if n != 1 else ''}" if n else "a group"
    if not spec.figure:
        return spec.category
    texts = {p.id: p.text(state.params[p.id]) for p in spec.params}
    return spec.figure.format(**texts)


def _wrapped(metrics: QFontMetrics, text: str, width: float) -> list[str]:
    """A name on one line, or on two where it is longer; what does not fit on those is cut."""
    if metrics.horizontalAdvance(text) <= width:
        return [text]
    words, first = text.split(), ""
    while words and metrics.horizontalAdvance(f"{first} {words[0]}".strip()) <= width:
        first = f"{first} {words.pop(0)}".strip()
    if not first:
        return [metrics.elidedText(text, Qt.TextElideMode.ElideRight, int(width))]
    return [first, metrics.elidedText(" ".join(words), Qt.TextElideMode.ElideRight, int(width))]


def _draw_picture(painter: QPainter, picture: QRectF, state: NodeState, look) -> None:
    """The thumbnail of a card; hatched while it is of an older result, blank while it waits."""
    t = theme()
    if look.picture is not None and not look.waiting:
        painter.setOpacity(0.35 if state.off else 1.0)
        painter.drawImage(picture, look.picture)
        painter.setOpacity(1.0)
    else:
        painter.fillRect(picture, t.colour("track"))
    if look.stale and not look.fault and not look.waiting:
        painter.fillRect(picture, QBrush(t.colour("paper", 150), Qt.BrushStyle.BDiagPattern))


def _draw_words(painter: QPainter, text: QRectF, state: NodeState, look) -> None:
    """Name and telling figure of a card; a long name takes two lines."""
    t = theme()
    painter.setPen(t.colour("muted" if state.off or look.waiting else "ink"))
    painter.setFont(sans(9.8, BOLD))
    lines = _wrapped(painter.fontMetrics(), state.name, text.width())
    first = QRectF(text.x(), text.y(), text.width(), 15.0)
    if len(lines) == 1:
        first.translate(0, 3)
    for k, line in enumerate(lines):
        painter.drawText(first.translated(0, 13.0 * k), int(Qt.AlignmentFlag.AlignVCenter), line)
    painter.setFont(sans(8.4) if look.fault or look.waiting else mono(7.6))
    painter.setPen(t.colour("fault" if look.fault else "muted"))
    told = look.fault or look.waiting or ("off" if state.off else figure_text(state))
    told = painter.fontMetrics().elidedText(told, Qt.TextElideMode.ElideRight, int(text.width()))
    under = first.translated(0, 26.0 if len(lines) > 1 else 17.0)
    painter.drawText(under, int(Qt.AlignmentFlag.AlignVCenter), told)


def _draw_brief(painter: QPainter, text: QRectF, state, look, zoom: float) -> None:
    """Only the name of a card that is drawn small, in type that can still be read."""
    t = theme()
    painter.setPen(t.colour("fault" if look.fault else "muted" if state.off or look.waiting else "ink"))
    painter.setFont(sans(BRIEF_TYPE / zoom, BOLD))
    line = painter.font().pixelSize() * 1.04  # close, so that two lines fit
    lines = _wrapped(painter.fontMetrics(), state.name, text.width())
    if len(lines) * line > text.height():
        lines = [painter.fontMetrics().elidedText(state.name, Qt.TextElideMode.ElideRight, int(text.width()))]
    top = text.y() + (text.height() - len(lines) * line) / 2
    for k, words in enumerate(lines):
        place = QRectF(text.x(), top + k * line, text.width(), line)
        painter.drawText(place, int(Qt.AlignmentFlag.AlignVCenter), words)


def _bar(rect: QRectF) -> QRectF:
    """The line at a card's foot that tells of time and work."""
    side = min(rect.height(), CARD_H) - 2
    return QRectF(rect.x() + side + 2, rect.y() + side - 1.5, rect.width() - side - 3, 2.5)


def has_picture(state: NodeState) -> bool:
    """True when a node shows as a card with a picture, and not as a plate, a point or a note."""
    return state.role not in (ENTRY, CAIRN, JUNCTION, NOTE, FRAME)


def draw_work(painter: QPainter, rect: QRectF, sweep: float) -> None:
    """The line that runs along the foot of a card whose node is at work, over its picture. sweep: 0 to 1."""
    bar = _bar(rect)
    moved = bar.x() + bar.width() * 0.7 * sweep
    painter.fillRect(QRectF(moved, bar.y(), bar.width() * 0.3, bar.height()), theme().colour("accent"))


def draw_card(painter: QPainter, rect: QRectF, state: NodeState, look, zoom: float = 0.0) -> None:
    """One card. look: CardLook with picture, state and share of time; zoom: pixels of a unit where the card is so
    small that it shows its picture and name only."""
    t = theme()
    edge = "fault" if look.fault else ("accent" if look.chosen else ("ink" if look.selected else "line"))
    painter.setPen(
        QPen(
            t.colour(edge),
            2.0 if look.chosen or look.fault else 1.0,
            Qt.PenStyle.DashLine if look.waiting and not look.chosen else Qt.PenStyle.SolidLine,
        )
    )
    painter.setBrush(t.colour("sheet"))
    painter.drawRoundedRect(rect, 3, 3)
    head = QRectF(rect.x(), rect.y(), rect.width(), min(rect.height(), CARD_H))
    picture = QRectF(head.x() + 1, head.y() + 1, head.height() - 2, head.height() - 2)
    _draw_picture(painter, picture, state, look)
    text = QRectF(picture.right() + 7, head.y() + 3, head.right() - picture.right() - 11, head.height() - 6)
    if zoom:
        _draw_brief(painter, text.adjusted(-2, -3, 2, 3), state, look, zoom)
    else:
        _draw_words(painter, text, state, look)
    if look.fraction > 0.004 and not look.working:
        bar = _bar(rect)
        fraction = QRectF(bar.x(), bar.y(), max(2.0, bar.width() * look.fraction), bar.height())
        painter.fillRect(fraction, t.colour("muted", 130))
    if (look.held or look.baked) and not zoom:
        words = " · ".join(w for w in ("held" if look.held else "", look.baked) if w)
        draw_badge(painter, QPointF(rect.right(), rect.y()), words)
    if state.role == GROUP:  # a second edge: there is more behind the card
        painter.setPen(QPen(t.colour(edge), 1.0))
        painter.drawLine(QPointF(rect.x() + 44, rect.bottom() + 2.5), QPointF(rect.right() - 4, rect.bottom() + 2.5))
        painter.drawLine(QPointF(rect.x() + 48, rect.bottom() + 5), QPointF(rect.right() - 8, rect.bottom() + 5))


def draw_port_name(painter: QPainter, place: QPointF, name: str, room: float, output: bool) -> None:
    """The name of a port at the left side of a tall card; of what goes out further in."""
    painter.setFont(sans(6.6))
    painter.setPen(theme().colour("muted" if output else "ink"))
    name = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, int(room))
    painter.drawText(QRectF(place.x() + 9, place.y() - 6, room, 12), int(Qt.AlignmentFlag.AlignVCenter), name)


def draw_badge(painter: QPainter, corner: QPointF, text: str) -> None:
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


def draw_plate(painter: QPainter, rect: QRectF, state: NodeState, look, outputs: bool) -> None:
    """An entry, a cairn or, inside a group, the plate of its outputs: a name beside its port."""
    t = theme()
    edge = "fault" if look.fault else "accent" if look.chosen else "ink" if look.selected else "line"
    painter.setPen(QPen(t.colour(edge), 1.6 if look.chosen else 1.0))
    painter.setBrush(t.colour("sheet"))
    painter.drawRoundedRect(rect, 3, 3)
    painter.setFont(sans(9.2, BOLD) if state.role == CAIRN else sans(9.2))
    painter.setPen(t.colour("ink"))
    if outputs:
        ports = state.spec.inputs
        for k, port in enumerate(ports):
            name = f"{k + 1}  {port.label}" if len(ports) > 1 else port.label
            name = painter.fontMetrics().elidedText(name, Qt.TextElideMode.ElideRight, int(rect.width() - 18))
            place = QRectF(rect.x() + 11, rect.y() + 9 + 18 * k, rect.width() - 14, 16)
            painter.drawText(place, int(Qt.AlignmentFlag.AlignVCenter), name)
        return
    left = rect.x() + 9
    if state.role == CAIRN:
        draw_stones(painter, QPointF(rect.x() + 16, rect.bottom() - 6), t.colour("accent"))
        left = rect.x() + 28
        painter.setPen(t.colour("ink"))
    name = painter.fontMetrics().elidedText(state.name, Qt.TextElideMode.ElideRight, int(rect.right() - left - 8))
    painter.drawText(
        QRectF(left, rect.y(), rect.right() - left - 6, rect.height()), int(Qt.AlignmentFlag.AlignVCenter), name
    )


def draw_stones(painter: QPainter, foot: QPointF, ink: QColor, size: float = 1.0) -> None:
    """Three stones on one another."""
    painter.setPen(Qt.PenStyle.NoPen)
    painter.setBrush(ink)
    for k, half in enumerate((6.0, 4.4, 2.8)):
        painter.drawRoundedRect(
            QRectF(foot.x() - half * size, foot.y() - (4.6 * k + 3.6) * size, 2 * half * size, 3.8 * size), 1.6, 1.6
        )


def draw_tag(painter: QPainter, card: QRectF, names: list, lit: bool) -> None:
    """Names of the cairns that a card's inputs are linked to, on its upper edge."""
    t = theme()
    painter.setFont(sans(7.8))
    words = ", ".join(dict.fromkeys(names))
    text = painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(card.width() - 60))
    width = painter.fontMetrics().horizontalAdvance(text) + 21
    box = QRectF(card.right() - 6 - width, card.y() - 9.5, width, 13)
    painter.setPen(QPen(t.colour("accent" if lit else "line"), 1.0))
    painter.setBrush(t.colour("accent" if lit else "track"))
    painter.drawRoundedRect(box, 2, 2)
    draw_stones(painter, QPointF(box.x() + 9, box.bottom() - 1.5), t.colour("on_accent" if lit else "accent"), 0.68)
    painter.setPen(t.colour("on_accent" if lit else "ink"))
    painter.drawText(box.adjusted(17, 0, 0, 0), int(Qt.AlignmentFlag.AlignVCenter), text)


def draw_frame(painter: QPainter, box: QRectF, title: str, selected: bool) -> None:
    """A titled box behind the cards it holds."""
    t = theme()
    painter.setPen(QPen(t.colour("accent" if selected else "muted"), 1))
    painter.setBrush(t.colour("track", 90))
    painter.drawRoundedRect(box, 3, 3)
    painter.setFont(sans(8.8, BOLD))
    painter.setPen(t.colour("accent" if selected else "ink"))
    beside = QRectF(box.x() + 44, box.y() + 1, box.width() - 48, 14)  # right of the links that come in
    painter.drawText(beside, int(Qt.AlignmentFlag.AlignVCenter), title)


def draw_note(painter: QPainter, rect: QRectF, state, selected: bool) -> None:
    """A note: text on paper with a ruled edge."""
    t = theme()
    painter.setPen(QPen(t.colour("accent" if selected else "line"), 1, Qt.PenStyle.DashLine))
    painter.setBrush(t.colour("paper"))
    painter.drawRect(rect)
    painter.setPen(t.colour("ink"))
    painter.setFont(sans(8.8))
    painter.drawText(rect.adjusted(8, 5, -6, -5), int(Qt.TextFlag.TextWordWrap), state.params.get("text", ""))
