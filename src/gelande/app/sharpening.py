"""Finer levels of what the view looks at from near: computed while the camera rests, shown as each arrives."""

from __future__ import annotations

from collections import OrderedDict
from dataclasses import replace

from PyQt6.QtCore import QObject, pyqtSignal

from gelande.core.errors import GelandeError
from gelande.core.evaluate.executor import Job, Stop
from gelande.core.evaluate.query import shown_on
from gelande.core.recipe.site import GLOBAL_LEVEL
from gelande.kernels.grid_window import GridWindow
from gelande.scene.patches import Patch, windows_near

from .engine import Engine, Request
from .view.renderer import Picture
from .view.widget import ViewWidget
from .worker import Worker

#: Patches that are kept though nothing shows them now.
KEPT = 12


class Sharpening(QObject):
    """Patches for a view. Nothing of a newer request waits for them: they are given up when one is made."""

    _made = pyqtSignal(object, object, object, object)

    def __init__(self, engine: Engine, view: ViewWidget, parent: QObject) -> None:
        super().__init__(parent)
        self._engine, self._view = engine, view
        self._worker = Worker("near", lambda error: None)
        self._worker.start()
        self._request: Request | None = None
        self._asked: tuple = ()  # the picture that was looked at last
        self._wanted: tuple = ()  # content and windows that are being computed, or there
        self._windows: dict[int, GridWindow] = {}
        self._patches: OrderedDict[tuple, Patch] = OrderedDict()
        view.pictured.connect(self._pictured)
        view.looked.connect(self._moved)
        self._made.connect(self._arrived)

    @property
    def busy(self) -> bool:
        """True while a patch is computed."""
        return self._worker.busy

    def follow(self, request: Request | None) -> None:
        """The view shows this request's land from now on, in full; None: another one is being computed, and what was
        being computed of the old one is given up."""
        self._worker.stop_now()
        self._request, self._asked, self._wanted = request, (), ()

    def close(self) -> None:
        """Ends the thread."""
        self._worker.close()
        self._worker.join(5)

    def _moved(self) -> None:
        """The camera goes on: both cores are the picture's."""
        if self._view.asked is not None and self._view.asked.moving:
            self._worker.stop_now()
            self._asked = self._wanted = ()

    def _pictured(self, frame: Picture) -> None:
        """A picture is there; once it rests and is drawn in full, what it shows too coarsely is asked for."""
        view, r = self._view, self._request
        if r is None or not view.drawn or not view.near.offered(view.asked.content[3]):
            return
        _, height, dx, kind, *_ = view.asked.content
        if r.level < GLOBAL_LEVEL or height.shape != r.recipe.site.shape(r.level):
            return
        asked = (frame.key, frame.request.projection, frame.request.size)
        if asked == self._asked:
            return
        self._asked = asked
        seen, pixel = frame.request.projection.footprints(frame.buffer)
        finest = r.recipe.site.levels[-1] - r.level
        windows = windows_near(seen, pixel, dx, height.shape, finest, self._windows)
        self._windows = dict(windows)
        if (frame.key, windows) == self._wanted:
            return  # being computed, or there: who stands on finer ground looks from a little higher or lower
        self._wanted, stop = (frame.key, windows), Stop()
        if windows:
            key = frame.key
            self._worker.ask(lambda: self._compute(replace(r, stop=stop), key, kind, windows), stop)
        elif view.near.patches:
            view.near.put(frame.key, (), dx, None)

    def _compute(self, r: Request, key: tuple, kind: str, windows: list[tuple[int, GridWindow]]) -> None:
        """Computes one patch after the other, coarse to fine."""
        content, found = self._engine.evaluator.keys(r.recipe, r.folder)[r.node], []
        job = Job(r.recipe, r.folder, r.stop, whole=1)
        for k, window in windows:
            name = (content, r.node, r.port, r.level, k, window)
            patch = self._patches.get(name)
            if patch is None:
                self._made.emit(key, tuple(found), r.recipe.site.spacing(r.level + k), r.stop)
                try:
                    made = shown_on(self._engine.evaluator, job, r.node, r.port, r.level + k, window)
                except GelandeError:
                    break  # told where the land itself fails; a finer level that does not is left out
                if made is None:
                    break
                data, height, water = made
                patch = Patch(2**k, window.top, window.left, height, kind, data, water)
            r.stop.check()
            self._patches[name] = patch
            self._patches.move_to_end(name)
            while len(self._patches) > KEPT:
                self._patches.popitem(last=False)
            found.append(patch)
        self._made.emit(key, tuple(found), None, r.stop)

    def _arrived(self, key: tuple, patches: tuple[Patch, ...], comes: float | None, stop: Stop) -> None:
        if not stop and self._request is not None:
            self._view.near.put(key, patches, self._request.recipe.site.spacing(self._request.level), comes)
