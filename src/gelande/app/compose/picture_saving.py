"""Saving what the view shows as a picture of any size."""

from __future__ import annotations

import copy
import functools
from collections.abc import Callable
from pathlib import Path

from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtWidgets import QFileDialog, QInputDialog

from gelande.core.evaluate.executor import Stop
from gelande.core.recipe.model import NamedCamera
from gelande.core.words import clean
from gelande.scene.picture import pictured, save_picture
from gelande.scene.walk import MOST_FRAMES, walked

from ..view.modes import ReliefMode
from ..view.widget import ViewWidget
from ..worker import InTurn

#: Width and height in pixels of the pictures that are offered; beside them one as large as the view.
SIZES = ((1920, 1080), (3840, 2160), (7680, 4320))
#: Passes of a saved picture: twice those of the view's still one, for edges that are smooth on paper.
PASSES = 16
#: Pictures of a walk from one kept camera to the next, where nobody says how many: six seconds.
A_LEG = 150


class PictureSaving(QObject):
    """The menu *Save picture* of a view. ``said`` tells what became of it, ``progress`` how far it is."""

    said = pyqtSignal(str)
    progress = pyqtSignal(float, str, object)

    def __init__(self, view: ViewWidget, kept: Callable[[], tuple[NamedCamera, ...]], parent: QObject) -> None:
        """kept: gives the cameras that the recipe keeps."""
        super().__init__(parent)
        self._view, self._kept = view, kept
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
        menu.addSeparator()
        walk = menu.addAction("A walk between the kept cameras…", self._ask_walk)
        walk.setToolTip("Numbered pictures from the first kept camera to the last")
        walk.setEnabled(self._view.frame is not None and len(self._kept()) > 1)

    def _ask_walk(self) -> None:
        start = str(Path.home() / "walk.png")
        name, _ = QFileDialog.getSaveFileName(self._view, "Save the pictures of the walk", start, "Pictures (*.png)")
        if not name:
            return
        words, usual = "Pictures, from the first camera to the last", A_LEG * (len(self._kept()) - 1)
        count, yes = QInputDialog.getInt(self._view, "A walk between the kept cameras", words, usual, 2, MOST_FRAMES)
        if yes:
            self.save_walk(Path(name), count)

    def save_walk(self, path: Path, count: int, size: tuple[int, int] = SIZES[0]) -> None:
        """Draws so many pictures of what the view shows, from the first kept camera to the last."""
        frame, kept, stop = self._view.frame, self._kept(), self._stop
        if frame is None or stop:
            return
        scene = copy.copy(frame.scene)
        scene.nest = None  # finer ground is there near one place alone
        tones, things = frame.request.tones, frame.request.things

        def run() -> None:
            tell = functools.partial(self._tell, path)
            files = walked(path, scene, kept, count, size, PASSES // 2, things, stop.flag, tones, tell)
            self.said.emit(f"{len(files)} pictures of the walk are in {clean(str(path.parent))}.")

        self._worker.ask(functools.partial(self._run, run), stop)

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
            tell = functools.partial(self._tell, path)
            save_picture(pictured(scene, camera, size, stop.flag, tones, things, PASSES, tell), path)
            self.said.emit(f"The picture of {size[0]} × {size[1]} pixels is in {clean(str(path))}.")

        self._worker.ask(functools.partial(self._run, run), stop)

    def _run(self, draw: Callable[[], None]) -> None:
        try:
            draw()
        except OSError as error:
            self.said.emit(f"The picture was not written: {clean(str(error.strerror or error))}.")
        finally:
            self.progress.emit(1.0, "", None)

    def _tell(self, path: Path, fraction: float) -> None:
        self.progress.emit(fraction, f"the picture {path.name}", None)

    def close(self) -> None:
        """Gives up what is being drawn, and ends the thread."""
        self._stop.set()
        self._worker.close()
        self._worker.join(5)
