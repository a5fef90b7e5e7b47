"""OpenEXR: numbers as they are, in half or single precision; colours are linear RGB."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import numpy as np

from ..place import Place
from ..samples import BAND
from .colourspace import PRIMARIES
from .writer import File, Meaning, Writer


class Exr(Writer):
    """OpenEXR of one channel called Y, or of R, G and B."""

    def begin(self, path: Path, shape: tuple[int, ...], place: Place, m: Meaning, options: dict) -> File:
        return _ExrFile(path, shape, np.float16 if self.bits == 16 else np.float32)

    def read(self, path: Path, shape: tuple[int, ...]) -> Iterator[np.ndarray]:
        import OpenEXR

        with OpenEXR.File(str(path)) as file:
            found = file.channels()
            data = found["RGB"].pixels if len(shape) == 3 else found["Y"].pixels
        for top in range(0, data.shape[0], BAND):
            yield data[top : top + BAND]


class _ExrFile:
    """The library writes whole images; one is put together here."""

    def __init__(self, path: Path, shape: tuple[int, ...], kind) -> None:
        self._path, self._next = path, 0
        self._data = np.empty(shape, kind)

    def write(self, rows: np.ndarray) -> None:
        self._data[self._next : self._next + len(rows)] = rows
        self._next += len(rows)

    def finish(self) -> None:
        import OpenEXR

        head = {"compression": OpenEXR.ZIP_COMPRESSION, "type": OpenEXR.scanlineimage}
        if self._data.ndim == 3:
            head["chromaticities"] = PRIMARIES  # linear, as all of OpenEXR
        OpenEXR.File(head, {"RGB" if self._data.ndim == 3 else "Y": self._data}).write(str(self._path))

    def close(self) -> None:
        del self._data
