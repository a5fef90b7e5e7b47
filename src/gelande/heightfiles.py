"""Figures of height images that come from elsewhere, beside those of real land."""

from __future__ import annotations

import os
from pathlib import Path

import numpy as np

from .core.errors import GelandeError
from .core.regenerate import drainage as D
from .core.regenerate import likeness as K
from .kernels.rasterfile import RasterFileError, read_raster


def drainage_of(
    path: str | os.PathLike, width: float | None = None, heights: tuple[float, float] | None = None
) -> tuple[tuple[int, int], float, list[tuple[str, str, str, bool]]]:
    """Figures of a height image's drainage: (columns and rows, metres between samples, rows as of Land.drainage).
    width: extent from west to east in metres, a metre a sample when left out; heights: what black and white mean,
    for whole numbers."""
    size, dx, height = _heights(Path(path), width, heights)
    return size, dx, D.drainage_of(height, dx).rows()


def likeness_of(
    path: str | os.PathLike, width: float | None = None, heights: tuple[float, float] | None = None
) -> tuple[tuple[int, int], float, list[tuple[str, str, str, bool]]]:
    """Figures of how natural the land of a height image looks, as of drainage_of."""
    size, dx, height = _heights(Path(path), width, heights)
    return size, dx, rows_of(height, dx, Path(path).name)


def rows_of(height: np.ndarray, dx: float, name: str) -> list[tuple[str, str, str, bool]]:
    """Figures of how natural a height looks. Raises GelandeError for one that is too small."""
    try:
        return K.likeness_of(height, dx).rows()
    except ValueError as error:
        raise GelandeError(f"{name}: {error}.") from None


def _heights(path: Path, width: float | None, heights: tuple[float, float] | None):
    """(columns and rows, metres between samples, heights in metres) of a height image."""
    try:
        data, top = read_raster(path)
    except RasterFileError as error:
        raise GelandeError(f"{error}.") from None
    if top != 1.0 and not heights:
        raise GelandeError(f"{path.name} holds whole numbers; say what they mean with --heights LOW:HIGH in metres.")
    low, high = heights or (0.0, 1.0)
    height = low + data / np.float32(top) * np.float32(high - low) if heights else data
    dx = (width or float(data.shape[1] - 1)) / (data.shape[1] - 1)
    return (data.shape[1], data.shape[0]), dx, height
