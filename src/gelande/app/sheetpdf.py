"""The import sheet as a PDF of one page, as long as it has to be."""

from __future__ import annotations

import os
from pathlib import Path

from PyQt6.QtCore import QMarginsF, QSizeF
from PyQt6.QtGui import QGuiApplication, QPageSize, QPainter, QPdfWriter, QTextDocument
from PyQt6.QtWidgets import QApplication

from gelande.core.files.disk import write_whole

#: Width of the page and its margins, millimetres; dots an inch that texts are laid out with.
WIDTH, MARGIN, DOTS = 210.0, 12.0, 96


def write_pdf(sheet: Path) -> Path:
    """Writes the PDF beside a sheet and returns where. Raises OSError."""
    if QGuiApplication.instance() is None:  # on the command line there is no window
        os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
        write_pdf.app = QApplication([])
    document = QTextDocument()
    document.setHtml(sheet.read_text(encoding="utf-8"))
    document.setTextWidth((WIDTH - 2 * MARGIN) / 25.4 * DOTS)
    tall = document.size().height() * 25.4 / DOTS + 2 * MARGIN + 1

    def write(path: Path) -> None:
        writer = QPdfWriter(str(path))
        writer.setTitle(document.metaInformation(QTextDocument.MetaInformation.DocumentTitle))
        writer.setCreator("Gelande")
        writer.setPageSize(QPageSize(QSizeF(WIDTH, tall), QPageSize.Unit.Millimeter))
        writer.setPageMargins(QMarginsF(MARGIN, MARGIN, MARGIN, MARGIN))
        painter = QPainter(writer)
        painter.scale(writer.resolution() / DOTS, writer.resolution() / DOTS)
        document.drawContents(painter)
        painter.end()

    target = sheet.with_suffix(".pdf")
    write_whole(target, write)
    return target
