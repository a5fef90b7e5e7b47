"""Copies the licences of all packages that are packed with the program: licences.py FOLDER."""

import re
import shutil
import sys
from importlib.metadata import distributions
from pathlib import Path

#: What is only used while working on Gelande.
LEFT_OUT = {
    "hypothesis",
    "mypy",
    "ruff",
    "pyinstaller",
    "meshio",
    "nbformat",
    "twine",
    "build",
    "wheel",
    "setuptools",
    "pip",
}
NAMED = re.compile(r"(licen[cs]e|copying|notice|authors)", re.IGNORECASE)

if __name__ == "__main__":
    target = Path(sys.argv[1])
    for one in distributions():
        if one.name.casefold() in LEFT_OUT:
            continue
        said = one.metadata.get("License-Expression") or one.metadata.get("License") or ""
        folder = target / one.name
        folder.mkdir(parents=True, exist_ok=True)
        (folder / "about.txt").write_text(f"{one.name} {one.version}\n{said}\n", encoding="utf-8")
        for file in one.files or ():
            path = Path(str(one.locate_file(file)))
            if NAMED.search(path.name) and path.suffix not in (".py", ".pyc", ".pyi") and path.is_file():
                shutil.copyfile(path, folder / path.name)
