"""From where land is looked at: Relief through a camera, Plan from straight above. Values without Qt that know how they
are drawn; a new way to look at land is one more of them, with a mode that moves it (modes.py)."""

from __future__ import annotations

import math
import time
from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from gelande.scene.camera import Camera
from gelande.scene.passes import one_pass
from gelande.scene.plan import Drawn, PlanCamera, draw_plan
from gelande.scene.relief import OFFSETS, Buffer, Scene
from gelande.scene.things import draw_map

from .renderer import Renderer, RenderRequest

#: A frame while moving should take about this long.
BUDGET = 0.028


@dataclass(frozen=True)
class ReliefProjection:
    """The land in three dimensions."""

    camera: Camera

    passes: ClassVar[int] = len(OFFSETS)

    def footprints(self, b: Buffer) -> tuple[tuple[np.ndarray, ...], float]:
        """(kind, depth, column and row of each pixel, its size in metres at depth 1)."""
        return (b.kind, b.depth, b.column, b.row), 2 * math.tan(math.radians(self.camera.field / 2)) / b.kind.shape[0]

    def draw(self, renderer: Renderer, scene: Scene, request: RenderRequest) -> None:
        """One pass while moving, at fewer pixels; at rest jittered passes are averaged."""
        width, height = request.size
        # While moving, a coarse result is drawn with no more pixels than it has something to show for.
        least = max(0.34, 2.0 * scene.height.shape[1] / width)
        scale = min(renderer.scale, least) if request.moving else 1.0
        w, h = max(2, round(width * scale)), max(2, round(height * scale))
        tones, things, began = request.tones, request.things, time.perf_counter()
        # A moving picture is finished even when a newer wish is there: else a steady drag would show nothing.
        total, buffer = one_pass(
            scene, self.camera, (w, h), tones, None if request.moving else renderer.stop, things=things
        )
        renderer.emit(total, 1, buffer, scene, request)
        spent = renderer.seconds["frame"] = time.perf_counter() - began
        if request.moving:
            wanted = scale * math.sqrt(BUDGET / max(spent, 1e-3))
            renderer.scale = min(1.0, max(0.42, 0.6 * renderer.scale + 0.4 * wanted))
            return
        for n in range(2, len(OFFSETS) + 1):
            rest = (renderer.stop, OFFSETS[n - 1], n - 1, things)
            total += one_pass(scene, self.camera, request.size, tones, *rest)[0]
            if n in (2, 4, len(OFFSETS)):
                renderer.emit(total, n, buffer, scene, request)


@dataclass(frozen=True)
class PlanProjection(PlanCamera):
    """The land as a map."""

    passes: ClassVar[int] = 1

    def footprints(self, b: Buffer) -> tuple[tuple[np.ndarray, ...], float]:
        """As for Relief; what lies in the middle of the map counts as a little nearer."""
        rows, columns = b.kind.shape
        y, x = np.ogrid[-1 : 1 : rows * 1j, -1 : 1 : columns * 1j]
        return (b.kind, (1 + 1e-3 * np.hypot(x, y)).astype(np.float32), b.column, b.row), self.metres

    def draw(self, renderer: Renderer, scene: Scene, request: RenderRequest) -> None:
        """One picture, moving or not. Of a land of which only some rows have other colours, only those are drawn."""
        things = request.things
        shape = (self, request.size, request.look, request.tones)
        kept = renderer.kept
        old = kept[1] if kept and kept[0] == shape and scene.changed and scene.changed[0]() is kept[1].scene else None
        total, buffer = draw_plan(scene, self, *request.size, request.tones, renderer.stop, old)
        renderer.kept = (shape, Drawn(scene, total, buffer)) if scene.nest is None else None
        if things is not None:
            total = total.copy()
            draw_map(things, scene, self, buffer, total)
        renderer.emit(total, 1, buffer, scene, request)
