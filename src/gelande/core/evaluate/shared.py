"""Results that several programs share through a folder that all of them see.

What goes there is asked for; what one of them lets go of from memory does not. A damaged file is as good as none.
"""

from __future__ import annotations

from contextlib import suppress
from pathlib import Path

from ..errors import GelandeError
from ..files import arrays
from .context import Arrays
from .keys import program_digest


class Shared:
    """A folder of results, by content key. Stands where an evaluator's store does."""

    def __init__(self, folder: Path) -> None:
        # results of other code are never taken for one's own
        self.folder = Path(folder) / program_digest("kernels", "nodes", "core")[:16]

    def _file(self, key: tuple) -> Path:
        block = "".join(f"-{n}" for n in key[3]) if len(key) > 3 else ""
        return self.folder / f"{key[0]}-{key[1]}-{key[2]}{block}.npz"

    def has(self, key: tuple) -> bool:
        """True when a whole result is there, or a block of one. key: (content key, level, stage), and of a block its
        window."""
        return self._file(key).exists()

    def get(self, key: tuple) -> Arrays | None:
        """The arrays of a result, which cannot be written, or None."""
        if not self.has(key):
            return None
        try:
            return arrays.read(self._file(key))
        except (OSError, GelandeError):  # it only costs computing again
            return None

    def publish(self, key: tuple, made: Arrays) -> None:
        """Puts a result there, whole or not at all. Raises OSError."""
        if not self.has(key):
            arrays.write(self._file(key), made)

    def put(self, key: tuple, made: Arrays) -> None:
        """Puts a block there, if there is room; what memory lets go of is not worth others' disk."""
        if len(key) > 3:
            with suppress(OSError):
                self.publish(key, made)

    def trim(self) -> None:
        """Whoever made the folder removes it."""
