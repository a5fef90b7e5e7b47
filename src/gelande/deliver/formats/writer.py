"""What all formats have in common: a writer says what a file's numbers will mean, writes it band by band and reads it
back."""

from __future__ import annotations

import warnings
from collections.abc import Iterator
from dataclasses import asdict, dataclass
from pathlib import Path
from typing import Any, Protocol

import numpy as np

from gelande.core.errors import DeliveryError
from gelande.core.recipe import param as P
from gelande.core.recipe.model import Recipe
from gelande.core.recipe.raster import COLOUR, HEIGHT, MASK
from gelande.core.recipe.site import Site
from gelande.kernels.curves import to_srgb

from ..place import Place, Work
from ..samples import BAND, Samples

#: Share of a file's bar at which it is written; the rest is reading back.
WRITTEN = 0.6
#: Mean difference of counts up to which a file of a format that loses something is taken for what was written.
CLOSE = 6.0
UNITS = {HEIGHT: "m", MASK: "share", COLOUR: "sRGB share"}
#: What a file holds where that is not what the output gives.
LINEAR = "linear RGB"
WHOLE_RANGE, GIVEN = "whole_range", "given_heights"
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
    """Meaning of the numbers of a file. zero, full: value at the lowest and highest count; step: of one count; error:
    largest rounding error stated beforehand; unit: of all four."""

    zero: float
    full: float
    step: float
    error: float
    unit: str


@dataclass(frozen=True)
class Slot:
    """Another output that goes into a file. kind: of data; needed: whether there is no file without it;
    usual: whether it is filled by itself where there is such an output."""

    id: str
    label: str
    kind: str
    needed: bool = False
    usual: bool = False


class File(Protocol):
    """A file being written."""

    def write(self, rows: np.ndarray) -> None: ...

    def finish(self) -> None: ...

    def close(self) -> None: ...


@dataclass(frozen=True)
class Writer:
    """One way to write a kind of data. bits: of a number, 16 or 32 for floating point when floats is set; params:
    options that a deliverable may set; slots: other outputs that may go into the file; group: heading in menus."""

    id: str
    label: str
    kind: str
    extension: str
    bits: int
    params: tuple[P.Param, ...] = ()
    floats: bool = False
    slots: tuple[Slot, ...] = ()
    group: str = "Samples"
    #: Whether numbers are exact only within what the format loses by its nature.
    lossy = False
    #: Whether it is one file of the whole site, whatever the tiles; whether it asks for the water over the land.
    whole = False
    water = False

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

    @property
    def counts(self) -> bool:
        """True when samples become whole counts."""
        return not self.floats and self.bits < 32

    @property
    def spans(self) -> bool:
        """True when the file's counts run over a span of heights that the delivery may give."""
        return self.counts and self.kind == HEIGHT and any(p.id == "span" for p in self.params)

    def names(self, stem: str, options: dict) -> list[str]:
        """The files that are written, the one that holds the data first."""
        return [stem + self.extension]

    def fixed(self, slot: str, site: Site, level: int, options: dict) -> int | None:
        """The level at which an output is asked, whole, when one is delivered; None for the delivery's own part."""
        return None

    def rests_on(self, recipe: Recipe) -> list:
        """Data that the file depends on beside the samples."""
        return []

    def through(self, options: dict) -> tuple[str, dict] | None:
        """The kind of a node, with its settings, that the output is led through first; its result is written."""
        return None

    def margin(self, options: dict, dx: float) -> int:
        """Number of samples beyond a file's own it looks at."""
        return 0

    def seen(self, samples: dict[str, Samples], place: Place, options: dict) -> Samples:
        """The samples that are written, made from those of the outputs by slot, "" for the first; they reach further by
        the margin."""
        return samples[""]

    def plan(self, samples: Samples, options: dict, span: tuple[float, float] | None = None) -> Meaning:
        """Meaning of the numbers when these samples are written. span: heights of the lowest and the highest
        count, unless the file's own options give them. Raises DeliveryError when the samples do not fit."""
        unit = UNITS[self.kind]
        if not self.counts:
            top = max(abs(samples.low), abs(samples.high))
            kind = np.float16 if self.bits == 16 else np.float32
            step = float(np.spacing(kind(min(top, 65_000.0) if self.bits == 16 else top)))
            if self.bits == 16 and top > 65_504:
                raise DeliveryError(f"{self.label} holds numbers up to 65504 only, and here is {top:.0f}")
            unit = LINEAR if self.kind == COLOUR else unit
            return Meaning(samples.low, samples.high, step, step / 2 if self.bits == 16 else 0.0, unit)
        low, high = (samples.low, samples.high) if self.kind == HEIGHT else (0.0, 1.0)
        if self.spans and self.option(options, "span") == GIVEN:
            span = float(self.option(options, "low")), float(self.option(options, "high"))
            if span[1] <= span[0]:
                raise DeliveryError(f"{self.label}: its highest count must stand for more than its lowest")
        if self.spans and span:
            if samples.low < span[0] or samples.high > span[1]:
                raise DeliveryError(
                    f"the land runs from {low:.1f} to {high:.1f} m and does not fit between {span[0]:g} "
                    f"and {span[1]:g} m; give its counts a larger span"
                )
            low, high = span
        if high <= low:
            high = low + 1.0  # level ground: any span holds it
        step = (high - low) / (2**self.bits - 1)
        return Meaning(low, high, step, step if samples.moved else step / 2, unit)

    def encode(self, rows: np.ndarray, m: Meaning) -> np.ndarray:
        """Samples as they are stored: floats as they are, counts rounded to nearest with the zero level at 0 and the
        full level at the highest count."""
        if not self.counts:
            return rows.astype(np.float16) if self.bits == 16 else rows
        values = rows.astype(np.float64)
        fraction = to_srgb(values) if self.kind == COLOUR else (values - m.zero) / (m.full - m.zero)
        top = 2**self.bits - 1
        return np.clip(np.rint(fraction * top), 0, top).astype(np.uint16 if self.bits == 16 else np.uint8)

    def decode(self, counts: np.ndarray, m: Meaning) -> np.ndarray:
        """Counts back to the unit of the meaning (colours stay sRGB shares)."""
        if not self.counts:
            return counts.astype(np.float32)
        return m.zero + counts.astype(np.float64) / (2**self.bits - 1) * (m.full - m.zero)

    def rounding_error(self, counts: np.ndarray, rows: np.ndarray, m: Meaning) -> float:
        """Largest difference between what counts mean and the samples they came from."""
        wanted = to_srgb(rows.astype(np.float64)) if self.kind == COLOUR and self.counts else rows
        return float(np.abs(self.decode(counts, m) - wanted).max())

    def begin(self, path: Path, shape: tuple[int, ...], place: Place, m: Meaning, options: dict) -> File:
        """A file of this shape to write counts to, band by band from the north."""
        raise NotImplementedError

    def read(self, path: Path, shape: tuple[int, ...]) -> Iterator[np.ndarray]:
        """The counts of a file that was written, in the same bands."""
        return bands_of(path, self.driver)

    def beside(self, path: Path, facts: dict) -> None:
        """Adds what the format has beside its samples: into the file itself, or in other files in its folder."""

    def make(
        self,
        folder: Path,
        stem: str,
        samples: dict[str, Samples],
        work: Work,
        options: dict,
        span: tuple[float, float] | None,
    ) -> dict:
        """Writes the files of a deliverable into a folder, reads them back and returns what the manifest says of them.
        Raises DeliveryError, OSError, Stopped."""
        seen = self.seen(samples, work.place, options)
        m = self.plan(seen, options, span)
        path = folder / self.names(stem, options)[0]
        self._written(path, seen, m, work, options)
        facts = {
            "samples": [seen.shape[1], seen.shape[0]],
            "metres_per_sample": work.place.dx,
            "meaning": asdict(m),
            **({"options": options} if options else {}),
        }
        self.beside(path, facts)
        error = self._read_back(path, seen, m, work)
        return {
            **facts,
            "largest_rounding_error": error + seen.moved,
            **({"rounded": "together with the other weights of its node"} if seen.moved else {}),
            "read_back": f"within {error:.3g} of what was written" if self.lossy else "identical",
        }

    def _written(self, path: Path, samples: Samples, m: Meaning, work: Work, options: dict) -> None:
        """Writes all bands."""
        file = self.begin(path, samples.shape, work.place, m, options)
        done = 0
        try:
            for rows in samples.bands():
                work.stop.check()
                file.write(self.encode(rows, m))
                done += rows.shape[0]
                work.tell(WRITTEN * done / samples.shape[0])
            file.finish()
        finally:
            file.close()

    def _read_back(self, path: Path, samples: Samples, m: Meaning, work: Work) -> float:
        """Compares what a file holds with what was to be in it. Returns the largest rounding error."""
        worst, done, back = 0.0, 0, self.read(path, samples.shape)
        for rows in samples.bands():
            work.stop.check()
            counts, found = self.encode(rows, m), next(back, None)
            if found is None or found.shape != counts.shape or not self._agree(found, counts):
                why = (
                    f"{path.name} does not read back as it was written; nothing was kept. Check the disk and try again."
                )
                raise DeliveryError(why)
            worst = max(worst, self.rounding_error(found, rows, m))
            done += rows.shape[0]
            work.tell(WRITTEN + (1 - WRITTEN) * done / samples.shape[0])
        if next(back, None) is not None:
            raise DeliveryError(f"{path.name} holds more than was written; nothing was kept.")
        return worst

    def _agree(self, found: np.ndarray, counts: np.ndarray) -> bool:
        """True when what was read is what was written."""
        if not self.lossy:
            return bool(np.array_equal(found, counts))
        return float(np.abs(found.astype(np.int32) - counts.astype(np.int32)).mean()) < CLOSE

    @property
    def driver(self) -> str:
        """Driver that reads the file back."""
        return {".png": "PNG", ".tif": "GTiff", ".jpg": "JPEG"}[self.extension]


def bands_of(path: Path, driver: str) -> Iterator[np.ndarray]:
    """A file's samples in bands, through GDAL."""
    import rasterio
    from rasterio.errors import NotGeoreferencedWarning

    with warnings.catch_warnings():
        warnings.simplefilter("ignore", NotGeoreferencedWarning)
        with rasterio.open(path, driver=driver) as file:
            for top in range(0, file.height, BAND):
                rows = file.read(window=((top, min(top + BAND, file.height)), (0, file.width)))
                yield rows[0] if rows.shape[0] == 1 else np.ascontiguousarray(rows.transpose(1, 2, 0))
