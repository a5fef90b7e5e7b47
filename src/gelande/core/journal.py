"""The journal: the open recipe, written aside while it is edited, so that a crash loses at most two seconds.

One folder a running program, named by its process id; a folder whose process is gone holds work to offer back.
"""

from __future__ import annotations

import json
import os
import shutil
import uuid
from dataclasses import dataclass
from pathlib import Path

from .errors import GelandeError
from .files import write_text
from .graph import Recipe
from .recipe import dumps, loads


@dataclass(frozen=True)
class Lost:
    """Work that a program which ended without closing left behind."""

    folder: Path
    recipe: Recipe
    path: str
    when: float


class Journal:
    """Writes the state of one open recipe. root: where journals live."""

    def __init__(self, root: Path):
        self.folder = Path(root) / f"{os.getpid()}-{uuid.uuid4().hex[:8]}"

    def write(self, recipe: Recipe, path: Path | None) -> None:
        """Writes the recipe as it stands; path: the file it belongs to, or None."""
        write_text(self.folder / "recipe.gelande", dumps(recipe))
        write_text(self.folder / "about.json", json.dumps({"path": str(path or ""), "pid": os.getpid()}))

    def clear(self) -> None:
        """Forgets: the work is saved or given up."""
        shutil.rmtree(self.folder, ignore_errors=True)


def alive(pid: int) -> bool:
    """Whether a process runs."""
    try:
        os.kill(pid, 0)
    except ProcessLookupError:
        return False
    except PermissionError:
        return True
    return True


def lost_work(root: Path) -> list[Lost]:
    """Journals of programs that are gone, newest first. Unreadable ones are left where they are."""
    found = []
    for folder in Path(root).glob("*-*"):
        try:
            if alive(int(folder.name.split("-")[0])):
                continue
            file = folder / "recipe.gelande"
            about = json.loads((folder / "about.json").read_text()) if (folder / "about.json").exists() else {}
            found.append(Lost(folder, loads(file.read_text(encoding="utf-8")), about.get("path", ""), file.stat().st_mtime))
        except (OSError, ValueError, GelandeError):
            continue
    return sorted(found, key=lambda lost: -lost.when)


def discard(lost: Lost) -> None:
    """Removes a journal that was taken back or refused."""
    shutil.rmtree(lost.folder, ignore_errors=True)
