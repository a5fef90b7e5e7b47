"""Writing files so that nothing half-written ever stands under the final name."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable
from pathlib import Path


def write_whole(path: Path, write: Callable[[Path], None]) -> None:
    """Calls write(temporary path) in the target's folder, syncs the file and renames it over path.

    Whatever goes wrong, the temporary file is removed and what stood under path before is untouched."""
    path = Path(path)
    path.parent.mkdir(parents=True, exist_ok=True)
    handle, name = tempfile.mkstemp(prefix=f".{path.stem}-", suffix=f".part{path.suffix}", dir=path.parent)
    os.close(handle)
    temporary = Path(name)
    try:
        write(temporary)
        with open(temporary, "rb") as done:
            os.fsync(done.fileno())
        os.chmod(temporary, 0o644)
        os.replace(temporary, path)
        sync_folder(path.parent)
    finally:
        temporary.unlink(missing_ok=True)


def sync_folder(folder: Path) -> None:
    """Makes a rename in this folder durable."""
    handle = os.open(folder, os.O_RDONLY)
    try:
        os.fsync(handle)
    finally:
        os.close(handle)


def write_text(path: Path, text: str) -> None:
    """Writes a text file whole or not at all."""
    write_whole(path, lambda temporary: temporary.write_text(text, encoding="utf-8"))


def reason_of(error: OSError) -> str:
    """What went wrong with a file in plain words."""
    import errno

    words = {errno.ENOSPC: "the disk is full", errno.EACCES: "you may not write or read there",
             errno.EROFS: "the disk is read-only", errno.ENOENT: "the file or folder does not exist",
             errno.EISDIR: "it is a folder", errno.ENOTDIR: "part of the path is a file, not a folder",
             errno.EDQUOT: "your quota is used up", errno.EPERM: "it is not permitted"}
    return words.get(error.errno, (error.strerror or str(error)).lower())
