"""Height images: figures of those that come from elsewhere, and files of arrays."""

from __future__ import annotations

import os
from pathlib import Path

import numpy as np

from .core.errors import GelandeError
from .core.recipe.site import Site
from .core.regenerate import drainage as D
from .core.regenerate import likeness as K
from .kernels.rasterfile import RasterFileError, rasterio_error, read_raster


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


def write_heights(path: Path, heights: np.ndarray, site: Site) -> None:
    """Writes heights in metres as a GeoTIFF whose outer samples lie on the site's edges. Raises GelandeError."""
    import rasterio
    from rasterio.transform import Affine

    rows, columns = heights.shape
    east, north = site.width / (columns - 1), site.depth / (rows - 1)
    place = Affine(east, 0, -0.5 * east, 0, -north, site.depth + 0.5 * north)
    size = {"height": rows, "width": columns, "count": 1, "dtype": "float32"}
    try:
        with rasterio.open(path, "w", driver="GTiff", transform=place, **size) as file:
            file.write(np.asarray(heights, np.float32), 1)
    except (OSError, rasterio_error()) as error:
        raise GelandeError(f"{path.name} could not be written: {error}.") from None
