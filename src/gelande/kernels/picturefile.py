"""Reading one channel of a picture: PNG, JPEG, TIFF or EXR. What a file is, its first bytes say."""

from __future__ import annotations

import warnings
from collections.abc import Callable
from pathlib import Path

import numpy as np

from .rasterfile import RasterFileError, check_size, first_bytes, gdal_bands, told_plainly

BRIGHTNESS, RED, GREEN, BLUE, ALPHA = "Brightness", "Red", "Green", "Blue", "Transparency"
CHANNELS = (BRIGHTNESS, RED, GREEN, BLUE, ALPHA)
#: Shares of red, green and blue in the brightness (ITU-R BT.709).
_BRIGHT = np.array([0.2126, 0.7152, 0.0722], np.float32)


def read_picture(path: Path, channel: str, check: Callable[[], None] = lambda: None) -> np.ndarray:
    """Reads one channel of a picture. Never goes to a network.

    Parameters
    ----------
    path :
        the file.
    channel :
        one of CHANNELS. A grey picture gives its grey for each colour; without transparency all is solid.
    check :
        called between pieces of work; may raise Stopped.

    Returns
    -------
    (rows, columns) float32, 0 to 1: whole numbers as a share of the greatest possible one, floating-point numbers as
    they are, held within 0 and 1.

    Raises
    ------
    RasterFileError :
        with one sentence that says what is wrong and what to do.
    """
    path = Path(path)
    head = first_bytes(path)
    with told_plainly(path):
        if head.startswith(b"\x76\x2f\x31\x01"):
            bands = _exr(path)
        elif head.startswith((b"\x89PNG\r\n\x1a\n", b"\xff\xd8\xff")):
            bands = _image(path, "PNG" if head.startswith(b"\x89") else "JPEG")
        elif head.startswith((b"II*\0", b"MM\0*", b"II+\0", b"MM\0+")):
            bands = gdal_bands(path.resolve(), "GTiff", check)
        else:
            raise RasterFileError(f"{path.name} cannot be read as a picture: it is no PNG, JPEG, TIFF or EXR")
    found = np.clip(_channel(bands, channel), 0, 1)
    bad = int(found.size - np.isfinite(found).sum())
    if bad:
        raise RasterFileError(f"{path.name} holds {bad} samples that are not numbers; fill the gaps first")
    return np.ascontiguousarray(found, np.float32)


def _channel(bands: np.ndarray, channel: str) -> np.ndarray:
    """One channel of (bands, rows, columns): grey, grey and alpha, colours, or colours and alpha."""
    count = len(bands)
    if channel == ALPHA:
        return bands[-1] if count in (2, 4) else np.ones_like(bands[0])
    if count < 3:
        return bands[0]
    if channel == BRIGHTNESS:
        return np.tensordot(_BRIGHT, bands[:3], 1)
    return bands[(RED, GREEN, BLUE).index(channel)]


def _image(path: Path, form: str) -> np.ndarray:
    from PIL import Image

    with warnings.catch_warnings():
        warnings.simplefilter("ignore", Image.DecompressionBombWarning)
        try:
            image = Image.open(path, formats=(form,))
        except Image.DecompressionBombError:
            raise RasterFileError(f"{path.name} has too many samples; reduce it first") from None
    with image:
        deep = image.mode in ("I;16", "I;16B", "I")
        check_size(path, *image.size, 2 if deep else len(image.getbands()))
        if deep:
            return np.array(image).astype(np.uint16)[None].astype(np.float32) / np.float32(65535)
        if image.mode not in ("L", "LA", "RGB", "RGBA"):
            clear = image.mode == "P" and "transparency" in image.info
            data = np.array(image.convert("RGBA" if clear else "RGB")).astype(np.float32) / np.float32(255)
        else:
            data = np.array(image).astype(np.float32) / np.float32(255)
    return data[None] if data.ndim == 2 else np.moveaxis(data, -1, 0)


def _exr(path: Path) -> np.ndarray:
    import OpenEXR

    header = OpenEXR.File(str(path), header_only=True).header()
    (left, top), (right, bottom) = header["dataWindow"]
    names = [c.name for c in header["channels"]]
    check_size(path, int(right - left) + 1, int(bottom - top) + 1, 4 * max(1, len(names)))
    file = OpenEXR.InputFile(str(path))  # the other reader only prints that a file is damaged
    try:
        if not file.isComplete():
            raise RasterFileError(f"{path.name} is not whole; save it again")
        shape = (int(bottom - top) + 1, int(right - left) + 1)
        coloured = all(n in names for n in "RGB")
        wanted = list("RGB") if coloured else [n for n in ("Y", *names) if n in names][:1]
        wanted += ["A"] if "A" in names and "A" not in wanted else []
        kinds, stored = {"HALF": np.float16, "FLOAT": np.float32, "UINT": np.uint32}, file.header()["channels"]
        found = []
        for name in wanted:
            data = file.channel(name)
            found.append(np.frombuffer(data, kinds[str(stored[name].type)]).reshape(shape).astype(np.float32))
        return np.stack(found)
    finally:
        file.close()
