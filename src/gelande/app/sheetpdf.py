"""The import sheet as a PDF of pages of A4."""

from __future__ import annotations

import os
from pathlib import Path

from PyQt6.QtCore import QMarginsF, QRectF, QSizeF, Qt
from PyQt6.QtGui import (
    QGuiApplication,
    QPageLayout,
    QPageSize,
    QPainter,
    QPdfWriter,
    QTextBlockFormat,
    QTextCursor,
    QTextDocument,
    QTextFormat,
)
from PyQt6.QtWidgets import QApplication

from gelande.core.files.disk import write_whole

#: Margins of a page and what is left for its number, millimetres; dots an inch that texts are laid out with.
MARGIN, FOOT, DOTS = 14.0, 7.0, 96
FOOTED = Qt.AlignmentFlag.AlignRight | Qt.AlignmentFlag.AlignBottom


def write_pdf(sheet: Path) -> Path:
    """Writes the PDF beside a sheet and returns where. Raises OSError."""
    if QGuiApplication.instance() is None:  # on the command line there is no window
        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
        write_pdf.app = QApplication([])
    document = QTextDocument()
    document.setHtml(sheet.read_text(encoding="utf-8"))
    a4 = QPageSize(QPageSize.PageSizeId.A4).size(QPageSize.Unit.Millimeter)
    wide, tall = ((side - 2 * MARGIN) / 25.4 * DOTS for side in (a4.width(), a4.height() - FOOT))
    document.setPageSize(QSizeF(wide, tall))
    _keep_together(document, tall)

    def write(path: Path) -> None:
        writer = QPdfWriter(str(path))
        writer.setTitle(document.metaInformation(QTextDocument.MetaInformation.DocumentTitle))
        writer.setCreator("Gelande")
        writer.setPageSize(QPageSize(QPageSize.PageSizeId.A4))
        writer.setPageMargins(QMarginsF(MARGIN, MARGIN, MARGIN, MARGIN), QPageLayout.Unit.Millimeter)
        painter, count, font = QPainter(writer), document.pageCount(), document.defaultFont()
        font.setPixelSize(9)
        for k in range(count):
            if k:
                writer.newPage()
            painter.save()
            painter.scale(writer.resolution() / DOTS, writer.resolution() / DOTS)
            painter.setFont(font)
            painter.drawText(QRectF(0, tall, wide, FOOT / 25.4 * DOTS), FOOTED, f"{k + 1} of {count}")
            painter.translate(0, -k * tall)
            document.drawContents(painter, QRectF(0, k * tall, wide, tall))
            painter.restore()
        painter.end()

    target = sheet.with_suffix(".pdf")
    write_whole(target, write)
    return target


def _keep_together(document: QTextDocument, tall: float) -> None:
    """Begins a new page before a heading whose table would go over the end of one. tall: of a page."""
    layout, cursor = document.documentLayout(), QTextCursor(document)
    assert layout is not None
    for frame in document.rootFrame().childFrames():
        place = layout.frameBoundingRect(frame)
        block = document.findBlock(frame.firstPosition() - 1)
        heading = block if block.blockFormat().headingLevel() == 2 else None
        top = layout.blockBoundingRect(heading).top() if heading is not None else place.top()
        first = int(top // tall)
        if heading is None or int((place.bottom() - 1) // tall) == first or place.height() > tall:
            continue
        cursor.setPosition(heading.position())
        format = QTextBlockFormat()
        format.setPageBreakPolicy(QTextFormat.PageBreakFlag.PageBreak_AlwaysBefore)
        cursor.mergeBlockFormat(format)
