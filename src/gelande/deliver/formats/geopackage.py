"""GeoPackage files of points and lines, and reading them back."""

from __future__ import annotations

import sqlite3
import struct
import warnings
from pathlib import Path

import numpy as np

from ..place import Place

POINT, LINE = "Point", "LineString"


def _point(xy: np.ndarray) -> bytes:
    return struct.pack("<BIdd", 1, 1, *xy)


def _line(xy: np.ndarray) -> bytes:
    return struct.pack("<BII", 1, 2, len(xy)) + np.ascontiguousarray(xy, "<f8").tobytes()


def write(
    path: Path, layer: str, kind: str, shapes: list[np.ndarray], fields: dict[str, np.ndarray], place: Place
) -> None:
    """Writes one layer. shapes: (2,) or (n, 2) metres from the site's south-west corner; fields: one value a shape."""
    import pyogrio

    shift = np.array([place.delivery.east, place.delivery.north])
    code = _point if kind == POINT else _line
    geometry = np.array([code(xy + shift) for xy in shapes], dtype=object)
    crs = f"EPSG:{place.delivery.epsg}" if place.crs() is not None else None
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # about local metres, which are meant
        pyogrio.raw.write(
            path,
            geometry,
            list(fields.values()),
            list(fields),
            layer=layer,
            driver="GPKG",
            geometry_type=kind,
            crs=crs,
            append=False,
        )


def read(path: Path, layer: str, place: Place) -> list[np.ndarray]:
    """The shapes of a layer, read from the database itself."""
    shift = np.array([place.delivery.east, place.delivery.north])
    found = []
    with sqlite3.connect(f"{path.resolve().as_uri()}?mode=ro", uri=True) as base:
        column = base.execute(
            "SELECT column_name FROM gpkg_geometry_columns WHERE table_name = ?", (layer,)
        ).fetchone()[0]
        for (blob,) in base.execute(f'SELECT "{column}" FROM "{layer}" ORDER BY fid'):
            # head: two letters, version, flags whose bits 1 to 3 tell how many numbers the extent has
            start = 8 + 8 * (0, 4, 6, 6, 8)[(blob[3] >> 1) & 7]
            kind = struct.unpack_from("<I", blob, start + 1)[0]
            data = np.frombuffer(blob, "<f8", offset=start + (5 if kind == 1 else 9))
            found.append((data if kind == 1 else data.reshape(-1, 2)) - shift)
    base.close()
    return found
