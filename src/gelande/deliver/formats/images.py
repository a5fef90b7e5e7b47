"""Images: PNG and JPEG, and what is packed into the channels of one."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from gelande.core.recipe import param as P
from gelande.core.recipe.raster import COLOUR

from ..place import Place
from ..samples import BAND
from .colourspace import png_chunks, srgb_profile
from .png import PngFile
from .writer import File, Meaning, Writer


class Png(Writer):
    """PNG of 8 or 16 bits: one channel, RGB or RGBA."""

    def begin(self, path: Path, shape: tuple[int, ...], place: Place, m: Meaning, options: dict) -> File:
        return PngFile(path, shape, self.bits, png_chunks() if self.kind == COLOUR else ())


@dataclass(frozen=True)
class Jpeg(Writer):
    """JPEG of RGB: small, and not exact."""

    params: tuple[P.Param, ...] = (
        P.count("quality", "Quality", 92, "Higher is closer to the colours and larger.", (50, 100)),
    )
    lossy = True

    def begin(self, path: Path, shape: tuple[int, ...], place: Place, m: Meaning, options: dict) -> File:
        return _JpegFile(path, shape, int(self.option(options, "quality")))

    def read(self, path: Path, shape: tuple[int, ...]) -> Iterator[np.ndarray]:
        from PIL import Image

        with Image.open(path, formats=("JPEG",)) as image:
            data = np.asarray(image)
        for top in range(0, shape[0], BAND):
            yield data[top : top + BAND]


class _JpegFile:
    def __init__(self, path: Path, shape: tuple[int, ...], quality: int) -> None:
        self._path, self._next, self._quality = path, 0, quality
        self._data = np.empty(shape, np.uint8)

    def write(self, rows: np.ndarray) -> None:
        self._data[self._next : self._next + len(rows)] = rows
        self._next += len(rows)

    def finish(self) -> None:
        from PIL import Image

        image = Image.fromarray(self._data)
        image.save(self._path, "JPEG", quality=self._quality, subsampling=0, icc_profile=srgb_profile())

    def close(self) -> None:
        del self._data
