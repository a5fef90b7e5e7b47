"""Up to four masks in the channels of one PNG, as engines mix materials by."""

from __future__ import annotations

from pathlib import Path

import numpy as np

from ..place import Place
from ..samples import Samples
from .png import PngFile
from .writer import File, Meaning, Writer

CHANNELS = ("green", "blue", "alpha")


class Stacked(Samples):
    """Masks as channels; one that is not there is black."""

    def __init__(self, masks: list[Samples | None]) -> None:
        first = next(m for m in masks if m is not None)
        self._masks, self.window, self.channels = masks, first.window, len(masks)
        self.moved = max(m.moved for m in masks if m is not None)

    def rows(self, top: int, bottom: int) -> np.ndarray:
        empty = np.zeros((bottom - top, self.window.width), np.float32)
        return np.stack([m.rows(top, bottom) if m else empty for m in self._masks], axis=-1)


class Packed(Writer):
    """The output in red, others in green, blue and alpha; without one in alpha the image is RGB."""

    def seen(self, samples: dict[str, Samples], place: Place, options: dict) -> Samples:
        found = [samples[""], *(samples.get(c) for c in CHANNELS)]
        return Stacked(found if found[3] else found[:3])

    def begin(self, path: Path, shape: tuple[int, ...], place: Place, m: Meaning, options: dict) -> File:
        return PngFile(path, shape, self.bits)
