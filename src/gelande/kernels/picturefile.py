"""Reading one channel of a picture: PNG, JPEG, TIFF or EXR. What a file is, its first bytes say."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

import numpy as np

from .rasterfile import (
    BAND,
    RasterFileError,
    check_size,
    first_bytes,
    gdal_channel,
    opened_picture,
    told_plainly,
)

BRIGHTNESS, RED, GREEN, BLUE, ALPHA = "brightness", "red", "green", "blue", "transparency"
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
            found = _exr(path, channel)
        elif head.startswith((b"\x89PNG\r\n\x1a\n", b"\xff\xd8\xff")):
            found = _image(path, "PNG" if head.startswith(b"\x89") else "JPEG", channel, check)
        elif head.startswith((b"II*\0", b"MM\0*", b"II+\0", b"MM\0+")):
            found = gdal_channel(path.resolve(), "GTiff", lambda count: _bands(count, channel), check)
        else:
            raise RasterFileError(f"{path.name} cannot be read as a picture: it is no PNG, JPEG, TIFF or EXR")
    np.clip(found, 0, 1, out=found)
    bad = int(found.size - np.isfinite(found).sum())
    if bad:
        raise RasterFileError(f"{path.name} holds {bad} samples that are not numbers; fill the gaps first")
    return found


def read_cutout(path: Path, most: int = 512) -> np.ndarray:
    """Reads a picture that is cut out by its transparency.

    Parameters
    ----------
    path :
        the file.
    most :
        samples along its longer side; a larger picture is made smaller.

    Returns
    -------
    (rows, columns, 4) float32, 0 to 1: red, green, blue and how solid it is. What is empty around it is cut away.

    Raises
    ------
    RasterFileError :
        as read_picture, and where nothing of it is solid.
    """
    channels = [read_picture(path, channel) for channel in (RED, GREEN, BLUE, ALPHA)]
    rows, columns = (np.flatnonzero((channels[3] > 0.5).any(axis)) for axis in (1, 0))
    if not len(rows):
        raise RasterFileError(f"{Path(path).name} is transparent all over; choose a picture that shows something")
    whole = np.stack(channels, -1)[rows[0] : rows[-1] + 1, columns[0] : columns[-1] + 1]
    step = -(-max(whole.shape[:2]) // most)
    tall, wide = (max(1, n // step) * step for n in whole.shape[:2])
    if step == 1 or min(whole.shape[:2]) < step:
        return whole
    whole = whole[:tall, :wide].reshape(tall // step, step, wide // step, step, 4)
    solid = whole[..., 3:].mean((1, 3))
    colour = (whole[..., :3] * whole[..., 3:]).mean((1, 3)) / np.maximum(solid, 1e-6)
    return np.concatenate([colour, solid], -1)


def _bands(count: int, channel: str) -> list[tuple[int, float]]:
    """(band from 0, weight) that a channel is the sum of: of grey, grey and alpha, colours, or colours and alpha. None
    stands for all of it solid."""
    if channel == ALPHA:
        return [(count - 1, 1.0)] if count in (2, 4) else []
    if count < 3:
        return [(0, 1.0)]
    if channel == BRIGHTNESS:
        return [(k, float(w)) for k, w in enumerate(_BRIGHT)]
    return [((RED, GREEN, BLUE).index(channel), 1.0)]


def _image(path: Path, form: str, channel: str, check: Callable[[], None]) -> np.ndarray:
    """A channel of a PNG or JPEG, band by band: only what is needed becomes numbers of four bytes."""
    with opened_picture(path, form) as image:
        deep = image.mode in ("I;16", "I;16B", "I")
        check_size(path, image.size[0], image.size[1], 2 if deep else len(image.getbands()))
        if not deep and image.mode not in ("L", "LA", "RGB", "RGBA"):
            clear = image.mode == "P" and "transparency" in image.info
            image = image.convert("RGBA" if clear else "RGB")
        wanted = _bands(1 if deep else len(image.getbands()), channel)
        if not wanted:
            return np.ones(image.size[::-1], np.float32)
        found = np.zeros(image.size[::-1], np.float32)
        for k, weight in wanted:
            check()
            band = np.asarray(image if deep else image.getchannel(k))
            scale = np.float32(weight / (65535 if deep else 255))
            for row in range(0, len(found), BAND):
                found[row : row + BAND] += band[row : row + BAND].astype(np.float32) * scale
        return found


def _exr(path: Path, channel: str) -> np.ndarray:
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
        stored = list("RGB") if coloured else [n for n in ("Y", *names) if n in names][:1]
        stored += ["A"] if "A" in names and "A" not in stored else []
        kinds, types = {"HALF": np.float16, "FLOAT": np.float32, "UINT": np.uint32}, file.header()["channels"]
        wanted = _bands(len(stored), channel)
        found = np.zeros(shape, np.float32) if wanted else np.ones(shape, np.float32)
        for k, weight in wanted:
            data = np.frombuffer(file.channel(stored[k]), kinds[str(types[stored[k]].type)]).reshape(shape)
            found += data.astype(np.float32) * np.float32(weight)
        return found
    finally:
        file.close()
