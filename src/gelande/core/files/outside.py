"""Files outside the recipe that nodes read."""

from __future__ import annotations

from pathlib import Path


def file_of(name: str, folder: Path) -> Path:
    """The file that a setting names: absolute, or from the recipe's folder."""
    path = Path(name).expanduser()
    return path if path.is_absolute() else Path(folder) / path


def stamp(values: dict, folder: Path) -> str:
    """Identifies the present content of the file that the setting ``file`` names: its path, size and time
    of change."""
    path = file_of(values["file"], folder)
    try:
        found = path.stat()
        return f"{path}|{found.st_size}|{found.st_mtime_ns}"
    except OSError:
        return "missing"
