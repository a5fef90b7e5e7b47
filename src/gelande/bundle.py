"""The program as it is packed with its own interpreter: machine code of its kernels comes with it.

That code was compiled for processors of the level LEVEL and up. Numba reads machine code only from a folder that it can
write to, so it is copied to the person's cache at the first start, once for each version.
"""

from __future__ import annotations

import os
import shutil
import sys
from pathlib import Path

from .processor import cpuinfo, facts, needs

#: What the code was compiled for, and what a processor of that level has.
LEVEL = "x86-64-v3"
NEEDS = needs(LEVEL)
#: Folder with the code beside the program, and the file that says which it is.
CODE, STAMP = "kernels-code", "made.txt"


def packed() -> Path | None:
    """Folder of the packed program, or None when it runs from Python's packages."""
    return Path(sys._MEIPASS) if getattr(sys, "frozen", False) else None  # type: ignore[attr-defined]


def fits(told: str) -> bool:
    """True when a processor, as /proc/cpuinfo tells of it, can run the code."""
    return set(NEEDS) <= set(facts(told).get("flags", "").split())


def subfolder(kernels: Path) -> str:
    """Where Numba looks for the code of sources in a folder, below NUMBA_CACHE_DIR."""
    from numba.core.caching import _CacheLocator

    return _CacheLocator.get_suitable_cache_subpath(str(kernels / "any.py"))


def ready(folder: Path | None = None) -> None:
    """Sets Numba up before it is imported by anything else. Does nothing outside the packed program."""
    root = packed()
    if root is None:
        return
    if not fits(cpuinfo()):
        return  # compiled for this processor behind the window, as from Python's packages
    os.environ.setdefault("NUMBA_CPU_NAME", LEVEL)
    os.environ.setdefault("NUMBA_CPU_FEATURES", "")
    cache = folder or Path(os.environ.get("XDG_CACHE_HOME") or Path.home() / ".cache") / "gelande" / "kernels"
    os.environ.setdefault("NUMBA_CACHE_DIR", str(cache))
    code = root / CODE
    if not (code / STAMP).is_file():
        return  # while it is being packed
    try:
        _copied(code, Path(os.environ["NUMBA_CACHE_DIR"]), root / "gelande" / "kernels")
    except OSError:
        return  # no room, or a folder that cannot be written: it is compiled


def _copied(code: Path, cache: Path, kernels: Path) -> None:
    """Copies the code to where Numba looks for it, unless it is there."""
    there, made = cache / STAMP, (code / STAMP).read_text(encoding="utf-8") + str(kernels)
    if there.is_file() and there.read_text(encoding="utf-8") == made:
        return
    target = cache / subfolder(kernels)
    target.mkdir(parents=True, exist_ok=True)
    for file in code.iterdir():
        if file.name != STAMP:
            shutil.copyfile(file, target / file.name)
    there.write_text(made, encoding="utf-8")
    from .places import kernels_stamp

    kernels_stamp().parent.mkdir(parents=True, exist_ok=True)
    kernels_stamp().touch()
