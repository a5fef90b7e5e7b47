"""The journal: the open recipe, written aside while it is edited, so that a crash loses at most two seconds.

One folder an open recipe, locked while its program lives (whatever process number somebody else gets later); a
folder whose lock is free holds work to offer back.

"""

from __future__ import annotations

import json
import os
import shutil
import uuid
from dataclasses import dataclass
from pathlib import Path

from ..errors import GelandeError
from ..files.disk import Claim, read_bytes, sweep, unclaimed, write_text
from .model import Recipe
from .recipefile import LARGEST, dumps, loads


@dataclass(frozen=True)
class Lost:
    """Work that a program which ended without closing left behind."""

    folder: Path
    recipe: Recipe
    path: str
    when: float


class Journal:
    """Writes the state of one open recipe. root: where journals live."""

    def __init__(self, root: Path) -> None:
        self.root = Path(root)
        self.folder = self.root / f"{os.getpid()}-{uuid.uuid4().hex[:8]}"
        self._claim: Claim | None = None
        self._about = ""  # as it was written last

    def write(self, recipe: Recipe, path: Path | None) -> None:
        """Writes the recipe as it stands; path: the file it belongs to, or None. Raises OSError."""
        if self._claim is None or not self.folder.exists():
            self.folder.mkdir(parents=True, exist_ok=True)
            self._claim, self._about = Claim(self.folder), ""
        write_text(self.folder / "recipe.gelande", dumps(recipe))
        about = json.dumps({"path": str(path or ""), "pid": os.getpid()})
        if about != self._about:  # every file costs a sync, and the next edit waits for it
            write_text(self.folder / "about.json", about)
            self._about = about

    def clear(self) -> None:
        """Forgets: the work is saved or given up."""
        shutil.rmtree(self.folder, ignore_errors=True)
        self.leave()

    def leave(self) -> None:
        """Ends with what was written left to be offered back."""
        if self._claim is not None:
            self._claim.close()
            self._claim = None


def _path_of(about: Path) -> str:
    """Where the recipe of a journal was; "" when that is not known any more, which costs only its name."""
    try:
        block = json.loads(read_bytes(about, 100_000))
    except (OSError, ValueError, GelandeError, RecursionError):
        return ""
    path = block.get("path", "") if isinstance(block, dict) else ""
    return path if isinstance(path, str) and "\0" not in path else ""


def lost_work(root: Path) -> list[Lost]:
    """Journals of programs that are gone, newest first. Unreadable ones are left where they are, empty ones go."""
    found = []
    for folder in Path(root).glob("*-*"):
        if not unclaimed(folder):
            continue
        sweep(folder)
        file = folder / "recipe.gelande"
        if not file.exists():
            shutil.rmtree(folder, ignore_errors=True)
            continue
        try:
            recipe = loads(read_bytes(file, LARGEST).decode("utf-8"))
            found.append(Lost(folder, recipe, _path_of(folder / "about.json"), file.stat().st_mtime))
        except (OSError, ValueError, GelandeError):
            continue
    return sorted(found, key=lambda lost: -lost.when)


def discard(lost: Lost) -> None:
    """Removes a journal that was taken back or refused."""
    shutil.rmtree(lost.folder, ignore_errors=True)
