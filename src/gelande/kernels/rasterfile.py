"""Reading one band of heights from an image or raster file.

What a file is, is told by its first bytes, and only its own driver may open it: other drivers would follow what a
file says to servers and to other files.

"""

from __future__ import annotations

import os
import stat
import warnings
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Any

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


def first_bytes(path: Path) -> bytes:
    """The beginning of a regular file.

    Parameters
    ----------
    path :
        the file.

    Returns
    -------
    At most 64 bytes.

    Raises
    ------
    RasterFileError :
        when it is not there, no regular file or empty.
    """
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
    return head


def _kind(path: Path) -> str:
    """PNG, GTiff or AAIGrid by the first bytes of a file."""
    head = first_bytes(path)
    if head.startswith(b"\x89PNG\r\n\x1a\n"):
        return "PNG"
    if head.startswith(_TIFF):
        return "GTiff"
    if head.lstrip().lower().startswith((b"ncols", b"nrows", b"xllc", b"cellsize")):
        return "AAIGrid"
    raise RasterFileError(f"{path.name} cannot be read as an image: it is no PNG, TIFF or ASCII grid")


@contextmanager
def told_plainly(path: Path) -> Iterator[None]:
    """Whatever readers raise becomes one sentence.

    Parameters
    ----------
    path :
        the file that is read.

    Returns
    -------
    A context.

    Raises
    ------
    RasterFileError :
        with what is wrong.
    """
    try:
        yield
    except RasterFileError:
        raise
    except MemoryError:
        raise RasterFileError(f"{path.name} does not fit into memory") from None
    except (OSError, ValueError, SyntaxError, EOFError, RuntimeError, KeyError, rasterio_error()):
        raise RasterFileError(
            f"{path.name} cannot be read as an image; it may be damaged or of another format"
        ) from None


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
    with told_plainly(path):
        data, top = _png(path) if kind == "PNG" else _gdal(path.resolve(), kind, check)
    bad = int(data.size - np.isfinite(data).sum())
    if bad:
        raise RasterFileError(f"{path.name} holds {bad} samples that are not numbers; fill the gaps first")
    return np.ascontiguousarray(data), top


def rasterio_error() -> type[Exception]:
    """Base of the errors that rasterio raises; heavy to import, so it is asked for only where something went wrong.

    Returns
    -------
    The class of its errors.
    """
    from rasterio.errors import RasterioError

    return RasterioError


def check_size(path: Path, width: int, height: int, sample: int) -> None:
    """Refuses a file by what it claims, before anything is made of it.

    Parameters
    ----------
    path :
        the file.
    width, height :
        samples.
    sample :
        bytes of one sample.

    Returns
    -------
    None.

    Raises
    ------
    RasterFileError :
        when it is too small, too large or not whole.
    """
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


@contextmanager
def opened_picture(path: Path, form: str) -> Iterator[Any]:
    """A PNG or JPEG that Pillow reads. Its own limit of samples is lower than ours and says other words, so the header
    is looked at by ours (check_size) before any sample is read.

    Parameters
    ----------
    path :
        the file.
    form :
        PNG or JPEG.

    Returns
    -------
    A context that gives a Pillow image.
    """
    from PIL import Image

    Image.MAX_IMAGE_PIXELS = None
    with Image.open(path, formats=(form,)) as image:
        yield image


def _png(path: Path) -> tuple[np.ndarray, float]:
    with opened_picture(path, "PNG") as image:
        deep = image.mode in ("I;16", "I;16B", "I")
        check_size(path, image.size[0], image.size[1], 2 if deep else len(image.getbands()))
        if deep:
            return np.asarray(image).astype(np.uint16).astype(np.float32), 65535.0
        return np.asarray(image.convert("L")).astype(np.float32), 255.0


@contextmanager
def _opened(path: Path, driver: str):
    """A file that GDAL reads: no other file is looked at beside it, and nothing is asked of any network."""
    import rasterio

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
            yield file


def _band(file, path: Path, band: int, held: int, check: Callable) -> tuple[np.ndarray, np.dtype]:
    """One band in float32, and the kind of its numbers. held: bands that are held at once."""
    from rasterio.windows import Window

    kind = np.dtype(file.dtypes[band - 1])
    if kind.kind not in "uif":
        raise RasterFileError(f"{path.name} holds {kind.name} samples; whole and floating-point numbers can be read")
    check_size(path, file.width, file.height, kind.itemsize * held)
    data = np.empty((file.height, file.width), np.float32)
    for row in range(0, file.height, BAND):
        check()
        rows = min(BAND, file.height - row)
        file.read(band, out=data[row : row + rows], window=Window(0, row, file.width, rows))
    return data, kind


_GREATEST = {"uint8": 255.0, "uint16": 65535.0}


def _gdal(path: Path, driver: str, check) -> tuple[np.ndarray, float]:
    with _opened(path, driver) as file:
        data, kind = _band(file, path, 1, 1, check)
        if file.nodata is not None and kind.kind == "f":
            data[data == np.float32(file.nodata)] = np.nan
    return data, _GREATEST.get(kind.name, 1.0)


def gdal_channel(
    path: Path,
    driver: str,
    bands: Callable[[int], list[tuple[int, float]]],
    check: Callable[[], None] = lambda: None,
) -> np.ndarray:
    """A weighted sum of the first four bands of a file that GDAL reads.

    Parameters
    ----------
    path :
        the file.
    driver :
        GDAL's name of its kind.
    bands :
        for their number, (band from 0, weight) of each that is needed; none: ones.
    check :
        called between pieces of work; may raise Stopped.

    Returns
    -------
    (rows, columns) float32: whole numbers as fractions of the greatest possible one.

    Raises
    ------
    RasterFileError :
        with one sentence that says what is wrong and what to do.
    """
    with _opened(path, driver) as file:
        wanted = bands(min(4, file.count))
        if not wanted:
            check_size(path, file.width, file.height, 4)
            return np.ones((file.height, file.width), np.float32)
        found: np.ndarray | None = None
        for k, weight in wanted:
            data, kind = _band(file, path, k + 1, 1, check)
            data *= np.float32(weight / _GREATEST.get(kind.name, 1.0))
            found = data if found is None else np.add(found, data, out=found)
    assert found is not None
    return found
