"""Reading one band of heights from an image or raster file."""

from __future__ import annotations

import warnings
from pathlib import Path

import numpy as np

LARGEST_SIDE = 16_385


class RasterFileError(Exception):
    """Why a file cannot be used, in one clause."""


def read_raster(path: Path) -> tuple[np.ndarray, float]:
    """(samples as float32, the highest number its type can hold: 255, 65535 or 1 for floats).

    PNG through Pillow, all else through GDAL (rasterio). Raises RasterFileError with a reason that names the file."""
    path = Path(path)
    if not path.exists():
        raise RasterFileError(f"{path.name} is not there ({path.parent}); choose the file again")
    if path.is_dir():
        raise RasterFileError(f"{path.name} is a folder, not a file")
    if path.stat().st_size == 0:
        raise RasterFileError(f"{path.name} is empty")
    try:
        data = _png(path) if path.suffix.lower() == ".png" else _gdal(path)
    except RasterFileError:
        raise
    except MemoryError:
        raise RasterFileError(f"{path.name} does not fit into memory") from None
    except Exception:  # readers raise whatever they like for a damaged file
        raise RasterFileError(f"{path.name} cannot be read as an image; it may be damaged or of another format") from None
    top = {np.uint8: 255.0, np.uint16: 65535.0}.get(data.dtype.type, 1.0)
    data = data.astype(np.float32)
    bad = int(data.size - np.isfinite(data).sum())
    if bad:
        raise RasterFileError(f"{path.name} holds {bad} samples that are not numbers; fill the gaps first")
    return np.ascontiguousarray(data), top


def _check_size(path: Path, width: int, height: int):
    if max(width, height) > LARGEST_SIDE:
        raise RasterFileError(f"{path.name} is {width} × {height} samples; at most {LARGEST_SIDE} a side can be read, so reduce it first")
    if min(width, height) < 2:
        raise RasterFileError(f"{path.name} is {width} × {height} samples; at least 2 a side are needed")


def _png(path: Path) -> np.ndarray:
    from PIL import Image

    with warnings.catch_warnings():
        warnings.simplefilter("ignore", Image.DecompressionBombWarning)
        try:
            image = Image.open(path)
        except Image.DecompressionBombError:
            raise RasterFileError(f"{path.name} has too many samples; at most {LARGEST_SIDE} a side can be read") from None
    with image:
        _check_size(path, *image.size)
        if image.mode in ("I;16", "I;16B", "I"):
            return np.array(image).astype(np.uint16)
        return np.array(image.convert("L"))


def _gdal(path: Path) -> np.ndarray:
    import rasterio

    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        with rasterio.open(path) as file:
            _check_size(path, file.width, file.height)
            data = file.read(1)
            if file.nodata is not None and data.dtype.kind == "f":
                data = np.where(data == file.nodata, np.nan, data)
            return data
