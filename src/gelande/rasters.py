"""Parts of a site that programs ask for, and what comes back with its place."""

from __future__ import annotations

import importlib
import os
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from .core.errors import GelandeError
from .core.recipe.raster import COLOUR, HEIGHT
from .core.recipe.site import Site
from .kernels.grid_window import GridWindow
from .kernels.rasterfile import rasterio_error

#: What is done with a region that lies partly outside the site.
CUT, ERROR, PAD = "cut", "error", "pad"


@dataclass(frozen=True)
class Region:
    """A rectangle of the site in metres from its south-west corner."""

    west: float
    south: float
    east: float
    north: float

    @classmethod
    def around(cls, east: float, north: float, size: float) -> Region:
        """A square of a side about a point."""
        return cls(east - size / 2, north - size / 2, east + size / 2, north + size / 2)

    @staticmethod
    def samples(row: int, column: int, rows: int, columns: int) -> SampleRegion:
        """So many samples of whatever detail is asked for, from a row counted from the north and a column from the
        west: as a program cuts a site into pieces."""
        return SampleRegion(row, column, rows, columns)

    def place(self, site: Site, level: int) -> tuple[int, int, int, int]:
        """First row, row after the last, first column, column after the last of the samples in it, on the site or
        not."""
        dx = site.spacing(level)
        top = int(np.ceil((site.depth - self.north) / dx - 1e-6))
        bottom = int(np.floor((site.depth - self.south) / dx + 1e-6))
        left, right = int(np.ceil(self.west / dx - 1e-6)), int(np.floor(self.east / dx + 1e-6))
        return top, bottom + 1, left, right + 1

    def window(self, site: Site, level: int) -> GridWindow:
        """The samples of a level that lie in the region. Raises GelandeError when there are none."""
        return _on_site(self, site, level)

    def __str__(self) -> str:
        return f"from {self.west:g} to {self.east:g} m east and {self.south:g} to {self.north:g} m north"


@dataclass(frozen=True)
class SampleRegion:
    """A rectangle of samples of a detail."""

    row: int
    column: int
    rows: int
    columns: int

    def place(self, site: Site, level: int) -> tuple[int, int, int, int]:
        """As Region.place."""
        return self.row, self.row + self.rows, self.column, self.column + self.columns

    def window(self, site: Site, level: int) -> GridWindow:
        """The samples of a level that lie in the region. Raises GelandeError when there are none."""
        return _on_site(self, site, level)

    def __str__(self) -> str:
        return f"of {self.rows} by {self.columns} samples from row {self.row} and column {self.column}"


def _on_site(region: Region | SampleRegion, site: Site, level: int) -> GridWindow:
    top, bottom, left, right = region.place(site, level)
    rows, columns = site.shape(level)
    if right <= max(left, 0) or bottom <= max(top, 0) or left >= columns or top >= rows:
        raise GelandeError(
            f"The region {region} holds no sample of the site, which is {site.width:g} by {site.depth:g} m with one "
            f"every {site.spacing(level):g} m."
        )
    return GridWindow.between(top, bottom, left, right, (rows, columns))


@dataclass(frozen=True, eq=False)
class Raster:
    """Samples with their place. values: float32 (rows from north, columns from west), with three colours last; extent:
    (west, south, east, north) of the outer samples, metres from the site's south-west corner, or from the delivery's
    origin where it has one; spacing: metres between samples; unit: "m", "share" (0 to 1) or "linear RGB"; epsg: of the
    delivery's reference system, or 0."""

    values: np.ndarray
    extent: tuple[float, float, float, float]
    spacing: float
    unit: str
    name: str = ""
    epsg: int = 0

    @property
    def transform(self) -> tuple[float, float, float, float, float, float]:
        """(a, b, c, d, e, f) with east = a·column + b·row + c and north = d·column + e·row + f of a pixel's upper left
        corner, as raster libraries have it; samples are at the pixels' middles."""
        half = 0.5 * self.spacing
        return self.spacing, 0.0, self.extent[0] - half, 0.0, -self.spacing, self.extent[3] + half

    @property
    def east(self) -> np.ndarray:
        """Metres east of the columns."""
        return self.extent[0] + self.spacing * np.arange(self.values.shape[1])

    @property
    def north(self) -> np.ndarray:
        """Metres north of the rows."""
        return self.extent[3] - self.spacing * np.arange(self.values.shape[0])

    def to_xarray(self) -> Any:
        """An xarray.DataArray with north, east and, for colours, band. Raises GelandeError where xarray is missing."""
        try:
            xarray = importlib.import_module("xarray")
        except ImportError:
            raise GelandeError("xarray is not installed here; install it to take rasters into it.") from None
        places: dict[str, Any] = {"north": self.north, "east": self.east}
        if self.values.ndim == 3:
            places["band"] = ["red", "green", "blue"]
        facts = {"units": self.unit, "spacing_m": self.spacing, "epsg": self.epsg}
        return xarray.DataArray(self.values, places, list(places), self.name or None, facts)

    def to_rasterio(self, path: str | os.PathLike) -> Path:
        """Writes a GeoTIFF of 32-bit numbers, through a file beside it. Raises GelandeError."""
        tags = {"unit": self.unit, "name": self.name}
        return write_geotiff(Path(path), self.values, self.transform, self.epsg, tags)


def write_geotiff(
    path: Path,
    values: np.ndarray,
    transform: tuple[float, float, float, float, float, float],
    epsg: int = 0,
    tags: dict[str, str] | None = None,
) -> Path:
    """Writes 32-bit numbers with their place, through a file beside it. values: (rows, columns) or with bands last;
    transform: of a pixel's upper left corner, as Raster has it. Raises GelandeError."""
    import rasterio
    from rasterio.transform import Affine

    bands, part = np.atleast_3d(values), path.with_name(f".{path.name}.part")
    facts = {"driver": "GTiff", "height": bands.shape[0], "width": bands.shape[1], "count": bands.shape[2]}
    crs = f"EPSG:{epsg}" if epsg else None
    try:
        with rasterio.open(part, "w", dtype="float32", transform=Affine(*transform), crs=crs, **facts) as file:
            for band in range(bands.shape[2]):
                file.write(np.asarray(bands[..., band], np.float32), band + 1)
            file.update_tags(**(tags or {}))
        os.replace(part, path)
    except (OSError, rasterio_error()) as error:
        part.unlink(missing_ok=True)
        raise GelandeError(f"{path} could not be written: {error}.") from None
    return path


#: Units of the kinds of data.
UNITS = {HEIGHT: "m", COLOUR: "linear RGB"}


def padded(data: np.ndarray, window: GridWindow, place: tuple[int, int, int, int]) -> np.ndarray:
    """Samples of a window on a larger place, with no number where the site ends."""
    top, bottom, left, right = place
    out = np.full((bottom - top, right - left, *data.shape[2:]), np.nan, np.float32)
    row, column = window.top - top, window.left - left
    out[row : row + window.height, column : column + window.width] = data
    return out
