"""Files outside the recipe that nodes read."""

from __future__ import annotations

from pathlib import Path


def file_of(values: dict, folder: Path) -> Path:
    """The file that a node's setting ``file`` names: absolute, or from the recipe's folder."""
    path = Path(values["file"]).expanduser()
    return path if path.is_absolute() else Path(folder) / path


def stamp(values: dict, folder: Path) -> str:
    """Identifies the file's present content: name, size and time of change."""
    path = file_of(values, folder)
    try:
        found = path.stat()
        return f"{path}|{found.st_size}|{found.st_mtime_ns}"
    except OSError:
        return "missing"
