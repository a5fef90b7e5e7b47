"""What an artist chose in a locked recipe, kept in a set file beside it while it is chosen."""

from __future__ import annotations

import hashlib
from concurrent.futures import ThreadPoolExecutor
from pathlib import Path

from PyQt6.QtCore import QObject, QTimer, pyqtSignal

from gelande.app.document import Document
from gelande.core.errors import GelandeError
from gelande.core.files.disk import digest, stamp
from gelande.core.recipe.model import Recipe
from gelande.core.regenerate import setfile

#: Milliseconds after a change until it is written.
SOON = 700


class SetKeeper(QObject):
    """Takes up what was chosen when a recipe is opened, and writes it whenever it changes. The recipe's own file is
    never written. ``moved`` tells that something was written, or could not be."""

    said = pyqtSignal(str)
    moved = pyqtSignal()

    def __init__(self, document: Document, aside: Path, parent=None) -> None:
        """aside: the folder for set files of recipes that lie where nobody may write."""
        super().__init__(parent)
        self.document, self.aside = document, aside
        self.path: Path | None = None
        self.fault = ""
        self._seen: tuple = (None, "")
        self._written: object = None
        self._writer = ThreadPoolExecutor(1, thread_name_prefix="choices")
        self._timer = QTimer(self, singleShot=True, interval=SOON)
        self._timer.timeout.connect(self._submit)
        document.changed.connect(self._changed)

    @property
    def words(self) -> str:
        """Words for the status line."""
        if self.fault:
            return "choices not saved"
        return f"choices in {self.path.name}" if self.path is not None and self.path.exists() else "graph locked"

    def take_up(self) -> None:
        """Brings back what was chosen in this recipe before."""
        path, self.fault = self.document.path, ""
        self._written, self.path = self.document.recipe, None
        if path is None:
            return
        places = [setfile.path_beside(path), self._elsewhere(path)]
        self.path = next((p for p in places if p.exists()), places[0])
        self._seen = (stamp(self.path), digest(self.path))
        if not self.path.exists():
            return
        try:
            recipe, told = setfile.load(self.path, self.document.recipe)
        except GelandeError as error:
            self.said.emit(str(error))
            self.path = self._free(self.path)
            self._seen = (None, "")
            return
        self._written = recipe
        self.document.adopt(recipe)
        if told:
            self.said.emit(told[0] if len(told) == 1 else f"{told[0]} {len(told) - 1} more stayed as they were.")

    def _elsewhere(self, path: Path) -> Path:
        """Path of a recipe's set file when its folder takes none."""
        mark = hashlib.sha256(str(path.resolve()).encode()).hexdigest()[:10]
        return self.aside / f"{path.stem}-{mark}{setfile.SUFFIX}"

    def _changed(self, before: Recipe, after: Recipe) -> None:
        if self.document.locked and self.path is not None and after is not self._written:
            self._timer.start()

    def _submit(self) -> None:
        self._writer.submit(self._write, self.document.recipe)

    @staticmethod
    def _free(path: Path) -> Path:
        """The next name beside a file that must not be written."""
        names = (path.with_name(f"{path.stem} {n}{path.suffix}") for n in range(2, 10_000))
        return next(p for p in names if not p.exists())

    def _write(self, recipe: Recipe) -> bool:
        """True when the choices are on disk. On the writer's thread."""
        if self.path is None or recipe is self._written:
            return True
        if stamp(self.path) not in (None, self._seen[0]) and digest(self.path) != self._seen[1]:
            old, self.path = self.path, self._free(self.path)
            self.said.emit(f"Somebody else changed {old.name}; what you choose goes into {self.path.name}.")
        recipe_path, self.fault = self.document.path, ""
        for path in (self.path, self._elsewhere(recipe_path)):
            try:
                path.parent.mkdir(parents=True, exist_ok=True)
                setfile.save(recipe, self.document.origin, path, recipe_path.name)
            except (GelandeError, OSError) as error:
                self.fault = str(error)
                continue
            if path != self.path:
                self.said.emit(f"{self.path.parent} cannot be written; what you choose is kept in {path}.")
            self.path, self._written, self.fault = path, recipe, ""
            self._seen = (stamp(path), digest(path))
            break
        if self.fault:
            self.said.emit(self.fault)
        self.moved.emit()
        return not self.fault

    def flush(self) -> bool:
        """Writes what is not written yet. Returns whether all is safe."""
        self._timer.stop()
        return self._writer.submit(self._write, self.document.recipe).result()

    def close(self) -> None:
        """Ends the thread."""
        self._timer.stop()
        self._writer.shutdown(wait=True)
