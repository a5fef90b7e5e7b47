"""The open recipe: edits with undo and redo, the file it belongs to, and its journal."""

from __future__ import annotations

import time
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from gelande.core.errors import GelandeError
from gelande.core.graph import Recipe
from gelande.core.journal import Journal
from gelande.core.recipe import load, save

MOST_UNDO = 500
#: Edits of one slider within this time are one step back.
MERGE_SECONDS = 1.2


class Document(QObject):
    """The recipe being edited. ``changed`` carries (before, after); ``moved`` tells that undo, path or saved state changed."""

    changed = pyqtSignal(object, object)
    moved = pyqtSignal()
    said = pyqtSignal(str)

    def __init__(self, journal_root: Path, parent=None):
        super().__init__(parent)
        self.recipe, self.path = Recipe(), None
        self.locked = False
        self._undo: list[tuple[str, Recipe]] = []
        self._redo: list[tuple[str, Recipe]] = []
        self._saved = self.recipe
        self._merge = ("", 0.0)
        self.journal = Journal(journal_root)
        self._writer = ThreadPoolExecutor(1, thread_name_prefix="journal")
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(600)
        self._timer.timeout.connect(self._write_journal)

    @property
    def dirty(self) -> bool:
        return self.recipe is not self._saved

    @property
    def folder(self) -> Path:
        """Where relative file names of the recipe start."""
        return self.path.parent if self.path else Path.cwd()

    @property
    def undo_text(self) -> str:
        return self._undo[-1][0] if self._undo else ""

    @property
    def redo_text(self) -> str:
        return self._redo[-1][0] if self._redo else ""

    def edit(self, text: str, change, merge: str = "") -> bool:
        """Applies change(recipe) -> recipe as one undoable step. Says why and returns False when it is not allowed.

        merge: edits in quick succession with the same word become one step."""
        try:
            after = change(self.recipe)
        except GelandeError as error:
            self.said.emit(str(error))
            return False
        if after is self.recipe:
            return True
        now = time.monotonic()
        joined = merge and self._merge[0] == merge and now - self._merge[1] < MERGE_SECONDS and self._undo
        if not joined:
            self._undo.append((text, self.recipe))
            del self._undo[:-MOST_UNDO]
        self._merge = (merge, now)
        self._redo.clear()
        self._set(after)
        return True

    def _set(self, recipe: Recipe):
        before, self.recipe = self.recipe, recipe
        if not self._timer.isActive():  # not restarted by later edits, so that steady work is still written
            self._timer.start()
        self.changed.emit(before, recipe)
        self.moved.emit()

    def end_step(self):
        """The next edit begins a step of its own, however soon it comes."""
        self._merge = ("", 0.0)

    def undo(self):
        """Takes the last step back."""
        if self._undo:
            text, recipe = self._undo.pop()
            self._redo.append((text, self.recipe))
            self._merge = ("", 0.0)
            self._set(recipe)

    def redo(self):
        """Does the last undone step again."""
        if self._redo:
            text, recipe = self._redo.pop()
            self._undo.append((text, self.recipe))
            self._merge = ("", 0.0)
            self._set(recipe)

    def start(self, recipe: Recipe, path: Path | None, saved: bool = True):
        """Replaces the document: a new, opened or recovered recipe."""
        self._undo.clear()
        self._redo.clear()
        self.path = Path(path) if path else None
        self._saved = recipe if saved else None
        self._set(recipe)
        if saved:
            self._timer.stop()
            self.drop_journal()

    def open(self, path: Path) -> bool:
        """Opens a file. A broken one is told in one sentence and leaves the open recipe alone."""
        try:
            recipe = load(path)
        except GelandeError as error:
            self.said.emit(str(error))
            return False
        self.start(recipe, Path(path))
        return True

    def save(self, path: Path | None = None) -> bool:
        """Saves, whole or not at all."""
        path = Path(path) if path else self.path
        try:
            save(self.recipe, path)
        except GelandeError as error:
            self.said.emit(str(error))
            return False
        self.path, self._saved = path, self.recipe
        self.drop_journal()
        self.moved.emit()
        self.said.emit(f"Saved {path.name}.")
        return True

    def _write_journal(self):
        recipe, path = self.recipe, self.path
        if self.dirty:
            self._writer.submit(self._journal_now, recipe, path)

    def _journal_now(self, recipe, path):
        try:
            self.journal.write(recipe, path)
        except OSError as error:
            self.said.emit(f"The journal cannot be written ({error.strerror}); save your work.")

    def drop_journal(self):
        self._timer.stop()
        self._writer.submit(self.journal.clear)

    def flush(self):
        """Waits until everything asked of the journal is on disk (tests and closing)."""
        self._writer.submit(lambda: None).result()

    def close(self):
        """The program ends in order: nothing to offer back."""
        self.drop_journal()
        self._writer.shutdown(wait=True)
