"""Writes what a desktop and shells read of the program below a share folder, and says which packages it needs:
share.py FOLDER."""

import gzip
import sys
from pathlib import Path

from gelande.cli.desktop_files import files
from gelande.cli.needs import ALWAYS, X11
from gelande.cli.parser import build_parser

#: Packages that are called otherwise in newer systems.
ALSO = {"libglib2.0-0": "libglib2.0-0 | libglib2.0-0t64"}

if __name__ == "__main__":
    for name, text in files("gelande", build_parser()).items():
        if name.startswith("zsh/"):
            name = name.replace("site-functions", "vendor-completions")
        path = Path(sys.argv[1]) / name
        path.parent.mkdir(parents=True, exist_ok=True)
        if name.startswith("man/"):
            path.with_name(path.name + ".gz").write_bytes(gzip.compress(text.encode(), 9, mtime=0))
        else:
            path.write_text(text, encoding="utf-8")
    print(", ".join(ALSO.get(package, package) for _, package, _ in ALWAYS + X11))
