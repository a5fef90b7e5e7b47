"""Writes what a desktop and shells read of the program below a share folder: share.py FOLDER."""

import gzip
import sys
from pathlib import Path

from gelande.cli.desktop_files import files
from gelande.cli.parser import build_parser

if __name__ == "__main__":
    for name, text in files("gelande", build_parser()).items():
        path = Path(sys.argv[1]) / name
        path.parent.mkdir(parents=True, exist_ok=True)
        if "/man/" in f"/{name}":
            path.with_name(path.name + ".gz").write_bytes(gzip.compress(text.encode(), 9, mtime=0))
        elif name.startswith("zsh/"):
            vendor = Path(sys.argv[1]) / "zsh" / "vendor-completions" / path.name
            vendor.parent.mkdir(parents=True, exist_ok=True)
            vendor.write_text(text, encoding="utf-8")
            path.parent.rmdir()
        else:
            path.write_text(text, encoding="utf-8")
