"""The open recipe: edits with undo and redo, the file it belongs to, and its journal."""

from __future__ import annotations

import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

from PyQt6.QtCore import QFileSystemWatcher, QObject, QTimer, pyqtSignal

from gelande.core.errors import GelandeError
from gelande.core.files.disk import digest, reason_of, stamp, sweep
from gelande.core.recipe.journal import Journal, Lost, discard
from gelande.core.recipe.model import Recipe
from gelande.core.recipe.recipefile import load, save

from .crash_handler import crash_handler

MOST_UNDO = 500
#: Edits of one slider within this time are one step back.
MERGE_SECONDS = 1.2


@dataclass(frozen=True)
class Snapshot:
    """The document as it stood: the recipe, the file it belonged to, what was saved there, the state that file was
    left in, and which recipe of the window it was."""

    recipe: Recipe
    path: Path | None
    saved: Recipe | None
    file: tuple
    opening: int


class Document(QObject):
    """The recipe being edited. ``changed`` carries (before, after); ``moved`` tells that undo, path or saved state
    changed; ``opened`` that it is another recipe; ``outside`` that somebody else changed its file."""

    changed = pyqtSignal(object, object)
    moved = pyqtSignal()
    opened = pyqtSignal()
    outside = pyqtSignal()
    said = pyqtSignal(str)

    def __init__(self, journal_root: Path, parent=None) -> None:
        super().__init__(parent)
        self.recipe, self.path = Recipe(), None
        self.locked = False
        self._undo: list[tuple[str, Snapshot]] = []
        self._redo: list[tuple[str, Snapshot]] = []
        self._saved: Recipe | None = self.recipe
        self.origin = self.recipe  # as it was opened, or last saved: what a reset goes back to
        self._file: tuple = (None, "")  # stamp and digest of the file as it was opened or saved here
        self._opening = 0
        self._merge = ("", 0.0)
        self.journal = Journal(journal_root)
        self._journal_fault = ""
        self._writer = ThreadPoolExecutor(1, thread_name_prefix="journal")
        self._timer = QTimer(self)
        self._timer.setSingleShot(True)
        self._timer.setInterval(400)
        self._timer.timeout.connect(self._write_journal)
        self._watcher = QFileSystemWatcher(self)
        # A file that is being replaced is gone for a moment; several writes are one.
        self._settle = QTimer(self, singleShot=True, interval=250)
        self._settle.timeout.connect(self._look_outside)
        self._watcher.fileChanged.connect(lambda _: self._settle.start())
        self._watcher.directoryChanged.connect(lambda _: self._settle.start())

    @property
    def dirty(self) -> bool:
        return self.recipe is not self._saved

    @property
    def folder(self) -> Path:
        """Folder that relative file names of the recipe start in."""
        return self.path.parent if self.path else Path.cwd()

    @property
    def undo_text(self) -> str:
        return self._undo[-1][0] if self._undo else ""

    @property
    def redo_text(self) -> str:
        return self._redo[-1][0] if self._redo else ""

    def edit(self, text: str, change: Callable, merge: str = "", held: bool = False) -> bool:
        """Applies change(recipe) -> recipe as one undoable step. Says why and returns False when it is not allowed.

        merge: edits in quick succession with the same word become one step. held: however long they take, until
        end_step: they are one gesture."""
        try:
            after = change(self.recipe)
        except GelandeError as error:
            self.said.emit(str(error))
            return False
        if after is self.recipe:
            return True
        now = time.monotonic()
        joined = merge and self._merge[0] == merge and (held or now - self._merge[1] < MERGE_SECONDS) and self._undo
        if not joined:
            self._undo.append((text, self._snapshot()))
            del self._undo[:-MOST_UNDO]
        self._merge = (merge, now)
        self._redo.clear()
        self._set(after)
        return True

    def _snapshot(self) -> Snapshot:
        return Snapshot(self.recipe, self.path, self._saved, self._file, self._opening)

    def _set(self, recipe: Recipe) -> None:
        before, self.recipe = self.recipe, recipe
        if not self._timer.isActive():  # not restarted by later edits, so that steady work is still written
            self._timer.start()
        self.changed.emit(before, recipe)
        self.moved.emit()

    def end_step(self) -> None:
        """The next edit begins a step of its own, however soon it comes."""
        self._merge = ("", 0.0)

    def undo(self) -> None:
        """Takes the last step back."""
        self._go(self._undo, self._redo)

    def redo(self) -> None:
        """Does the last undone step again."""
        self._go(self._redo, self._undo)

    def _go(self, source: list, other: list) -> None:
        if not source:
            return
        text, stand = source.pop()
        other.append((text, self._snapshot()))
        self._merge = ("", 0.0)
        if stand.opening != self._opening:  # over the opening of recovered work
            self.path, self._saved, self._file, self._opening = stand.path, stand.saved, stand.file, stand.opening
            self._watch()
            self.opened.emit()
        self._set(stand.recipe)

    def start(self, recipe: Recipe, path: Path | None, saved: bool = True) -> None:
        """Replaces the document by a new or opened recipe."""
        self._undo.clear()
        self._redo.clear()
        self._become(recipe, path, saved)
        if saved:
            self.drop_journal()

    def adopt(self, recipe: Recipe) -> None:
        """Goes on with another state of the open recipe, which is where undo ends."""
        self._undo.clear()
        self._redo.clear()
        self._set(recipe)

    def _become(self, recipe: Recipe, path: Path | None, saved: bool) -> None:
        self.path = Path(path) if path else None
        self._saved = recipe if saved else None
        self.origin = recipe
        self._opening += 1
        self.accept_outside()
        self._watch()
        self.opened.emit()
        self._set(recipe)

    def take_back(self, lost: Lost) -> None:
        """Opens work that an earlier run left behind, as a step that can be undone: the recipe that was open is not
        lost with it."""
        self._undo.append(("Open recovered work", self._snapshot()))
        self._redo.clear()
        self._become(lost.recipe, Path(lost.path) if lost.path else None, False)
        self._timer.stop()
        recipe, path = self.recipe, self.path

        def hand_over() -> None:
            # The old journal goes only when the new one holds the work.
            if self._journal_now(recipe, path):
                discard(lost)

        self._writer.submit(hand_over)

    def open(self, path: Path, as_new: bool = False) -> bool:
        """Opens a file. A broken one is told in one sentence and leaves the open recipe alone. as_new: without the
        file, so that saving does not overwrite it."""
        try:
            recipe = load(path)
        except GelandeError as error:
            self.said.emit(str(error))
            return False
        sweep(Path(path).resolve().parent)
        self.start(recipe, None if as_new else Path(path))
        return True

    # -- the file -----------------------------------------------------------------------------------------
    @property
    def overtaken(self) -> bool:
        """True when the file is not as it was when it was opened or saved here: somebody else wrote it. A file that
        is gone is not."""
        now = stamp(self.path) if self.path else None
        if now is None or self._file[0] is None or now == self._file[0]:
            return False
        if digest(self.path) == self._file[1]:  # written anew with what it held
            self._file = (now, self._file[1])
            return False
        return True

    def accept_outside(self) -> None:
        """Notes that the file's present content is known: saving may replace it."""
        self._file = (stamp(self.path), digest(self.path)) if self.path else (None, "")

    def _watch(self) -> None:
        watched = self._watcher.files() + self._watcher.directories()
        if watched:
            self._watcher.removePaths(watched)
        if self.path is not None and self.path.exists():
            self._watcher.addPaths([str(self.path), str(self.path.resolve().parent)])

    def _look_outside(self) -> None:
        if self.path is not None and str(self.path) not in self._watcher.files() and self.path.exists():
            self._watcher.addPath(str(self.path))  # replaced by a new file, which is watched from now on
        if self.overtaken:
            self.outside.emit()

    def save(self, path: Path | None = None) -> bool:
        """Saves, whole or not at all. Does not replace what somebody else wrote there since: ``outside`` tells that."""
        path = Path(path) if path else self.path
        if self.locked and self.path is not None and path.resolve() == self.path.resolve():
            self.said.emit(f"{path.name} is the author's and stays as it is; what you choose is kept beside it.")
            return False
        if path == self.path and self.overtaken:
            self.outside.emit()
            return False
        try:
            save(self.recipe, path)
        except GelandeError as error:
            self.said.emit(str(error))
            return False
        self.path, self._saved = path, self.recipe
        self.origin = self.recipe
        self.accept_outside()
        self._watch()
        self.drop_journal()
        self.moved.emit()
        self.said.emit(f"Saved {path.name}.")
        return True

    # -- the journal --------------------------------------------------------------------------------------
    def _write_journal(self) -> None:
        if self.locked:  # what is chosen is kept in the set file
            return
        if self.dirty:
            self._writer.submit(self._journal_now, self.recipe, self.path)
        else:  # undone back to what is saved
            self._writer.submit(self.journal.clear)

    def _journal_now(self, recipe: Recipe, path: Path | None) -> bool:
        """True when the work is in the journal. On the writer's thread."""
        try:
            self.journal.write(recipe, path)
        except Exception as error:  # whatever it is: the thread must go on, and the person must know
            reason = reason_of(error) if isinstance(error, OSError) else f"{type(error).__name__}: {error}"
            if reason != self._journal_fault:
                self.said.emit(f"The journal cannot be written: {reason}. Save your work.")
            if not isinstance(error, OSError):
                crash_handler.take(error, "the journal")
            self._journal_fault = reason
            return False
        self._journal_fault = ""
        return True

    def write_now(self) -> bool:
        """Writes the journal at once. Returns whether the work is safe there, or needs not be."""
        self._timer.stop()
        return not self.dirty or self._writer.submit(self._journal_now, self.recipe, self.path).result()

    def drop_journal(self) -> None:
        self._timer.stop()
        self._writer.submit(self.journal.clear)

    def flush(self) -> None:
        """Waits until everything asked of the journal is on disk (tests and closing)."""
        self._writer.submit(lambda: None).result()

    def close(self, keep_journal: bool = False) -> None:
        """The program ends in order: nothing to offer back, unless the journal is where the work is safe."""
        self._timer.stop()
        self._writer.submit(self.journal.leave if keep_journal else self.journal.clear)
        self._writer.shutdown(wait=True)
        if watched := self._watcher.files() + self._watcher.directories():
            self._watcher.removePaths(watched)
