"""GeoTIFF and ASCII grids: samples that know where they lie. The origin is the site's south-west corner, moved to
where the delivery puts it; samples sit on the site's edges."""

from __future__ import annotations

import base64
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from gelande.core.recipe import param as P
from gelande.core.recipe.raster import HEIGHT

from ..place import Place
from ..samples import BAND
from .colourspace import srgb_profile
from .writer import File, Meaning, Writer

#: Rows and columns of a block of a GeoTIFF.
BLOCK = 256


@dataclass(frozen=True)
class GeoTiff(Writer):
    """GeoTIFF of 8, 16 or 32 bits, in blocks; smaller copies of the samples for viewers where they are wanted."""

    params: tuple[P.Param, ...] = (
        P.toggle("overviews", "Overviews", False, "Smaller copies inside the file, for programs that show it."),
    )

    def begin(self, path: Path, shape: tuple[int, ...], place: Place, m: Meaning, options: dict) -> File:
        return _TiffFile(self, path, shape, place, m)

    def beside(self, path: Path, facts: dict) -> None:
        if not self.option(facts.get("options", {}), "overviews"):
            return
        import rasterio
        from rasterio.enums import Resampling

        rows = facts["samples"][1]
        factors = [2**k for k in range(1, 12) if rows // 2**k >= BLOCK]
        if factors:
            with rasterio.Env(GDAL_TIFF_OVR_BLOCKSIZE=str(BLOCK)), rasterio.open(path, "r+") as file:
                file.build_overviews(factors, Resampling.average)


class _TiffFile:
    def __init__(self, writer: Writer, path: Path, shape: tuple[int, ...], place: Place, m: Meaning) -> None:
        import rasterio
        from rasterio.transform import from_origin

        kind = "float32" if not writer.counts else f"uint{writer.bits}"
        east, north = place.origin
        dx = place.dx
        self._next, self._columns, self._writer, self._meaning = 0, shape[1], writer, m
        self._bands = shape[2] if len(shape) == 3 else 1
        blocked = {"tiled": True, "blockxsize": BLOCK, "blockysize": BLOCK} if min(shape[:2]) >= BLOCK else {}
        self._file = rasterio.open(
            path,
            "w",
            driver="GTiff",
            height=shape[0],
            width=shape[1],
            count=self._bands,
            dtype=kind,
            transform=from_origin(east - dx / 2, north + dx / 2, dx, dx),
            crs=place.crs(),
            compress="deflate",
            predictor=1 if kind == "float32" else 2,  # many readers know no other for floats
            bigtiff="if_safer",
            **self._colours(),
            **blocked,
        )
        self._file.update_tags(AREA_OR_POINT="Point", TIFFTAG_SOFTWARE="Gelande")

    def _colours(self) -> dict[str, str]:
        """What the file says of its colours."""
        if self._bands != 3:
            return {}
        return {"photometric": "rgb", "source_icc_profile": base64.b64encode(srgb_profile()).decode("ascii")}

    def write(self, rows: np.ndarray) -> None:
        window = ((self._next, self._next + rows.shape[0]), (0, self._columns))
        if self._bands == 1:
            self._file.write(rows, 1, window=window)
        else:
            self._file.write(np.ascontiguousarray(rows.transpose(2, 0, 1)), window=window)
        self._next += rows.shape[0]

    def finish(self) -> None:
        if self._writer.kind == HEIGHT:
            self._file.units = ("m",)
        if self._writer.counts and self._bands == 1:
            self._file.scales, self._file.offsets = (self._meaning.step,), (self._meaning.zero,)
        self._file.close()

    def close(self) -> None:
        self._file.close()


class AsciiGrid(Writer):
    """ASCII grid: a text of heights that any program reads, with the place of its south-west sample."""

    def begin(self, path: Path, shape: tuple[int, ...], place: Place, m: Meaning, options: dict) -> File:
        return _AsciiFile(path, shape, place)

    def read(self, path: Path, shape: tuple[int, ...]) -> Iterator[np.ndarray]:
        with path.open("rb") as file:
            for _ in range(HEAD_LINES):
                file.readline()
            left = shape[0]
            while left:
                lines = [file.readline() for _ in range(min(BAND, left))]
                rows = [np.array(line.split(), np.float32) for line in lines]
                if any(len(row) != shape[1] for row in rows):
                    return
                yield np.stack(rows)
                left -= len(lines)
            if file.readline().strip():
                yield np.empty((0, 0), np.float32)  # more than was to be in it


HEAD_LINES = 6


class _AsciiFile:
    def __init__(self, path: Path, shape: tuple[int, ...], place: Place) -> None:
        east, north = place.origin
        south = north - (shape[0] - 1) * place.dx
        self._file = path.open("w", encoding="ascii", newline="\n")
        # The corner that the head names is that of a cell around the sample.
        self._file.write(f"ncols {shape[1]}\nnrows {shape[0]}\n")
        self._file.write(f"xllcorner {east - place.dx / 2:.10g}\nyllcorner {south - place.dx / 2:.10g}\n")
        self._file.write(f"cellsize {place.dx:.10g}\nNODATA_value -999999\n")

    def write(self, rows: np.ndarray) -> None:
        for row in rows:
            # nine digits tell every 32-bit number from its neighbours
            self._file.write(" ".join(map("{:.9g}".format, row.tolist())) + "\n")

    def finish(self) -> None:
        self._file.close()

    def close(self) -> None:
        self._file.close()
