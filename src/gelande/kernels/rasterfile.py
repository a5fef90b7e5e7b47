"""Reading one band of heights from an image or raster file.

What a file is, is told by its first bytes, and only its own driver may open it: other drivers would follow what a
file says to servers and to other files.

"""

from __future__ import annotations

import os
import stat
import warnings
from collections.abc import Callable
from pathlib import Path

import numpy as np

LARGEST_SIDE = 16_385
#: Bytes that a file's samples may have in all.
MOST_BYTES = 600_000_000
#: Bytes of samples for each byte of a large file: more than any packing that is whole can hold.
PACKED, LARGE = 1100, 64_000_000
#: Rows that are read at once, so that a stop is seen.
BAND = 512
_TIFF = (b"II*\0", b"MM\0*", b"II+\0", b"MM\0+")


class RasterFileError(Exception):
    """Why a file cannot be used, in one clause."""


def _kind(path: Path) -> str:
    """PNG, GTiff or AAIGrid by the first bytes of a regular file."""
    try:
        handle = os.open(path, os.O_RDONLY | os.O_NONBLOCK | os.O_CLOEXEC)
    except FileNotFoundError:
        raise RasterFileError(f"{path.name} is not there ({path.parent}); choose the file again") from None
    except OSError as error:
        raise RasterFileError(
            f"{path.name} cannot be opened: {(error.strerror or 'the disk reports an error').lower()}"
        ) from None
    try:
        mode = os.fstat(handle).st_mode
        if not stat.S_ISREG(mode):
            raise RasterFileError(
                f"{path.name} is a folder, not a file" if stat.S_ISDIR(mode) else f"{path.name} is not a regular file"
            )
        head = os.read(handle, 64)
    finally:
        os.close(handle)
    if not head:
        raise RasterFileError(f"{path.name} is empty")
    if head.startswith(b"\x89PNG\r\n\x1a\n"):
        return "PNG"
    if head.startswith(_TIFF):
        return "GTiff"
    if head.lstrip().lower().startswith((b"ncols", b"nrows", b"xllc", b"cellsize")):
        return "AAIGrid"
    raise RasterFileError(f"{path.name} cannot be read as an image: it is no PNG, TIFF or ASCII grid")


def read_raster(path: Path, check: Callable[[], None] = lambda: None) -> tuple[np.ndarray, float]:
    """Reads one band of a PNG, TIFF or ASCII grid; what a file is, its first bytes say. Never goes to a network.

    Parameters
    ----------
    path :
        the file.
    check :
        called between pieces of work; may raise Stopped.

    Returns
    -------
    ((rows, columns) float32, the greatest number the file can hold, 1 for floating point).

    Raises
    ------
    RasterFileError :
        with one sentence that says what is wrong and what to do.
    """
    path = Path(path)
    kind = _kind(path)
    try:
        data, top = _png(path) if kind == "PNG" else _gdal(path.resolve(), kind, check)
    except RasterFileError:
        raise
    except MemoryError:
        raise RasterFileError(f"{path.name} does not fit into memory") from None
    except (OSError, ValueError, SyntaxError, EOFError, _rasterio_error()):
        raise RasterFileError(
            f"{path.name} cannot be read as an image; it may be damaged or of another format"
        ) from None
    bad = int(data.size - np.isfinite(data).sum())
    if bad:
        raise RasterFileError(f"{path.name} holds {bad} samples that are not numbers; fill the gaps first")
    return np.ascontiguousarray(data), top


def _rasterio_error() -> type[Exception]:
    from rasterio.errors import RasterioError

    return RasterioError


def _check_size(path: Path, width: int, height: int, sample: int):
    """Refuses a file by what it claims, before anything is made of it. sample: bytes of one sample."""
    if max(width, height) > LARGEST_SIDE:
        raise RasterFileError(
            f"{path.name} is {width} × {height} samples; at most {LARGEST_SIDE} a side can be read, so reduce it first"
        )
    if min(width, height) < 2:
        raise RasterFileError(f"{path.name} is {width} × {height} samples; at least 2 a side are needed")
    size = width * height * sample
    if size > MOST_BYTES:
        raise RasterFileError(
            f"{path.name} holds {size / 1e6:.0f} MB of samples; at most {MOST_BYTES / 1e6:.0f} MB can be read, so "
            "reduce it first"
        )
    if size > LARGE and size > PACKED * path.stat().st_size:
        raise RasterFileError(
            f"{path.name} is not whole: it claims {width} × {height} samples and holds "
            f"{path.stat().st_size / 1000:.0f} kB"
        )


def _png(path: Path) -> tuple[np.ndarray, float]:
    from PIL import Image

    with warnings.catch_warnings():
        warnings.simplefilter("ignore", Image.DecompressionBombWarning)
        try:
            image = Image.open(path, formats=("PNG",))
        except Image.DecompressionBombError:
            raise RasterFileError(
                f"{path.name} has too many samples; at most {LARGEST_SIDE} a side can be read"
            ) from None
    with image:
        deep = image.mode in ("I;16", "I;16B", "I")
        _check_size(path, *image.size, 2 if deep else len(image.getbands()))
        if deep:
            return np.array(image).astype(np.uint16).astype(np.float32), 65535.0
        return np.array(image.convert("L")).astype(np.float32), 255.0


def _gdal(path: Path, driver: str, check) -> tuple[np.ndarray, float]:
    import rasterio
    from rasterio.windows import Window

    # No other file is looked at beside it, and nothing is asked of any network.
    apart = {
        "GDAL_DISABLE_READDIR_ON_OPEN": "EMPTY_DIR",
        "GDAL_PAM_ENABLED": "NO",
        "CPL_VSIL_CURL_ALLOWED_EXTENSIONS": "{none}",
        "GDAL_HTTP_MAX_RETRY": "0",
        "VSI_CACHE": "NO",
    }
    with warnings.catch_warnings(), rasterio.Env(**apart):
        warnings.simplefilter("ignore")
        with rasterio.open(path, driver=driver) as file:
            kind = np.dtype(file.dtypes[0])
            if kind.kind not in "uif":
                raise RasterFileError(
                    f"{path.name} holds {kind.name} samples; whole and floating-point numbers can be read"
                )
            _check_size(path, file.width, file.height, kind.itemsize)
            data = np.empty((file.height, file.width), np.float32)
            for row in range(0, file.height, BAND):
                check()
                rows = min(BAND, file.height - row)
                file.read(1, out=data[row : row + rows], window=Window(0, row, file.width, rows))
            if file.nodata is not None and kind.kind == "f":
                data[data == np.float32(file.nodata)] = np.nan
    return data, {"uint8": 255.0, "uint16": 65535.0}.get(kind.name, 1.0)
