"""One finished picture of a land, for files."""

from __future__ import annotations

import numpy as np

from .camera import Camera
from .relief import OFFSETS, PAPER, Buffer, Scene, Tones, render, to_pixels


def whole_site(scene: Scene, size: tuple[int, int], heading: float, pitch: float) -> Camera:
    """A camera that sees all of a land. size: width and height of the picture in pixels; pitch: degrees, negative looks
    down."""
    return Camera.home(scene.outline, size[0] / size[1], heading, pitch, 0.0)


def pictured(
    scene: Scene, camera: Camera, size: tuple[int, int], stop: np.ndarray | None = None, tones: Tones = PAPER
) -> np.ndarray:
    """Picture from a camera, (height, width, 3) uint8 sRGB. size: width and height in pixels; stop: uint8[1], set when
    a stop is asked for. Raises Stopped."""
    width, height = size
    total, buffer = None, Buffer.of(width, height)
    for offset in OFFSETS:
        total, buffer = render(scene, camera, width, height, tones, stop, offset, buffer, total)
    assert total is not None
    return rgb(to_pixels(total, len(OFFSETS)))


def rgb(pixels: np.ndarray) -> np.ndarray:
    """Pixels of a window (blue, green, red, 255) as red, green and blue."""
    return np.ascontiguousarray(pixels[..., 2::-1])


def seen_from_above(scene: Scene) -> np.ndarray:
    """The lit ground, north up: (rows, columns, 3) uint8 sRGB."""
    return np.ascontiguousarray(scene.plan[..., :3])
