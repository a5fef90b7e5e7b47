"""File formats of deliverables: what is written, what its numbers mean, and how it is read back."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from gelande.core.errors import DeliveryError
from gelande.core.raster import COLOUR, HEIGHT, MASK
from gelande.core.site import Site
from gelande.kernels.curves import to_srgb

#: Bands of rows per write, so that a stop is seen and memory stays small.
CHUNK = 256


@dataclass(frozen=True)
class Meaning:
    """What the numbers of a file mean. zero, full: value at the lowest and highest count; step: of one count; error: largest
    rounding error stated beforehand; unit: of all four."""

    zero: float
    full: float
    step: float
    error: float
    unit: str


@dataclass(frozen=True)
class Format:
    """One way to write a kind of data."""

    id: str
    label: str
    kind: str
    extension: str
    bits: int
    write: Callable
    read: Callable


def meaning(fmt: Format, data: np.ndarray) -> Meaning:
    """What the numbers mean when this data is written in this format."""
    unit = {HEIGHT: "m", MASK: "share", COLOUR: "sRGB share"}[fmt.kind]
    if fmt.bits == 32:
        top = float(np.abs(data).max()) if data.size else 0.0
        return Meaning(float(data.min()), float(data.max()), float(np.spacing(np.float32(top))), 0.0, unit)
    low, high = (float(data.min()), float(data.max())) if fmt.kind == HEIGHT else (0.0, 1.0)
    if high <= low:
        high = low + 1.0  # level ground: any span holds it
    step = (high - low) / (2 ** fmt.bits - 1)
    return Meaning(low, high, step, step / 2, unit)


def encode(fmt: Format, data: np.ndarray, m: Meaning) -> np.ndarray:
    """Samples as counts: round to nearest, zero level to 0 and full level to the highest count."""
    if fmt.bits == 32:
        return data
    top = 2 ** fmt.bits - 1
    out = np.empty(data.shape, np.uint16 if fmt.bits == 16 else np.uint8)
    for a in range(0, data.shape[0], CHUNK):  # in bands: double precision of the whole would not fit beside it
        rows = data[a:a + CHUNK]
        share = to_srgb(rows.astype(np.float64)) if fmt.kind == COLOUR else (rows.astype(np.float64) - m.zero) / (m.full - m.zero)
        out[a:a + CHUNK] = np.clip(np.rint(share * top), 0, top)
    return out


def decode(fmt: Format, counts: np.ndarray, m: Meaning) -> np.ndarray:
    """Counts back to the unit of the meaning (colours stay sRGB shares)."""
    if fmt.bits == 32:
        return counts
    return m.zero + counts.astype(np.float64) / (2 ** fmt.bits - 1) * (m.full - m.zero)


def rounding_error(fmt: Format, counts: np.ndarray, data: np.ndarray, m: Meaning) -> float:
    """Largest difference between what a file's numbers mean and the samples they came from."""
    worst = 0.0
    for a in range(0, data.shape[0], CHUNK):
        wanted = to_srgb(data[a:a + CHUNK].astype(np.float64)) if fmt.kind == COLOUR else data[a:a + CHUNK]
        worst = max(worst, float(np.abs(decode(fmt, counts[a:a + CHUNK], m) - wanted).max()))
    return worst


def _write_png(path: Path, counts: np.ndarray, site: Site, dx: float):
    from PIL import Image

    Image.fromarray(counts).save(path, format="PNG", compress_level=3)


def _read_png(path: Path) -> np.ndarray:
    from PIL import Image

    with Image.open(path) as image:
        return np.array(image)


def _write_geotiff(path: Path, counts: np.ndarray, site: Site, dx: float):
    """Float GeoTIFF in local metres: the origin is the site's south-west corner, samples sit on the site's edges."""
    import rasterio
    from rasterio.transform import from_origin

    with rasterio.open(path, "w", driver="GTiff", height=counts.shape[0], width=counts.shape[1], count=1, dtype="float32",
                       transform=from_origin(-dx / 2, site.depth + dx / 2, dx, dx), compress="deflate") as file:
        file.update_tags(AREA_OR_POINT="Point", TIFFTAG_SOFTWARE="Gelande")
        for top in range(0, counts.shape[0], CHUNK):
            rows = counts[top:top + CHUNK]
            file.write(rows, 1, window=((top, top + rows.shape[0]), (0, counts.shape[1])))
        file.units = ("m",)


def _read_geotiff(path: Path) -> np.ndarray:
    import rasterio

    with rasterio.open(path) as file:
        return file.read(1)


FORMATS = {f.id: f for f in (
    Format("height_tiff32", "GeoTIFF, 32-bit float", HEIGHT, ".tif", 32, _write_geotiff, _read_geotiff),
    Format("height_png16", "PNG, 16-bit", HEIGHT, ".png", 16, _write_png, _read_png),
    Format("mask_png8", "PNG, 8-bit", MASK, ".png", 8, _write_png, _read_png),
    Format("mask_png16", "PNG, 16-bit", MASK, ".png", 16, _write_png, _read_png),
    Format("colour_png8", "PNG, 8-bit sRGB", COLOUR, ".png", 8, _write_png, _read_png),
)}


def formats_for(kind: str) -> list[Format]:
    """Formats that hold a kind of data, the usual one first."""
    return [f for f in FORMATS.values() if f.kind == kind]


def format_of(format_id: str) -> Format:
    """A format by id. Raises DeliveryError naming those there are."""
    try:
        return FORMATS[format_id]
    except KeyError:
        raise DeliveryError(f"There is no format called {format_id}; known are {', '.join(FORMATS)}.") from None
