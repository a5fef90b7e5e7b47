"""A report for whoever looks into a fault: one file with versions, logs and, if that is wanted, the recipe. It is only
written; nothing is sent anywhere."""

from __future__ import annotations

import zipfile
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QPoint, Qt, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QFrame, QLabel, QPushButton, QVBoxLayout, QWidget

from gelande.about import versions
from gelande.core.files.disk import reason_of, write_whole
from gelande.core.recipe.model import Recipe
from gelande.core.recipe.recipefile import dumps
from gelande.core.words import clean

from .switches import Tick

#: Logs that go into it, newest first, and how much of the end of each.
LOGS, MOST = ("gelande.log", "gelande.log.1", "crash.log"), 1_000_000


def parts_of(log_folder: Path | None, recipe: Recipe | None) -> dict[str, str]:
    """Texts of a report by the name of the file that holds each. The name of the person's own folder is left out."""
    parts = {"versions.txt": versions() + "\n"}
    for name in LOGS if log_folder is not None else ():
        try:
            text = (log_folder / name).read_text("utf-8", errors="replace")[-MOST:]
        except OSError:
            continue
        parts[name] = text.replace(str(Path.home()), "~")
    if recipe is not None:
        parts["recipe.gelande"] = dumps(recipe)
    return parts


def write_report(path: Path, log_folder: Path | None, recipe: Recipe | None) -> None:
    """Writes a report as a ZIP file, whole or not at all. Raises OSError."""
    parts = parts_of(log_folder, recipe)

    def write(place: Path) -> None:
        with zipfile.ZipFile(place, "w", zipfile.ZIP_DEFLATED) as archive:
            for name, text in parts.items():
                archive.writestr(name, text)

    write_whole(path, write)


class ReportPanel(QFrame):
    """Asks what goes into a report, and writes it. ``said`` carries what came of it."""

    said = pyqtSignal(str)

    def __init__(self, recipe: Callable[[], Recipe], log_file: Path | None, parent: QWidget) -> None:
        super().__init__(parent, Qt.WindowType.Popup)
        self.setObjectName("sheet")
        self._recipe, self._folder = recipe, log_file.parent if log_file is not None else None
        column = QVBoxLayout(self)
        column.setContentsMargins(14, 12, 14, 12)
        column.addWidget(QLabel("Report", objectName="head"))
        words = QLabel(
            "Writes one file for whoever looks into a fault: the versions of the program and its parts, and its log. "
            "Nothing is sent; you choose whom you give it to.",
            objectName="muted",
        )
        words.setWordWrap(True)
        column.addWidget(words)
        self.with_recipe = Tick("With the open recipe")
        column.addWidget(self.with_recipe)
        self.button = QPushButton("Write the report…", objectName="primary")
        self.button.clicked.connect(self.ask)
        column.addWidget(self.button)
        self.setFixedWidth(320)

    def open_at(self, place: QPoint) -> None:
        """Shows it with its left upper corner at a place on the screen."""
        self.move(place)
        self.show()
        self.with_recipe.setFocus()

    def ask(self) -> None:
        """Asks for a file and writes the report."""
        recipe = self._recipe() if self.with_recipe.isChecked() else None
        self.close()
        name, _ = QFileDialog.getSaveFileName(self.parentWidget(), "Report", "gelande-report.zip", "ZIP files (*.zip)")
        if not name:
            return
        path = Path(name).with_suffix(".zip")
        try:
            write_report(path, self._folder, recipe)
        except OSError as error:
            self.said.emit(f"The report was not written to {clean(str(path), 200)}: {reason_of(error)}.")
            return
        self.said.emit(f"The report is in {clean(str(path), 200)}.")
