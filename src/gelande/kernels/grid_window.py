"""Frames: which rows and columns of a grid an array holds.

A result may be computed in pieces. Each piece is an array that knows where it lies, and whatever depends on the place
of a sample is worked out from its row and column on the whole grid, so that pieces are the same bytes as the whole.
"""

from __future__ import annotations

from typing import NamedTuple

import numpy as np


class GridWindow(NamedTuple):
    """Rows top .. top + height - 1 and columns left .. left + width - 1 of a grid of rows x columns samples."""

    top: int
    left: int
    height: int
    width: int
    rows: int
    columns: int

    @classmethod
    def of(cls, shape: GridWindow | tuple[int, int]) -> GridWindow:
        """The window itself, or the whole of a grid of this shape (rows, columns)."""
        return shape if isinstance(shape, GridWindow) else cls(0, 0, *shape, *shape)

    @classmethod
    def between(cls, top: int, bottom: int, left: int, right: int, shape: tuple[int, int]) -> GridWindow:
        """Rows top .. bottom - 1 and columns left .. right - 1, as far as they lie on a grid of this shape."""
        top, left = min(max(top, 0), shape[0] - 1), min(max(left, 0), shape[1] - 1)
        bottom, right = min(max(bottom, top + 1), shape[0]), min(max(right, left + 1), shape[1])
        return cls(top, left, bottom - top, right - left, *shape)

    @property
    def shape(self) -> tuple[int, int]:
        """Rows and columns of an array that holds the window."""
        return self.height, self.width

    @property
    def grid(self) -> tuple[int, int]:
        """Rows and columns of the whole grid."""
        return self.rows, self.columns

    @property
    def whole(self) -> bool:
        """True when the window is all of its grid."""
        return self.shape == self.grid

    def covers(self, other: GridWindow) -> bool:
        """True when all samples of another window of the same grid lie in this one."""
        return (
            self.grid == other.grid
            and self.top <= other.top
            and self.left <= other.left
            and self.top + self.height >= other.top + other.height
            and self.left + self.width >= other.left + other.width
        )

    def grown(self, margin: int) -> GridWindow:
        """The window with so many samples more on every side, as far as the grid goes."""
        ends = self.top - margin, self.top + self.height + margin, self.left - margin, self.left + self.width + margin
        return GridWindow.between(*ends, self.grid)

    def union(self, other: GridWindow) -> GridWindow:
        """The smallest window that covers both."""
        bottom = max(self.top + self.height, other.top + other.height)
        right = max(self.left + self.width, other.left + other.width)
        return GridWindow.between(min(self.top, other.top), bottom, min(self.left, other.left), right, self.grid)

    def blocks(self, height: int, width: int) -> GridWindow:
        """The smallest window of whole blocks that covers this one; blocks begin at multiples of their size, and the
        last one takes in the samples on the far edge."""

        def ends(first: int, count: int, size: int, total: int) -> tuple[int, int]:
            cells = max(1, -(-(total - 1) // size))
            a = min(first // size, cells - 1)
            b = min((first + count - 1) // size, cells - 1)
            return a * size, total if b == cells - 1 else (b + 1) * size

        top, bottom = ends(self.top, self.height, height, self.rows)
        left, right = ends(self.left, self.width, width, self.columns)
        return GridWindow.between(top, bottom, left, right, self.grid)

    def tiles(self, height: int, width: int) -> list[GridWindow]:
        """The blocks that cover the window, one by one."""
        cover = self.blocks(height, width)

        def ends(first: int, count: int, size: int, total: int) -> list[tuple[int, int]]:
            last = first + count - (first + count == total)  # the samples on the far edge belong to the block before
            return [(a, min(a + size, last) if a + size < total - 1 else total) for a in range(first, last, size)] or [
                (first, first + count)
            ]

        rows = ends(cover.top, cover.height, height, self.rows)
        columns = ends(cover.left, cover.width, width, self.columns)
        return [GridWindow.between(*tall, *broad, self.grid) for tall in rows for broad in columns]

    def paste(self, target: np.ndarray, data: np.ndarray, held: GridWindow) -> None:
        """Copies what an array that holds another window has of this one into one that holds this one."""
        top, left = max(self.top, held.top), max(self.left, held.left)
        bottom = min(self.top + self.height, held.top + held.height)
        right = min(self.left + self.width, held.left + held.width)
        if top < bottom and left < right:
            into = slice(top - self.top, bottom - self.top), slice(left - self.left, right - self.left)
            target[into] = data[top - held.top : bottom - held.top, left - held.left : right - held.left]

    def coarser(self, steps: int = 1, margin: int = 3) -> GridWindow:
        """The samples of the grid so many levels coarser that this window is refined from, with a margin of them."""
        if steps <= 0:
            return self
        scale, shape = 2**steps, ((self.rows - 1 >> steps) + 1, (self.columns - 1 >> steps) + 1)
        bottom, right = -(-(self.top + self.height - 1) // scale), -(-(self.left + self.width - 1) // scale)
        ends = (self.top // scale - margin, bottom + margin + 1, self.left // scale - margin, right + margin + 1)
        return GridWindow.between(*ends, shape)

    def finer(self) -> GridWindow:
        """An array on this window, one level finer."""
        return GridWindow(
            2 * self.top,
            2 * self.left,
            2 * self.height - 1,
            2 * self.width - 1,
            2 * self.rows - 1,
            2 * self.columns - 1,
        )

    def cut(self, data: np.ndarray, held: GridWindow) -> np.ndarray:
        """This window of an array that holds a larger one: the array itself when both are the same, else a copy."""
        if held == self:
            return data
        top, left = self.top - held.top, self.left - held.left
        return data[top : top + self.height, left : left + self.width].copy()


def place(window: GridWindow) -> tuple[np.ndarray, np.ndarray]:
    """Numbers of a window's rows and columns on the whole grid.

    Parameters
    ----------
    window :
        GridWindow.

    Returns
    -------
    (rows, 1) and (1, columns) float32.
    """
    rows = np.arange(window.top, window.top + window.height, dtype=np.float32)
    columns = np.arange(window.left, window.left + window.width, dtype=np.float32)
    return rows[:, None], columns[None]
