"""The thread that draws: builds the lit scene of a result, draws frames while the camera moves, refines when it rests."""

from __future__ import annotations

import math
import threading
import time
from dataclasses import dataclass, replace

import numpy as np
from PyQt6.QtCore import QObject, pyqtSignal
from PyQt6.QtGui import QImage

from gelande.core.raster import COLOUR, MASK

from ..guard import floor
from .camera import Camera
from .relief import OFFSETS, Buffer, Look, Scene, Tones, render, to_pixels
from gelande.kernels import caster
from gelande.kernels.bands import Stopped, over_rows

#: A frame while moving should take about this long.
BUDGET = 0.028
#: Linear colours of a mask tint over plain ground.
MASK_GROUND, MASK_INK = (0.40, 0.39, 0.35), (0.62, 0.17, 0.035)


@dataclass(frozen=True)
class PlanView:
    """What Plan shows: the middle of the picture in metres and the size of a pixel."""

    east: float
    north: float
    metres: float


@dataclass(frozen=True)
class Wish:
    """Everything a frame depends on. content: (key, height, dx, kind, data, water) of what is shown."""

    content: tuple | None = None
    look: Look = Look()
    camera: Camera | None = None
    plan: PlanView | None = None
    size: tuple[int, int] = (1, 1)
    tones: Tones | None = None
    moving: bool = False


@dataclass(frozen=True)
class Frame:
    """One finished picture with what each pixel sees. key: of the content it shows."""

    image: QImage
    buffer: Buffer
    scene: Scene
    wish: Wish
    passes: int
    key: tuple = ()


def albedo_of(kind: str, data: np.ndarray) -> np.ndarray | None:
    """Linear ground colour: the colour itself, a tint where a mask is white, None for plain ground."""
    if kind == COLOUR:
        return data
    if kind == MASK:
        ground, ink = np.array(MASK_GROUND, np.float32), np.array(MASK_INK, np.float32)
        return ground + data[..., None] * (ink - ground)
    return None


def plan_buffer(scene: Scene, plan: PlanView, width: int, height: int) -> Buffer:
    """The G-buffer of a map: every pixel looks straight down."""
    buffer = Buffer.of(width, height)
    x = (plan.east + (np.arange(width) + 0.5 - width / 2) * plan.metres) / scene.dx
    y = (scene.depth - plan.north + (np.arange(height) + 0.5 - height / 2) * plan.metres) / scene.dx
    inside = ((y >= 0) & (y <= scene.height.shape[0] - 1))[:, None] & ((x >= 0) & (x <= scene.height.shape[1] - 1))[None]
    buffer.kind[:] = inside
    buffer.column[:] = x[None]
    buffer.row[:] = y[:, None]
    return buffer


def draw_plan(scene: Scene, plan: PlanView, width: int, height: int, tones: Tones, stop) -> tuple[np.ndarray, Buffer]:
    """A map: the lit ground from above with contours and water, on paper."""
    buffer = plan_buffer(scene, plan, width, height)
    buffer.depth[:] = 1.0
    total = np.zeros((height, width, 3), np.float32)
    water = -1e9 if scene.look.water is None else scene.look.water
    look = np.array([1e12, plan.metres, scene.look.contour, water, scene.span, scene.span, *scene.overlays()])
    rows = tones.array()
    rows[0] = rows[1]
    over_rows(lambda a, b: caster.shade_rows(
        scene.height, *scene.textures, buffer.column, buffer.row, buffer.depth, buffer.kind, total, a, b, scene.dx, look,
        np.zeros(4), rows, 1.0), height, stop, 32)
    return total, buffer


class Renderer(QObject):
    """Draws the newest wish on its own thread; ``pictured`` carries frames to the UI thread."""

    pictured = pyqtSignal(object)
    failed = pyqtSignal()

    def __init__(self, parent=None):
        super().__init__(parent)
        self._condition = threading.Condition()
        self._wish: Wish | None = None
        self._closed = False
        self._stop = np.zeros(1, np.uint8)
        self._scene: Scene | None = None
        self._scene_key = None
        self._scale = 0.6
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

    def ask(self, wish: Wish):
        """Draws this next; what is being drawn is given up between two bands of rows."""
        with self._condition:
            self._wish = wish
            self._stop[0] = 1
            self._condition.notify()

    def close(self):
        with self._condition:
            self._closed = True
            self._stop[0] = 1
            self._condition.notify()
        self._thread.join(5)

    def _run(self):
        while True:
            with self._condition:
                while self._wish is None and not self._closed:
                    self._condition.wait()
                if self._closed:
                    return
                wish, self._wish = self._wish, None
                self._stop[0] = 0
            if wish.content is None or min(wish.size) < 2:
                continue
            try:
                self._draw(wish)
            except Stopped:
                pass  # a newer wish is there
            except BaseException as error:  # the next wish needs this thread
                self._scene = self._scene_key = None
                floor.take(error, "the renderer")
                self.failed.emit()

    def _scene_for(self, wish: Wish) -> Scene:
        key, height, dx, kind, data, water = wish.content
        if self._scene_key != (key, wish.look.azimuth, wish.look.elevation):
            began = time.perf_counter()
            self._scene = Scene(height, dx, albedo_of(kind, data), wish.look, None if kind == MASK else water)
            self._scene_key = (key, wish.look.azimuth, wish.look.elevation)
            self.seconds["scene"] = time.perf_counter() - began
        self._scene.look = wish.look
        if wish.look.steep:
            self._scene.steep_share  # counted here, not on the UI thread
        return self._scene

    def _draw(self, wish: Wish):
        scene = self._scene_for(wish)
        if wish.plan is not None:
            total, buffer = draw_plan(scene, wish.plan, *wish.size, wish.tones, self._stop)
            self._emit(total, 1, buffer, scene, wish)
            return
        width, height = wish.size
        # While moving, a coarse result is drawn with no more pixels than it has something to show for.
        scale = min(self._scale, max(0.34, 2.0 * scene.height.shape[1] / width)) if wish.moving else 1.0
        w, h = max(2, round(width * scale)), max(2, round(height * scale))
        began = time.perf_counter()
        # A moving picture is finished even when a newer wish is there: else a steady drag would show nothing.
        total, buffer = render(scene, wish.camera, w, h, wish.tones, None if wish.moving else self._stop)
        self._emit(total, 1, buffer, scene, wish)
        spent = time.perf_counter() - began
        self.seconds["frame"] = spent
        if wish.moving:
            wanted = scale * math.sqrt(BUDGET / max(spent, 1e-3))
            self._scale = min(1.0, max(0.42, 0.6 * self._scale + 0.4 * wanted))
            return
        self._refine(scene, wish, total, buffer)

    def _refine(self, scene, wish, total, buffer):
        """Averages jittered passes while nothing newer is wished for."""
        for n, offset in enumerate(OFFSETS[1:], 2):
            total += render(scene, wish.camera, *wish.size, wish.tones, self._stop, offset)[0]
            if n in (2, 4, len(OFFSETS)):
                self._emit(total, n, buffer, scene, wish)

    def _emit(self, total, passes, buffer, scene, wish):
        pixels = to_pixels(total, passes)
        h, w = pixels.shape[:2]
        image = QImage(pixels.data, w, h, w * 4, QImage.Format.Format_RGB32).copy()
        self.pictured.emit(Frame(image, buffer, scene, replace(wish, content=None), passes, wish.content[0]))
