"""Makes Gelande known to the desktop and the shells of the person who asks. No root."""

from __future__ import annotations

import os
import re
import shutil
import subprocess
import sys
from collections.abc import Callable
from importlib import resources
from pathlib import Path

from gelande.bundle import packed

from .desktop_files import MIME, NAME, files


def data_home() -> Path:
    """Folder in which the desktop looks for what one person installs (XDG Base Directory Specification)."""
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share")


def _choices() -> Path:
    """Where the desktop keeps what opens which type of file."""
    return Path(os.environ.get("XDG_CONFIG_HOME") or Path.home() / ".config") / "mimeapps.list"


def command() -> str:
    """The command that opens Gelande, as a desktop entry writes it."""
    if packed():
        return quoted(sys.executable)
    script = Path(sys.executable).with_name("gelande")
    if script.is_file() and _installed():
        return quoted(str(script))
    source = Path(str(resources.files("gelande"))).parent
    return f"env {quoted(f'PYTHONPATH={source}')} {quoted(sys.executable)} -m gelande"


def _installed() -> bool:
    """True when the program lies among Python's packages, and not in a checkout."""
    return "site-packages" in Path(str(resources.files("gelande"))).parts


def quoted(text: str) -> str:
    """Text as an argument of a desktop entry's Exec (Desktop Entry Specification 1.5): in double quotes where it holds
    what is reserved, and percent signs doubled."""
    text = text.replace("%", "%%")
    if not re.search(r"[\s\"'\\><~|&;$*?#()`]", text):
        return text
    inside = re.sub(r"([\"`$\\])", r"\\\1", text)
    # the whole value is a string, in which a backslash is written as two
    return '"' + inside.replace("\\", "\\\\") + '"'


def parts(home: Path) -> dict[Path, str]:
    """The files and what is in them."""
    from .parser import build_parser

    return {home / name: text for name, text in files(command(), build_parser()).items()}


def integrate(tell: Callable[[str], None] = print) -> list[Path]:
    """Installs all of it. Returns the files written. Raises OSError where that cannot be."""
    written = []
    for path, text in parts(data_home()).items():
        path.parent.mkdir(parents=True, exist_ok=True)
        _write(path, text)
        written.append(path)
        tell(f"wrote {path}")
    _refresh(data_home(), tell)
    if shutil.which("xdg-mime"):
        subprocess.run(["xdg-mime", "default", f"{NAME}.desktop", MIME], check=False, capture_output=True)
    return written


def remove(tell: Callable[[str], None] = print) -> list[Path]:
    """Takes away what ``integrate`` installed. Returns the files removed."""
    gone = [path for path in parts(data_home()) if path.exists()]
    for path in gone:
        path.unlink()
        tell(f"removed {path}")
    _forget()
    if gone:
        _refresh(data_home(), tell)
    return gone


def _write(path: Path, text: str) -> None:
    """Writes a file whole or not at all."""
    part = path.with_name(f".{path.name}.part")
    part.write_text(text, encoding="utf-8")
    part.replace(path)


def _forget() -> None:
    """Takes Gelande out of the desktop's list of what opens recipes; all else in it stays."""
    path = _choices()
    if not path.is_file():
        return
    text = path.read_text(encoding="utf-8")
    left = []
    for line in text.split("\n"):
        kind, is_set, names = line.partition("=")
        if is_set and kind.strip() == MIME:
            others = [n for n in names.split(";") if n.strip() and n.strip() != f"{NAME}.desktop"]
            if not others:
                continue
            line = f"{kind}={';'.join(others)};"
        left.append(line)
    if "\n".join(left) != text:
        _write(path, "\n".join(left))


def _refresh(home: Path, tell: Callable[[str], None]) -> None:
    """Lets the desktop read what has changed, with those of its tools that there are."""
    for tool, folder in (
        ("update-mime-database", home / "mime"),
        ("update-desktop-database", home / "applications"),
        ("gtk-update-icon-cache", home / "icons" / "hicolor"),
    ):
        if not folder.is_dir():
            continue
        if shutil.which(tool) is None:
            tell(f"{tool} is not installed; the desktop may notice the change at the next login only.")
            continue
        more = ["-q", "-t", "-f"] if tool == "gtk-update-icon-cache" else []
        subprocess.run([tool, *more, str(folder)], check=False, capture_output=True)
