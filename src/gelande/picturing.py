"""Pictures of a land as a camera sees it, with what stands on it, for programs and the command line."""

from __future__ import annotations

from dataclasses import dataclass
from pathlib import Path

import numpy as np

from .core.errors import RecipeError
from .core.recipe.model import NamedCamera
from .scene.camera import EYE_HEIGHT, Camera
from .scene.picture import pictured, save_picture, whole_site
from .scene.relief import GRAIN, Look, Scene
from .scene.things import Things
from .scene.tints import albedo_of
from .scene.walk import MOST_FRAMES, walked

#: Pixels along a side of a picture, and its passes.
LEAST, MOST, MOST_PASSES = 16, 8192, 256


@dataclass(frozen=True)
class Order:
    """A picture that is wanted. size: width and height in pixels; camera: the name of a kept one, "EAST,NORTH,HEADING"
    or "EAST,NORTH,HEADING,PITCH" (metres, degrees) of somebody who stands on the ground, "" for the whole land; passes:
    more make smoother edges; sun: azimuth and height, degrees; walk: how many pictures of a walk from the first kept
    camera to the last, 0 for one picture; plain: without air and mirrors, for
    measuring."""

    size: tuple[int, int] = (1920, 1080)
    camera: str = ""
    passes: int = 16
    sun: tuple[float, float] = (318.0, 34.0)
    walk: int = 0
    plain: bool = False

    def check(self) -> None:
        """Raises RecipeError when it cannot be drawn."""
        width, height = self.size
        if not (min(self.size) >= LEAST and max(self.size) <= MOST):
            raise RecipeError(f"A picture of {width} × {height} pixels; give {LEAST} to {MOST} along each side.")
        if not 1 <= self.passes <= MOST_PASSES:
            raise RecipeError(f"A picture of {self.passes} passes; give 1 to {MOST_PASSES}.")
        if not (np.isfinite(self.sun).all() and 2 <= self.sun[1] <= 90):
            raise RecipeError(f"The sun stands at {self.sun[1]:g}°; give 2 to 90.")
        if not (self.walk == 0 or 2 <= self.walk <= MOST_FRAMES):
            raise RecipeError(f"A walk of {self.walk} pictures; give 2 to {MOST_FRAMES}.")


def camera_of(kept: tuple[NamedCamera, ...], scene: Scene, order: Order) -> Camera:
    """The camera of an order. Raises RecipeError naming those that are kept."""
    where = order.camera.strip()
    if not where:
        return whole_site(scene, order.size, 28.0, -29.0)
    for one in kept:
        if one.name.casefold() == where.casefold():
            return Camera(one.east, one.north, one.height, one.heading, one.pitch)
    try:
        east, north, heading, pitch = ([float(v) for v in where.split(",")] + [-3.0])[:4]
        if not np.isfinite([east, north, heading, pitch]).all():
            raise ValueError
    except ValueError:
        known = ", ".join(c.name for c in kept) or "none"
        raise RecipeError(
            f"There is no camera called {where!r}; the recipe keeps {known}. Give a name, or EAST,NORTH,HEADING."
        ) from None
    ground = scene.surface(east, north) + EYE_HEIGHT
    return Camera(east, north, ground, heading % 360, max(-88.0, min(88.0, pitch)), 50.0)


def write_picture(
    path: Path,
    order: Order,
    seen: tuple[str, np.ndarray, np.ndarray, np.ndarray | None],
    dx: float,
    kept: tuple[NamedCamera, ...],
    bare: str,
    things: Things | None = None,
    stop: np.ndarray | None = None,
) -> None:
    """Writes a picture as PNG, or as EXR with its depth where the name ends so; or a walk's, numbered. seen: kind of
    data, samples, the ground under them and the water over it; dx: metres between samples; kept: cameras of the recipe;
    bare: tones of land without colours. Raises GelandeError, Stopped, OSError."""
    order.check()
    kind, data, under, water = seen
    times = next((c.times for c in kept if c.name.casefold() == order.camera.strip().casefold()), 1.0)
    look = Look(order.sun[0] % 360, order.sun[1], times=times, grain=GRAIN, bare=bare, air=not order.plain)
    scene = Scene(under, dx, albedo_of(kind, data), look, water)
    if order.walk:
        walked(path, scene, kept, order.walk, order.size, order.passes, things, stop)
        return
    depth = np.empty(order.size[::-1], np.float32) if path.suffix.lower() == ".exr" else None
    eye = camera_of(kept, scene, order)
    save_picture(pictured(scene, eye, order.size, stop, things=things, passes=order.passes, depth=depth), path, depth)
