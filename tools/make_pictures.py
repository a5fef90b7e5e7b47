"""Writes a small picture of each example beside it. Run: QT_QPA_PLATFORM=offscreen PYTHONPATH=src .venv/bin/python
tools/make_pictures.py"""

import os
import tempfile

os.environ.setdefault("QT_QPA_PLATFORM", "offscreen")
os.environ["GELANDE_STATE"] = tempfile.mkdtemp()

from PyQt6.QtGui import QPixmap  # noqa: E402
from PyQt6.QtWidgets import QApplication  # noqa: E402
from screenshots import leave, wait  # noqa: E402

from gelande.app import theme, thumbs  # noqa: E402
from gelande.app.window import Window  # noqa: E402
from gelande.places import examples_folder  # noqa: E402
from gelande.prepare import forget_stale  # noqa: E402


def main():
    app = QApplication([])
    app.setStyle("Fusion")
    theme.load_fonts()
    app.setStyleSheet(theme.style_sheet())
    window = Window()
    window.resize(1280, 800)
    window.show()
    for path in sorted(examples_folder().glob("*.gelande")):
        window.filing.open_path(path, True)
        wait(window)
        picture = QPixmap.fromImage(window.compose.view.frame.image)
        small = thumbs.fitted(picture, thumbs.SIZE.width(), thumbs.SIZE.height())
        small.save(str(path.with_suffix(".png")))
        print("wrote", path.with_suffix(".png").name)
    leave(window)


if __name__ == "__main__":
    forget_stale()  # figures and pictures are never of a mixture of old and new machine code
    main()
