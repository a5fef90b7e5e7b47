"""The thread that draws: builds the lit scene of a result, draws frames while the camera moves, refines when it
rests."""

from __future__ import annotations

import threading
import time
from dataclasses import dataclass, replace
from typing import Protocol

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QImage

from gelande.core.recipe.raster import MASK
from gelande.kernels.bands import Stopped, on_own_threads
from gelande.scene.patches import Nest, Patch
from gelande.scene.relief import Buffer, Look, Scene, Tones, to_pixels
from gelande.scene.things import Things
from gelande.scene.tints import FAINT, MASKS, albedo_of

from ..crash_handler import crash_handler


class Projection(Protocol):
    """From where the land is looked at, and how that is drawn. Two that are equal give the same picture."""

    #: Passes of a finished picture.
    passes: int

    def footprints(self, b: Buffer) -> tuple[tuple[np.ndarray, ...], float]:
        """(kind, depth, column and row of each pixel, its size in metres at depth 1)."""

    def draw(self, renderer: Renderer, scene: Scene, request: RenderRequest) -> None:
        """Draws the scene and emits pictures of it; Stopped when a newer wish is there."""


@dataclass(frozen=True)
class RenderRequest:
    """Everything a frame depends on. content: (key, height, dx, kind, data, water) of what is shown; things:
    what stands on it; patches: what is there of finer levels."""

    content: tuple | None = None
    look: Look = Look()
    projection: Projection | None = None
    size: tuple[int, int] = (1, 1)
    tones: Tones | None = None
    moving: bool = False
    things: Things | None = None
    patches: tuple[Patch, ...] = ()

    def gives(self, other: RenderRequest) -> bool:
        """True when another wish for the same content gives the same picture."""
        mine = (self.look, self.projection, self.size, self.things, self.patches)
        return mine == (other.look, other.projection, other.size, other.things, other.patches)


@dataclass(frozen=True)
class Picture:
    """One finished picture with what each pixel sees. key: of the content it shows."""

    image: QImage
    buffer: Buffer
    scene: Scene
    request: RenderRequest
    passes: int
    key: tuple = ()


class Renderer(QObject):
    """Draws the newest wish on its own thread; ``pictured`` carries frames to the UI thread."""

    pictured = pyqtSignal(object)
    failed = pyqtSignal()

    def __init__(self, parent=None) -> None:
        super().__init__(parent)
        self._condition = threading.Condition()
        self._request: RenderRequest | None = None
        self._closed = False
        self._stop = np.zeros(1, np.uint8)
        self._scene: Scene | None = None
        self._scene_key = None
        self.kept: tuple | None = None  # what a sight keeps of its last picture
        #: Share of the pixels that a moving picture has, by how long the last ones took.
        self.scale = 0.6
        self.seconds = {"scene": 0.0, "frame": 0.0}
        self._thread: threading.Thread | None = None
        self.revive()

    def revive(self) -> bool:
        """Begins the thread when there is none that lives. Returns whether there was none."""
        if self._closed or self._thread is not None and self._thread.is_alive():
            return False
        self._thread = threading.Thread(target=self._run, name="renderer", daemon=True)
        self._thread.start()
        return True

    def ask(self, request: RenderRequest) -> None:
        """Draws this next; what is being drawn is given up between two bands of rows."""
        with self._condition:
            self._request = request
            self._stop[0] = 1
            self._condition.notify()

    def close(self) -> None:
        with self._condition:
            self._closed = True
            self._stop[0] = 1
            self._condition.notify()
        self._thread.join(5)

    def _run(self) -> None:
        with on_own_threads():
            self._serve()

    def _serve(self) -> None:
        while True:
            with self._condition:
                while self._request is None and not self._closed:
                    self._condition.wait()
                if self._closed:
                    return
                request, self._request = self._request, None
                self._stop[0] = 0
            if request.content is None or min(request.size) < 2:
                continue
            try:
                self._draw(request)
            except Stopped:
                pass  # a newer wish is there
            except BaseException as error:  # the next wish needs this thread
                self._scene = self._scene_key = None
                crash_handler.take(error, "the renderer")
                self.failed.emit()

    def _scene_for(self, request: RenderRequest) -> Scene:
        key, height, dx, kind, data, water = request.content
        look, masked = request.look, kind in (MASK, MASKS)
        wanted = (
            key,
            look.azimuth,
            look.elevation,
            look.times,
            look.bare,
            look.air,
            *((look.tint, look.grey) if masked else ()),
        )
        if self._scene_key != wanted:
            began = time.perf_counter()
            albedo, faint = albedo_of(kind, data, look.tint, look.grey), kind == MASK and look.grey
            self._scene = Scene(
                height, dx, albedo, look, None if masked else water, FAINT if faint else 1.0, self._scene
            )
            self._scene_key = wanted
            self.seconds["scene"] = time.perf_counter() - began
        scene = self._scene
        scene.look = request.look
        if (scene.nest.patches if scene.nest else ()) != request.patches:
            scene.nest = Nest(scene, request.patches, scene.nest) if request.patches else None
        if request.look.steep:
            _ = self._scene.steep_fraction  # counted here, not on the UI thread
        return self._scene

    def _draw(self, request: RenderRequest) -> None:
        if request.projection is not None:
            request.projection.draw(self, self._scene_for(request), request)

    @property
    def stop(self) -> np.ndarray:
        """Set when a newer wish is there."""
        return self._stop

    def emit(self, total: np.ndarray, passes: int, buffer: Buffer, scene: Scene, request: RenderRequest) -> None:
        """Hands on a picture of so many passes."""
        pixels = to_pixels(total, passes)
        h, w = pixels.shape[:2]
        image = QImage(pixels.data, w, h, w * 4, QImage.Format.Format_RGB32).copy()
        self.pictured.emit(Picture(image, buffer, scene, replace(request, content=None), passes, request.content[0]))
