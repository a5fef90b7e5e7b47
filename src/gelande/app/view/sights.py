"""From where land is looked at: Relief through a camera, Plan from straight above. Values without Qt that know how they
are drawn; a new way to look at land is one more of them, with a mode that moves it (modes.py)."""

from __future__ import annotations

import math
import time
from dataclasses import dataclass
from typing import ClassVar

import numpy as np

from gelande.kernels import caster
from gelande.kernels.bands import over_rows
from gelande.scene.camera import Camera
from gelande.scene.relief import OFFSETS, Buffer, Scene, Tones, render

from .renderer import Renderer, Wish

#: A frame while moving should take about this long.
BUDGET = 0.028


@dataclass(frozen=True)
class ReliefSight:
    """The land in three dimensions."""

    camera: Camera

    passes: ClassVar[int] = len(OFFSETS)

    def draw(self, renderer: Renderer, scene: Scene, wish: Wish) -> None:
        """One pass while moving, at fewer pixels; at rest jittered passes are averaged."""
        width, height = wish.size
        # While moving, a coarse result is drawn with no more pixels than it has something to show for.
        least = max(0.34, 2.0 * scene.height.shape[1] / width)
        scale = min(renderer.scale, least) if wish.moving else 1.0
        w, h = max(2, round(width * scale)), max(2, round(height * scale))
        began = time.perf_counter()
        # A moving picture is finished even when a newer wish is there: else a steady drag would show nothing.
        total, buffer = render(scene, self.camera, w, h, wish.tones, None if wish.moving else renderer.stop)
        renderer.emit(total, 1, buffer, scene, wish)
        spent = renderer.seconds["frame"] = time.perf_counter() - began
        if wish.moving:
            wanted = scale * math.sqrt(BUDGET / max(spent, 1e-3))
            renderer.scale = min(1.0, max(0.42, 0.6 * renderer.scale + 0.4 * wanted))
            return
        for n, offset in enumerate(OFFSETS[1:], 2):
            total += render(scene, self.camera, *wish.size, wish.tones, renderer.stop, offset)[0]
            if n in (2, 4, len(OFFSETS)):
                renderer.emit(total, n, buffer, scene, wish)


@dataclass(frozen=True)
class PlanSight:
    """The land as a map: the middle of the picture in metres and the size of a pixel."""

    east: float
    north: float
    metres: float

    passes: ClassVar[int] = 1

    def draw(self, renderer: Renderer, scene: Scene, wish: Wish) -> None:
        """One picture, moving or not. Of a land of which only some rows have other colours, only those are drawn."""
        shape = (self, wish.size, wish.look, wish.tones)
        kept = renderer.kept
        old = kept[1] if kept and kept[0] == shape and scene.changed and scene.changed[0]() is kept[1].scene else None
        total, buffer = draw_plan(scene, self, *wish.size, wish.tones, renderer.stop, old)
        renderer.kept = (shape, Drawn(scene, total, buffer))
        renderer.emit(total, 1, buffer, scene, wish)


def plan_buffer(scene: Scene, plan: PlanSight, width: int, height: int) -> Buffer:
    """The G-buffer of a map: every pixel looks straight down."""
    buffer = Buffer.of(width, height)
    x = (plan.east + (np.arange(width) + 0.5 - width / 2) * plan.metres) / scene.dx
    y = (scene.depth - plan.north + (np.arange(height) + 0.5 - height / 2) * plan.metres) / scene.dx
    inside = ((y >= 0) & (y <= scene.height.shape[0] - 1))[:, None] & ((x >= 0) & (x <= scene.height.shape[1] - 1))[
        None
    ]
    buffer.kind[:] = inside
    buffer.column[:] = x[None]
    buffer.row[:] = y[:, None]
    return buffer


@dataclass(frozen=True)
class Drawn:
    """A map as it was drawn."""

    scene: Scene
    total: np.ndarray
    buffer: Buffer


#: Samples beside a changed row whose pixels are drawn anew as well: coarser textures look that far.
BESIDE = 20


def _rows_between(buffer: Buffer, first: float, after: float) -> tuple[int, int]:
    """Rows of pixels that look at these rows of the ground."""
    ys = np.flatnonzero((buffer.row[:, 0] >= first) & (buffer.row[:, 0] <= after))
    return (int(ys[0]), int(ys[-1]) + 1) if len(ys) else (0, 0)


def draw_plan(
    scene: Scene, plan: PlanSight, width: int, height: int, tones: Tones, stop, old: Drawn | None = None
) -> tuple[np.ndarray, Buffer]:
    """A map: the lit ground from above with contours and water, on paper. old: the same map of scene.changed."""
    if old is None or scene.changed is None:
        buffer, first, after = plan_buffer(scene, plan, width, height), 0, height
        buffer.depth[:] = 1.0
        total = np.zeros((height, width, 3), np.float32)
    else:
        buffer, total = old.buffer, old.total.copy()
        first, after = _rows_between(buffer, scene.changed[1] - BESIDE, scene.changed[2] + BESIDE)
        total[first:after] = 0.0
    water = -1e9 if scene.look.water is None else scene.look.water
    look = np.array([1e12, plan.metres, scene.look.contour, water, scene.span, scene.span, *scene.overlays()])
    rows = tones.array()
    rows[0] = rows[1]
    seen = (scene.height, *scene.textures, buffer.column, buffer.row, buffer.depth, buffer.kind, total)
    rest = (scene.dx, look, np.zeros(4), rows, 1.0)
    over_rows(lambda a, b: caster.shade_rows(*seen, first + a, first + b, *rest), after - first, stop, 32)
    return total, buffer
