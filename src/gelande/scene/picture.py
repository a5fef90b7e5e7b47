"""One finished picture of a land, for files."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np
from PIL import Image

from gelande.core.files.disk import write_whole
from gelande.kernels.curves import to_linear

from .camera import Camera
from .passes import one_pass
from .relief import OFFSETS, PAPER, Part, Scene, Tones, to_pixels
from .things import Things

#: Pixels along a side of the pieces of a large picture: what is held while it is drawn does not grow with it.
PIECE = 2048


def whole_site(scene: Scene, size: tuple[int, int], heading: float, pitch: float) -> Camera:
    """A camera that sees all of a land. size: width and height of the picture in pixels; pitch: degrees, negative looks
    down."""
    return Camera.home(scene.outline, size[0] / size[1], heading, pitch, 0.0)


def pictured(
    scene: Scene,
    camera: Camera,
    size: tuple[int, int],
    stop: np.ndarray | None = None,
    tones: Tones = PAPER,
    things: Things | None = None,
    passes: int = len(OFFSETS),
    tell: Callable[[float], None] = lambda fraction: None,
    depth: np.ndarray | None = None,
) -> np.ndarray:
    """Picture from a camera, (height, width, 3) uint8 sRGB. size: width and height in pixels, in pieces when it is
    large; stop: uint8[1], set when a stop is asked for; things: what stands on the land; tell: is told how much of it
    is done; depth: (height, width) float32 that takes metres to the ground along the view, infinite in the sky. Raises
    Stopped."""
    width, height = size
    out = np.empty((height, width, 3), np.uint8)
    pieces = [(y, x) for y in range(0, height, PIECE) for x in range(0, width, PIECE)]
    for done, (y, x) in enumerate(pieces):
        h, w = min(PIECE, height - y), min(PIECE, width - x)
        part = None if len(pieces) == 1 else Part(x, y, width, height)
        total = np.zeros((h, w, 3), np.float32)
        for number, offset in enumerate(offsets(passes)):
            tell((done + number / passes) / len(pieces))
            one, buffer = one_pass(scene, camera, (w, h), tones, stop, offset, number, things, part)
            total += one
            if depth is not None and number == 0:
                depth[y : y + h, x : x + w] = np.where(buffer.kind > 0, buffer.depth, np.float32(np.inf))
        out[y : y + h, x : x + w] = rgb(to_pixels(total, passes))
    return out


def save_picture(pixels: np.ndarray, path: Path, depth: np.ndarray | None = None) -> None:
    """Writes a picture (height, width, 3) as PNG, whole or not at all; with its depth as EXR: linear R, G and B, and Z
    in metres. Raises OSError."""
    if depth is None:
        write_whole(path, lambda temporary: Image.fromarray(pixels).save(temporary, "PNG"))
        return
    import OpenEXR  # heavy to import

    linear = to_linear(pixels.astype(np.float32) / np.float32(255)).astype(np.float16)
    head = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
    write_whole(path, lambda temporary: OpenEXR.File(head, {"RGB": linear, "Z": depth}).write(str(temporary)))


def offsets(passes: int) -> list[tuple[float, float]]:
    """Sub-pixel offsets of so many passes: those of the view's still picture first, then a sequence that fills the
    pixel evenly (Roberts 2018)."""
    found = list(OFFSETS[:passes])
    for n in range(len(found), passes):
        across, down = ((0.5 + n * step) % 1 - 0.5 for step in (0.7548776662466927, 0.5698402909980532))
        found.append((across, down))
    return found


def rgb(pixels: np.ndarray) -> np.ndarray:
    """Pixels of a window (blue, green, red, 255) as red, green and blue."""
    return np.ascontiguousarray(pixels[..., 2::-1])


def seen_from_above(scene: Scene) -> np.ndarray:
    """The lit ground, north up: (rows, columns, 3) uint8 sRGB."""
    return np.ascontiguousarray(scene.plan[..., :3])
