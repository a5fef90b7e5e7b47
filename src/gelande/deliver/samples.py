"""The samples of a deliverable: in memory, or on disk where they do not fit, handed on in bands of rows either way."""

from __future__ import annotations

import tempfile
from collections.abc import Iterator
from pathlib import Path

import numpy as np

#: Rows of a band: a stop is seen between two, and what is worked on at once stays small.
BAND = 256


class Samples:
    """shape: rows, columns and, for colour, 3; low, high: the extremes; moved: how far they were moved at most, to be
    one with others when they are counts."""

    shape: tuple[int, ...]
    low: float
    high: float
    moved: float = 0.0

    def bands(self) -> Iterator[np.ndarray]:
        """All rows, float32, from north to south."""
        raise NotImplementedError


class InMemory(Samples):
    """An array as it was computed."""

    def __init__(self, data: np.ndarray, moved: float = 0.0):
        self.data, self.shape, self.moved = data, data.shape, moved
        self.low, self.high = float(data.min()), float(data.max())

    def bands(self) -> Iterator[np.ndarray]:
        for top in range(0, self.shape[0], BAND):
            yield self.data[top : top + BAND]


class OnDisk(Samples):
    """Rows that are added as they are computed, in a file without a name that is gone when nobody needs it."""

    def __init__(self, shape: tuple[int, ...], folder: Path):
        self.shape, self.low, self.high = shape, np.inf, -np.inf
        self._file = tempfile.TemporaryFile(dir=folder)  # noqa: SIM115, closed by close()

    def add(self, rows: np.ndarray, moved: float = 0.0) -> None:
        """Adds rows below those that are there. Raises OSError when they do not fit on the disk."""
        self.moved = max(self.moved, moved)
        self.low, self.high = min(self.low, float(rows.min())), max(self.high, float(rows.max()))
        self._file.write(np.ascontiguousarray(rows, np.float32).data)

    def bands(self) -> Iterator[np.ndarray]:
        self._file.seek(0)
        row = int(np.prod(self.shape[1:]))
        for top in range(0, self.shape[0], BAND):
            count = min(BAND, self.shape[0] - top)
            yield np.frombuffer(self._file.read(4 * row * count), np.float32).reshape(count, *self.shape[1:])

    def close(self) -> None:
        """Gives the room on the disk back."""
        self._file.close()
