"""File formats of deliverables. A writer says what a file's numbers will mean, writes it band by band and reads it
back."""

from __future__ import annotations

import warnings
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any, Protocol

import numpy as np

from gelande.core import param as P
from gelande.core.errors import DeliveryError
from gelande.core.raster import COLOUR, HEIGHT, MASK
from gelande.core.site import Site
from gelande.kernels.curves import to_srgb

from .png import PngFile
from .samples import BAND, Samples

UNITS = {HEIGHT: "m", MASK: "share", COLOUR: "sRGB share"}
WHOLE_RANGE, GIVEN = "Whole range", "Given heights"
#: What the ends of a 16-bit height's counts stand for.
SPAN = (
    P.choice(
        "span", "Counts run over", WHOLE_RANGE, (WHOLE_RANGE, GIVEN), "What the lowest and the highest count mean."
    ),
    P.metres("low", "Lowest count is", 0, "Height of the lowest count.", (-100_000, 100_000), (-500, 1000), 1),
    P.metres("high", "Highest count is", 1000, "Height of the highest count.", (-100_000, 100_000), (0, 3000), 1),
)


@dataclass(frozen=True)
class Meaning:
    """What the numbers of a file mean. zero, full: value at the lowest and highest count; step: of one count; error:
    largest rounding error stated beforehand; unit: of all four."""

    zero: float
    full: float
    step: float
    error: float
    unit: str


class File(Protocol):
    """A file being written."""

    def write(self, rows: np.ndarray) -> None: ...

    def finish(self) -> None: ...

    def close(self) -> None: ...


@dataclass(frozen=True)
class Writer:
    """One way to write a kind of data. bits: of a number, 32 for floating point; params: options that a deliverable
    may set."""

    id: str
    label: str
    kind: str
    extension: str
    bits: int
    params: tuple[P.Param, ...] = ()

    def option(self, options: dict, key: str) -> Any:
        """An option's value: the deliverable's own, or the default."""
        return options.get(key, next(p.default for p in self.params if p.id == key))

    def checked(self, options: dict) -> dict:
        """The options as they are stored. Raises DeliveryError naming the option, the value and the range."""
        known, found = {p.id: p for p in self.params}, {}
        for key, value in options.items():
            if key not in known:
                has = f"its options are {', '.join(known)}" if known else "it has no options"
                raise DeliveryError(f"{self.label} has no option called {key}; {has}.")
            try:
                found[key] = known[key].check(value)
            except ValueError as error:
                raise DeliveryError(f"{self.label}: {error}.") from None
        return found

    def plan(self, samples: Samples, options: dict) -> Meaning:
        """What the numbers will mean when these samples are written."""
        unit = UNITS[self.kind]
        if self.bits == 32:
            top = max(abs(samples.low), abs(samples.high))
            return Meaning(samples.low, samples.high, float(np.spacing(np.float32(top))), 0.0, unit)
        low, high = (samples.low, samples.high) if self.kind == HEIGHT else (0.0, 1.0)
        if self.params and self.option(options, "span") == GIVEN:
            low, high = float(self.option(options, "low")), float(self.option(options, "high"))
            if high <= low:
                raise DeliveryError(f"{self.label}: its highest count must stand for more than its lowest")
            if samples.low < low or samples.high > high:
                raise DeliveryError(
                    f"the land runs from {samples.low:.1f} to {samples.high:.1f} m and does not fit between {low:g} "
                    f"and {high:g} m; give its counts a larger span"
                )
        if high <= low:
            high = low + 1.0  # level ground: any span holds it
        step = (high - low) / (2**self.bits - 1)
        return Meaning(low, high, step, step if samples.moved else step / 2, unit)

    def encode(self, rows: np.ndarray, m: Meaning) -> np.ndarray:
        """Samples as counts: round to nearest, zero level to 0 and full level to the highest count."""
        if self.bits == 32:
            return rows
        values = rows.astype(np.float64)
        share = to_srgb(values) if self.kind == COLOUR else (values - m.zero) / (m.full - m.zero)
        top = 2**self.bits - 1
        return np.clip(np.rint(share * top), 0, top).astype(np.uint16 if self.bits == 16 else np.uint8)

    def decode(self, counts: np.ndarray, m: Meaning) -> np.ndarray:
        """Counts back to the unit of the meaning (colours stay sRGB shares)."""
        if self.bits == 32:
            return counts
        return m.zero + counts.astype(np.float64) / (2**self.bits - 1) * (m.full - m.zero)

    def rounding_error(self, counts: np.ndarray, rows: np.ndarray, m: Meaning) -> float:
        """Largest difference between what counts mean and the samples they came from."""
        wanted = to_srgb(rows.astype(np.float64)) if self.kind == COLOUR else rows
        return float(np.abs(self.decode(counts, m) - wanted).max())

    def begin(self, path: Path, shape: tuple[int, ...], site: Site, dx: float) -> File:
        """A file of this shape to write counts to, band by band from the north."""
        raise NotImplementedError

    def read(self, path: Path) -> Iterator[np.ndarray]:
        """The counts of a file that was written, in the same bands."""
        import rasterio
        from rasterio.errors import NotGeoreferencedWarning

        with warnings.catch_warnings():
            warnings.simplefilter("ignore", NotGeoreferencedWarning)
            with rasterio.open(path, driver=self.driver) as file:
                for top in range(0, file.height, BAND):
                    rows = file.read(window=((top, min(top + BAND, file.height)), (0, file.width)))
                    yield rows[0] if rows.shape[0] == 1 else np.ascontiguousarray(rows.transpose(1, 2, 0))

    @property
    def driver(self) -> str:
        """Who reads the file back."""
        return {".png": "PNG", ".tif": "GTiff"}[self.extension]


class Png(Writer):
    """PNG of 8 or 16 bits: one channel, or RGB."""

    def begin(self, path: Path, shape: tuple[int, ...], site: Site, dx: float) -> File:
        return PngFile(path, shape, self.bits)


class GeoTiff(Writer):
    """Float GeoTIFF in local metres: the origin is the site's south-west corner, samples sit on the site's edges."""

    def begin(self, path: Path, shape: tuple[int, ...], site: Site, dx: float) -> File:
        return _TiffFile(path, shape, site, dx)


class _TiffFile:
    def __init__(self, path: Path, shape: tuple[int, ...], site: Site, dx: float):
        import rasterio
        from rasterio.transform import from_origin

        self._next, self._columns = 0, shape[1]
        self._file = rasterio.open(
            path,
            "w",
            driver="GTiff",
            height=shape[0],
            width=shape[1],
            count=1,
            dtype="float32",
            transform=from_origin(-dx / 2, site.depth + dx / 2, dx, dx),
            compress="deflate",
            bigtiff="if_safer",
        )
        self._file.update_tags(AREA_OR_POINT="Point", TIFFTAG_SOFTWARE="Gelande")

    def write(self, rows: np.ndarray) -> None:
        self._file.write(rows, 1, window=((self._next, self._next + rows.shape[0]), (0, self._columns)))
        self._next += rows.shape[0]

    def finish(self) -> None:
        self._file.units = ("m",)
        self._file.close()

    def close(self) -> None:
        self._file.close()


FORMATS: dict[str, Writer] = {
    f.id: f
    for f in (
        GeoTiff("height_tiff32", "GeoTIFF, 32-bit float", HEIGHT, ".tif", 32),
        Png("height_png16", "PNG, 16-bit", HEIGHT, ".png", 16, SPAN),
        Png("mask_png8", "PNG, 8-bit", MASK, ".png", 8),
        Png("mask_png16", "PNG, 16-bit", MASK, ".png", 16),
        Png("colour_png8", "PNG, 8-bit sRGB", COLOUR, ".png", 8),
    )
}


def formats_for(kind: str) -> list[Writer]:
    """Formats that hold a kind of data, the usual one first."""
    return [f for f in FORMATS.values() if f.kind == kind]


def format_of(format_id: str) -> Writer:
    """A format by id. Raises DeliveryError naming those there are."""
    try:
        return FORMATS[format_id]
    except KeyError:
        raise DeliveryError(f"There is no format called {format_id}; known are {', '.join(FORMATS)}.") from None
