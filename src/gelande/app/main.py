"""Starting the window."""

from __future__ import annotations

import signal
import sys
from pathlib import Path

from gelande.places import examples_folder

#: Seconds after which a thread that waits for the interpreter gets it. By default 5 ms, which every call of a kernel
#: waits whenever the window draws: rain erosion of 97 samples beside a busy thread takes 112 instead of 511 ms.
SWITCH = 0.0005


def kinds_of(path: Path | None) -> set[str]:
    """The kinds of nodes that a recipe needs; those of an empty one are what people begin with."""
    from gelande.core.errors import GelandeError
    from gelande.core.recipe.recipefile import load

    if path is not None:
        try:
            return {state.kind for state in load(path).nodes.values()}
        except (GelandeError, OSError):
            pass  # the window tells why it cannot be opened
    return {"fractal_noise", "terrace", "rain_erosion"}


def _take_picture(window, shot: Path, app) -> None:
    """Writes a PNG of the window once all is prepared and fresh, then ends the program."""
    from .shots import prepared, when_still

    def take() -> None:
        window.grab().save(str(shot))
        window.close()
        app.quit()

    when_still(window, take, limit=600_000, ready=prepared)


def run(
    path: Path | None = None, example: bool = False, regenerate: bool = False, shot: Path | None = None, fresh=None
) -> int:
    """Opens the window and runs until it is closed. Without a path: the demo at the very first start, else an empty
    recipe.

    shot: write a PNG of the window once it is fresh, then end; fresh: a new recipe to begin with."""
    from PyQt6.QtCore import QLocale, QTimer
    from PyQt6.QtGui import QIcon
    from PyQt6.QtWidgets import QApplication

    from gelande.core.files import numerals
    from gelande.places import state_folder

    from .crash_handler import crash_handler
    from .instance import Instance, hand_over
    from .looks import looks, set_scale
    from .memory import share_arenas
    from .readying import prepare_first
    from .theme import load_fonts
    from .window_manager import WindowManager

    share_arenas()
    sys.setswitchinterval(SWITCH)
    set_scale()
    app = QApplication.instance() or QApplication(sys.argv[:1])
    app.setApplicationName("Gelande")
    app.setDesktopFileName("gelande")
    app.setWindowIcon(QIcon(str(Path(__file__).parent / "desktop" / "gelande.svg")))
    if shot is None and fresh is None and hand_over(path, example, regenerate):
        print("Gelande is running already: the recipe opens there in a window of its own.")
        return 0
    crash_handler.install(state_folder() / "log")
    marks = QLocale.system()
    numerals.set_marks(marks.decimalPoint(), marks.groupSeparator())
    app.setStyle("Fusion")
    load_fonts()
    looks.begin()
    signal.signal(signal.SIGINT, signal.SIG_DFL)
    instance = Instance()
    instance.listen()
    windows = WindowManager()
    instance.wanted.connect(windows.open)
    window = windows.window(regenerate)
    window.filing.offer_lost_work()
    first = not window.settings.value("started", False)
    window.settings.setValue("started", True)
    demo = examples_folder() / "varrowdale.gelande"
    if path is None and fresh is None and first and demo.exists():
        path, example = demo, True

    def begin() -> None:
        if fresh is not None:
            window.filing.begin(fresh)
        elif path is not None:
            window.filing.open_path(path, example)
        else:
            window.document.opened.emit()
        if shot is not None:
            _take_picture(window, shot, app)
        elif not regenerate and not window.settings.value("toured", False, bool):
            QTimer.singleShot(0, window.guiding.start_tour)

    prepare_first(window, kinds_of(path), begin)
    code = app.exec()
    instance.close()
    return code
