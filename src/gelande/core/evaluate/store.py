"""Results kept on disk between sessions, so that opening a recipe again computes nothing.

One file a result, named by its content key; bounded in bytes, the longest unused goes first. A damaged file is as
good as none. What is kept is asked for (when a recipe is saved or closed), not every step of a slider.
"""

from __future__ import annotations

import contextlib
from pathlib import Path

from ..errors import GelandeError
from ..files import arrays
from ..files.disk import sweep
from .keys import program_digest

LIMIT = 600_000_000


class Store:
    """A folder of results. root: where the folders of all program versions live."""

    def __init__(self, root: Path, limit: int = LIMIT) -> None:
        # Results of other code are never taken for one's own.
        self.folder, self.limit = Path(root) / program_digest("kernels", "nodes", "core"), limit

    def _file(self, key: tuple) -> Path:
        return self.folder / f"{key[0]}-{key[1]}.npz"

    def has(self, key: tuple) -> bool:
        """True when a final result is kept. key: as for get."""
        return key[2] == "final" and self._file(key).exists()

    def get(self, key: tuple) -> dict | None:
        """The arrays of a final result, or None. key: (content key, level, stage)."""
        if key[2] != "final":
            return None
        file = self._file(key)
        try:
            found = arrays.read(file)
            file.touch()  # used now: goes last when room is made
        except (OSError, GelandeError):  # it only costs computing again
            return None
        return found

    def put(self, key: tuple, made: dict) -> None:
        """Keeps a final result. Trouble with the disk is not an error: the result is only not kept."""
        if key[2] != "final" or self._file(key).exists():
            return

        with contextlib.suppress(OSError):
            arrays.write(self._file(key), made)

    def trim(self) -> None:
        """Removes other program versions' results, and the longest unused beyond the limit."""
        import shutil

        try:
            for other in self.folder.parent.iterdir():
                if other.is_dir() and other != self.folder:
                    shutil.rmtree(other, ignore_errors=True)
            sweep(self.folder)
            files = sorted(self.folder.glob("*.npz"), key=lambda f: -f.stat().st_mtime)
            total = 0
            for file in files:
                total += file.stat().st_size
                if total > self.limit:
                    file.unlink(missing_ok=True)
        except OSError:
            pass
