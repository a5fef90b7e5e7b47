"""The land as a map: every pixel looks straight down."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from gelande.kernels import caster, nested
from gelande.kernels.bands import over_rows

from .patches import COLOUR_RIM
from .relief import Buffer, Scene, Tones


@dataclass(frozen=True)
class PlanCamera:
    """The middle of the picture in metres and the size of a pixel."""

    east: float
    north: float
    metres: float


def plan_buffer(scene: Scene, plan: PlanCamera, width: int, height: int) -> Buffer:
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
    scene: Scene,
    plan: PlanCamera,
    width: int,
    height: int,
    tones: Tones,
    stop: np.ndarray | None,
    old: Drawn | None = None,
) -> tuple[np.ndarray, Buffer]:
    """A map: the lit ground from above with contours and water, on paper. old: the same map of scene.changed."""
    nest = scene.nest
    if old is None or scene.changed is None or nest is not None:
        buffer, first, after = plan_buffer(scene, plan, width, height), 0, height
        buffer.depth[:] = 1.0
        total = np.zeros((height, width, 3), np.float32)
    else:
        buffer, total = old.buffer, old.total.copy()
        first, after = _rows_between(buffer, scene.changed[1] - BESIDE, scene.changed[2] + BESIDE)
        total[first:after] = 0.0
    water = -1e9 if scene.look.water is None else scene.look.water
    rest_of_look = (*scene.overlays(), 0.0, max(1, height - 1), 0.0)
    look = np.array([1e12, plan.metres, scene.look.contour, water, scene.span, scene.span, *rest_of_look])
    rows = tones.array()
    rows[0] = rows[1]
    seen = (buffer.column, buffer.row, buffer.depth, buffer.kind, total)
    rest = (scene.dx, look, np.zeros(4), rows, 1.0)
    if nest is None:
        land = (scene.height, *scene.textures)
        over_rows(lambda a, b: caster.shade_rows(*land, *seen, first + a, first + b, *rest), after - first, stop, 32)
    else:
        all_of = (scene.height, nest.heights, nest.grids, nest.places, *nest.textures)
        over_rows(lambda a, b: nested.shade_rows(*all_of, *seen, a, b, *rest, COLOUR_RIM), height, stop, 32)
    return total, buffer
