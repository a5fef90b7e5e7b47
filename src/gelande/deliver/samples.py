"""The samples of a deliverable: in memory, or on disk where they do not fit; any rows of them can be asked for.

All samples know where they lie on the delivery's grid. What is made from others, as a part or a picture of slopes, asks
those for the rows that it needs.

"""

from __future__ import annotations

import os
import tempfile
from collections.abc import Callable, Iterator
from functools import cached_property
from pathlib import Path
from typing import NamedTuple

import numpy as np

from gelande.kernels.grid_window import GridWindow

#: Rows of a band: a stop is seen between two, and what is worked on at once stays small.
BAND = 256


class Off(NamedTuple):
    """Error of samples against the land's own, which there are not as many of: at most, the sum of the squares, and at
    how many that was looked at."""

    largest: float = 0.0
    squares: float = 0.0
    looked: float = 0.0

    def with_(self, other: Off) -> Off:
        """Of both."""
        return Off(max(self.largest, other.largest), self.squares + other.squares, self.looked + other.looked)

    @property
    def usual(self) -> float:
        """The root of the mean square."""
        return (self.squares / max(self.looked, 1.0)) ** 0.5


#: Of samples that are the land's own.
EXACT = Off()


class Samples:
    """window: rows and columns of the delivery's grid; bands: 3 for colour, else 0; moved: how far samples were moved
    at most, to be one with others when they are counts; off: how far they are from the land's own."""

    window: GridWindow
    channels: int = 0
    moved: float = 0.0
    off: Off = EXACT

    @property
    def shape(self) -> tuple[int, ...]:
        """Rows, columns and, for colour, 3."""
        return (*self.window.shape, self.channels) if self.channels else self.window.shape

    def rows(self, top: int, bottom: int) -> np.ndarray:
        """Rows top .. bottom - 1, counted from the window's own first row; float32."""
        raise NotImplementedError

    def bands(self) -> Iterator[np.ndarray]:
        """All rows, from north to south."""
        for top in range(0, self.window.height, BAND):
            yield self.rows(top, min(top + BAND, self.window.height))

    def all(self) -> np.ndarray:
        """All rows at once."""
        return self.rows(0, self.window.height)

    @cached_property
    def extremes(self) -> tuple[float, float]:
        """The lowest and the highest sample."""
        low, high = np.inf, -np.inf
        for rows in self.bands():
            low, high = min(low, float(rows.min())), max(high, float(rows.max()))
        return low, high

    @property
    def low(self) -> float:
        """The lowest sample."""
        return self.extremes[0]

    @property
    def high(self) -> float:
        """The highest sample."""
        return self.extremes[1]


class InMemory(Samples):
    """An array as it was computed."""

    def __init__(
        self, data: np.ndarray, moved: float = 0.0, off: Off = EXACT, window: GridWindow | None = None
    ) -> None:
        self.data, self.moved, self.off = data, moved, off
        self.window = window or GridWindow.of((data.shape[0], data.shape[1]))
        self.channels = data.shape[2] if data.ndim == 3 else 0

    def rows(self, top: int, bottom: int) -> np.ndarray:
        return self.data[top:bottom]


class OnDisk(Samples):
    """Rows that are added as they are computed, in a file without a name that is gone when nobody needs it."""

    def __init__(self, window: GridWindow, channels: int, folder: Path) -> None:
        self.window, self.channels = window, channels
        self._file = tempfile.TemporaryFile(dir=folder)  # noqa: SIM115, closed by close()
        self._row = 4 * window.width * max(1, channels)

    def add(self, rows: np.ndarray, moved: float = 0.0, off: Off = EXACT) -> None:
        """Adds rows below those that are there. Raises OSError when they do not fit on the disk."""
        self.moved, self.off = max(self.moved, moved), self.off.with_(off)
        self._file.write(np.ascontiguousarray(rows, np.float32).data)

    def rows(self, top: int, bottom: int) -> np.ndarray:
        self._file.flush()
        count = bottom - top
        data = os.pread(self._file.fileno(), self._row * count, self._row * top)
        shape = (count, self.window.width, self.channels) if self.channels else (count, self.window.width)
        return np.frombuffer(data, np.float32).reshape(shape)

    def close(self) -> None:
        """Gives the room on the disk back."""
        self._file.close()


class Cut(Samples):
    """The part of other samples that lies on a smaller window."""

    def __init__(self, of: Samples, window: GridWindow) -> None:
        self._of, self.window, self.channels = of, window, of.channels
        self.moved, self.off = of.moved, of.off

    def rows(self, top: int, bottom: int) -> np.ndarray:
        down, right = self.window.top - self._of.window.top, self.window.left - self._of.window.left
        return self._of.rows(top + down, bottom + down)[:, right : right + self.window.width]


class Made(Samples):
    """Samples made from other samples that reach further than the window: make(rows) of rows and columns with so many
    more on each side as the grid has, up to a margin, gives what they become; what was added is cut off."""

    def __init__(
        self, of: Samples, window: GridWindow, margin: int, channels: int, make: Callable[[np.ndarray], np.ndarray]
    ) -> None:
        self._of, self.window, self.channels, self._margin, self._make = of, window, channels, margin, make

    def rows(self, top: int, bottom: int) -> np.ndarray:
        asked = GridWindow.between(
            self.window.top + top,
            self.window.top + bottom,
            self.window.left,
            self.window.left + self.window.width,
            self.window.grid,
        )
        held = asked.grown(self._margin)
        return asked.cut(np.asarray(self._make(Cut(self._of, held).all()), np.float32), held)
