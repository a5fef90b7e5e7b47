"""Starting the window."""

from __future__ import annotations

import os
import signal
import sys
from pathlib import Path


def run(path: Path | None = None, example: bool = False, regenerate: bool = False, shot: Path | None = None) -> int:
    """Opens the window and runs until it is closed. shot: write a PNG of the window once it is fresh, then end."""
    from PyQt6.QtCore import QTimer
    from PyQt6.QtWidgets import QApplication

    from .theme import load_fonts, palette, style_sheet
    from .window import Window

    app = QApplication.instance() or QApplication(sys.argv[:1])
    app.setApplicationName("Gelande")
    app.setStyle("Fusion")
    load_fonts()
    app.setPalette(palette())
    app.setStyleSheet(style_sheet())
    signal.signal(signal.SIGINT, signal.SIG_DFL)
    window = Window(regenerate)
    window.show()
    if path is not None:
        window.open_path(path, example)
    window.offer_lost_work()
    if shot is not None:
        from .shots import when_still

        when_still(window, lambda: (window.grab().save(str(shot)), window.close(), app.quit()))
    return app.exec()
