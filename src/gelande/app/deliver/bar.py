"""The last column of the deliverables' table: how far each is."""

from __future__ import annotations

from PyQt6.QtCore import QModelIndex, QRectF, Qt
from PyQt6.QtGui import QPainter
from PyQt6.QtWidgets import QStyle, QStyledItemDelegate, QStyleOptionViewItem

from gelande.deliver import build as B

from ..theme import theme


class BarDelegate(QStyledItemDelegate):
    """Draws a progress bar and a few words in the last column."""

    def paint(self, painter: QPainter, option: QStyleOptionViewItem, index: QModelIndex) -> None:
        item = index.data(Qt.ItemDataRole.UserRole)
        t, r = theme(), QRectF(option.rect).adjusted(8, 0, -8, 0)
        painter.save()
        if option.state & QStyle.StateFlag.State_Selected:
            painter.fillRect(option.rect, t.colour("track"))
        painter.setPen(t.colour("line"))
        painter.drawLine(option.rect.bottomLeft(), option.rect.bottomRight())
        bar = QRectF(r.x(), r.center().y() - 3, min(170.0, r.width() * 0.45), 6)
        painter.setPen(Qt.PenStyle.NoPen)
        chosen = bool(option.state & QStyle.StateFlag.State_Selected)
        painter.setBrush(t.colour("paper" if chosen else "track"))  # which is the row's own colour then
        painter.drawRoundedRect(bar, 3, 3)
        state, fraction, note = item or (B.WAITING, 0.0, "")
        if fraction > 0:
            painter.setBrush(t.colour("moss" if state == B.DONE else "accent"))
            painter.drawRoundedRect(QRectF(bar.x(), bar.y(), bar.width() * fraction, 6), 3, 3)
        painter.setPen(t.colour("fault" if state == B.FAILED else "muted"))
        words = f"{note}" if state in (B.FAILED, B.WORKING) and note else state
        box = QRectF(bar.right() + 12, r.y(), r.right() - bar.right() - 12, r.height())
        painter.drawText(
            box,
            int(Qt.AlignmentFlag.AlignVCenter),
            painter.fontMetrics().elidedText(words, Qt.TextElideMode.ElideRight, int(box.width())),
        )
        painter.restore()
