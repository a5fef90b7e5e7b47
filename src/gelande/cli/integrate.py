"""Makes Gelande known to the desktop of the person who asks: menu entry, icons, the type of recipe files. No root."""

from __future__ import annotations

import os
import shlex
import shutil
import subprocess
import sys
from collections.abc import Callable
from importlib import resources
from pathlib import Path

MIME = "application/x-gelande-recipe"
NAME = "gelande"
ICON = "application-x-gelande-recipe"

ENTRY = """[Desktop Entry]
Type=Application
Version=1.1
Name=Gelande
GenericName=Landscape recipes
Comment=Makes landscapes from graphs of nodes, and delivers them
Exec={command} open %f
Icon=gelande
Terminal=false
Categories=Graphics;3DGraphics;
MimeType={mime};
StartupWMClass=gelande
Keywords=terrain;landscape;heightfield;erosion;
"""

TYPE = """<?xml version="1.0" encoding="UTF-8"?>
<mime-info xmlns="http://www.freedesktop.org/standards/shared-mime-info">
  <mime-type type="{mime}">
    <comment>Gelande recipe</comment>
    <sub-class-of type="application/json"/>
    <icon name="{icon}"/>
    <glob pattern="*.gelande"/>
  </mime-type>
</mime-info>
"""


def data_home() -> Path:
    """Folder in which the desktop looks for what one person installs (XDG Base Directory Specification)."""
    return Path(os.environ.get("XDG_DATA_HOME") or Path.home() / ".local" / "share")


def command() -> str:
    """The command that opens Gelande, as a desktop entry writes it."""
    script = Path(sys.executable).with_name("gelande")
    if script.is_file() and resources.files("gelande").joinpath("cli.py").is_file() and _installed():
        return _quoted(str(script))
    source = Path(str(resources.files("gelande"))).parent
    return f"env PYTHONPATH={_quoted(str(source))} {_quoted(sys.executable)} -m gelande"


def _installed() -> bool:
    """True when the program lies among Python's packages, and not in a checkout."""
    return "site-packages" in Path(str(resources.files("gelande"))).parts


def _quoted(text: str) -> str:
    """Text as an argument of a desktop entry's Exec: percent signs are doubled."""
    return shlex.quote(text).replace("%", "%%")


def parts(home: Path) -> dict[Path, str]:
    """The files and what is in them."""
    desktop = resources.files("gelande") / "app" / "desktop"
    icons = home / "icons" / "hicolor" / "scalable"
    return {
        home / "applications" / f"{NAME}.desktop": ENTRY.format(command=command(), mime=MIME),
        home / "mime" / "packages" / f"{NAME}.xml": TYPE.format(mime=MIME, icon=ICON),
        icons / "apps" / f"{NAME}.svg": (desktop / "gelande.svg").read_text(),
        icons / "mimetypes" / f"{ICON}.svg": (desktop / "recipe.svg").read_text(),
    }


def integrate(tell: Callable[[str], None] = print) -> list[Path]:
    """Installs menu entry, icons and file type. Returns the files written. Raises OSError where that cannot be."""
    written = []
    for path, text in parts(data_home()).items():
        path.parent.mkdir(parents=True, exist_ok=True)
        part = path.with_name(f".{path.name}.part")
        part.write_text(text)
        part.replace(path)
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
    _refresh(data_home(), tell)
    return gone


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
