"""Starting the window."""

from __future__ import annotations

import signal
import sys
from pathlib import Path

from .places import examples_folder, kernels_stamp

FIRST = "Preparing the numeric kernels; this is done once and takes about a minute."


def prepare_first(window, then):
    """Compiles the kernels in another process when that was never done, tells it in the window, and then calls
    then()."""
    from PyQt6.QtCore import QProcess, QProcessEnvironment

    if kernels_stamp().exists():
        then()
        return
    window.say(FIRST)
    window.state_label.setText("preparing")
    process = QProcess(window)
    environment = QProcessEnvironment.systemEnvironment()
    environment.insert("PYTHONPATH", str(Path(__file__).parents[2]))
    process.setProcessEnvironment(environment)

    def done(code, status):
        if code == 0:
            window.say("The numeric kernels are ready.")
        then()

    process.finished.connect(done)
    process.start(sys.executable, ["-m", "gelande", "prepare"])


def run(
    path: Path | None = None, example: bool = False, regenerate: bool = False, shot: Path | None = None, fresh=None
) -> int:
    """Opens the window and runs until it is closed. Without a path: the demo at the very first start, else an empty
    recipe.

    shot: write a PNG of the window once it is fresh, then end; fresh: a new recipe to begin with."""
    from PyQt6.QtCore import QLocale, QSettings
    from PyQt6.QtWidgets import QApplication

    from gelande.core import numerals

    from .guard import floor
    from .memory import share_arenas
    from .places import state_folder
    from .theme import dress, load_fonts
    from .window import Window

    share_arenas()
    app = QApplication.instance() or QApplication(sys.argv[:1])
    app.setApplicationName("Gelande")
    floor.install(state_folder() / "log")
    marks = QLocale.system()
    numerals.set_marks(marks.decimalPoint(), marks.groupSeparator())
    app.setStyle("Fusion")
    load_fonts()
    dress(QSettings("Gelande", "Gelande").value("theme", "light"))
    signal.signal(signal.SIGINT, signal.SIG_DFL)
    window = Window(regenerate)
    window.show()
    window.offer_lost_work()
    first = not window.settings.value("started", False)
    window.settings.setValue("started", True)
    demo = examples_folder() / "varrowdale.gelande"
    if path is None and fresh is None and first and demo.exists():
        path, example = demo, True

    def begin():
        if fresh is not None:
            window.begin(fresh)
        if path is not None:
            window.open_path(path, example)
        if shot is not None:
            from .shots import when_still

            when_still(window, lambda: (window.grab().save(str(shot)), window.close(), app.quit()))

    prepare_first(window, begin)
    return app.exec()
