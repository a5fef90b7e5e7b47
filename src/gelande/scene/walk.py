"""A walk from camera to camera, as pictures one after the other show it."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from pathlib import Path

import numpy as np

from gelande.core.errors import RecipeError
from gelande.core.recipe.model import NamedCamera

from .camera import Camera
from .picture import pictured, save_picture
from .relief import PAPER, Scene, Tones
from .things import Things

#: Pictures of a walk.
MOST_FRAMES = 9999
#: Share of a walk over which it sets out, and comes to rest; metres over the ground at least.
EASE, OVER = 0.12, 1.0
#: Metres that a turn by a degree counts as, as a share of the way: somebody who only turns round takes time, too.
TURN = 1 / 360


def _pace(frames: int) -> np.ndarray:
    """Shares of the way, one a frame: even, but for setting out and coming to rest."""
    u = np.linspace(0.0, 1.0, frames)
    speed = np.minimum(1.0, np.minimum(u, 1.0 - u) / EASE * 0.9 + 0.1)
    done = np.concatenate([[0.0], np.cumsum((speed[1:] + speed[:-1]) / 2)])
    return done / max(done[-1], 1e-12)


def walk_between(stops: Sequence[Camera], frames: int, ground: Callable[[float, float], float]) -> list[Camera]:
    """Cameras on a smooth way through all stops, at an even pace. frames: how many, two at least; ground: height as it
    is drawn at metres east and north, which no camera goes below (Fritsch and Carlson 1980 between the stops)."""
    from scipy.interpolate import PchipInterpolator  # heavy to import

    rows = np.array([(c.east, c.north, c.height, c.heading, c.pitch, c.field) for c in stops], float)
    rows[:, 3] = np.rad2deg(np.unwrap(np.deg2rad(rows[:, 3])))  # it turns the shorter way
    steps = np.linalg.norm(np.diff(rows[:, :3], axis=0), axis=1)
    turns = np.abs(np.diff(rows[:, 3:5], axis=0)).sum(axis=1) * TURN * max(steps.sum(), 1.0)
    at = np.concatenate([[0.0], np.cumsum(np.maximum(np.hypot(steps, turns), 1e-6))])
    way = PchipInterpolator(at, rows, axis=0)
    # The pace is even along the way, not along its parameter.
    fine = np.linspace(0.0, at[-1], 40 * len(stops) + 1)
    place = way(fine)
    away = np.hypot(np.linalg.norm(np.diff(place[:, :3], axis=0), axis=1), np.diff(fine) * TURN)
    gone = np.concatenate([[0.0], np.cumsum(away)])
    found = way(np.interp(_pace(frames) * gone[-1], gone, fine))
    cameras = (Camera(e, n, h, heading % 360, pitch, field) for e, n, h, heading, pitch, field in found.tolist())
    return [c.above(ground(c.east, c.north), OVER) for c in cameras]


def walked(
    path: Path,
    scene: Scene,
    kept: Sequence[NamedCamera],
    frames: int,
    size: tuple[int, int],
    passes: int,
    things: Things | None = None,
    stop: np.ndarray | None = None,
    tones: Tones = PAPER,
    tell: Callable[[float], None] = lambda fraction: None,
) -> list[Path]:
    """Writes the pictures of a walk from the first kept camera to the last, numbered after the path's name, and returns
    their paths. size: pixels; passes: of each; tell: is told how much of it is done. Raises RecipeError, Stopped,
    OSError."""
    if len(kept) < 2:
        raise RecipeError("A walk goes from kept camera to kept camera; keep two at least (View, Cameras).")
    stops = [Camera(c.east, c.north, c.height, c.heading, c.pitch) for c in kept]
    files = []
    for k, eye in enumerate(walk_between(stops, frames, scene.surface)):
        tell(k / frames)
        files.append(path.with_name(f"{path.stem}_{k + 1:04d}.png"))
        save_picture(pictured(scene, eye, size, stop, tones, things, passes), files[-1])
    return files
