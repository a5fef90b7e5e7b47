"""Saving what the view shows as a picture of any size."""

from __future__ import annotations

import copy
import functools
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog

from gelande.core.evaluate.executor import Stop
from gelande.core.words import clean
from gelande.scene.picture import pictured, save_picture

from ..view.modes import ReliefMode
from ..view.widget import ViewWidget
from ..worker import InTurn

#: Width and height in pixels of the pictures that are offered; beside them one as large as the view.
SIZES = ((1920, 1080), (3840, 2160), (7680, 4320))
#: Passes of a saved picture: twice those of the view's still one, for edges that are smooth on paper.
PASSES = 16


class PictureSaving(QObject):
    """The menu *Save picture* of a view. ``said`` tells what became of it, ``progress`` how far it is."""

    said = pyqtSignal(str)
    progress = pyqtSignal(float, str, object)

    def __init__(self, view: ViewWidget, parent: QObject) -> None:
        super().__init__(parent)
        self._view = view
        self._worker = InTurn("pictures", lambda error: self.said.emit("The picture could not be drawn."))
        self._worker.start()
        self._stop = Stop()
        menu = view.bar.pictures
        menu.aboutToShow.connect(self._fill)
        self._fill()

    def _fill(self) -> None:
        menu = self._view.bar.pictures
        menu.clear()
        own = (self._view.width(), self._view.height())
        for words, size in (("As large as here", own), *(("", size) for size in SIZES)):
            name = f"{size[0]} × {size[1]}…"
            action = menu.addAction(f"{words}: {name}" if words else name, functools.partial(self._ask, size))
            action.setEnabled(self._view.frame is not None)

    def _ask(self, size: tuple[int, int]) -> None:
        start = str(Path.home() / "land.png")
        name, _ = QFileDialog.getSaveFileName(self._view, "Save the picture", start, "Pictures (*.png)")
        if name:
            self.save(Path(name if name.lower().endswith(".png") else f"{name}.png"), size)

    def save(self, path: Path, size: tuple[int, int]) -> None:
        """Draws what the view shows in Relief at a size in pixels, and writes it as PNG."""
        frame, view = self._view.frame, self._view
        if frame is None:
            return
        scene = copy.copy(frame.scene)  # the renderer goes on with its own
        camera = view.modes[ReliefMode.name].projection().camera
        tones, things, stop = frame.request.tones, frame.request.things, self._stop
        if stop:
            return

        def run() -> None:
            try:
                tell = functools.partial(self._tell, path)
                save_picture(pictured(scene, camera, size, stop.flag, tones, things, PASSES, tell), path)
                self.said.emit(f"The picture of {size[0]} × {size[1]} pixels is in {clean(str(path))}.")
            except OSError as error:
                self.said.emit(f"The picture was not written: {clean(str(error.strerror or error))}.")
            finally:
                self.progress.emit(1.0, "", None)

        self._worker.ask(run, stop)

    def _tell(self, path: Path, fraction: float) -> None:
        self.progress.emit(fraction, f"the picture {path.name}", None)

    def close(self) -> None:
        """Gives up what is being drawn, and ends the thread."""
        self._stop.set()
        self._worker.close()
        self._worker.join(5)
