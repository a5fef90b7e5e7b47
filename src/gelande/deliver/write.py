"""Writing one deliverable: whole or not at all, read back and compared."""

from __future__ import annotations

import errno
import hashlib
import shutil
import tempfile
from collections.abc import Callable
from dataclasses import asdict
from pathlib import Path

import numpy as np
from rasterio.errors import RasterioError

from gelande.core.errors import DeliveryError
from gelande.core.files import reason_of, write_whole
from gelande.core.job import Stop
from gelande.core.model import Deliverable, Recipe

from .formats import Meaning, Writer, format_of
from .samples import Samples

#: Zeros that are written at most to find out why a file could not be, in pieces of so many bytes.
PROBE, CHUNK = 256_000_000, 1_000_000
#: Share of a file's bar at which it is written; the rest is reading back.
WRITTEN = 0.6


def write_deliverable(
    recipe: Recipe,
    deliverable: Deliverable,
    samples: Samples,
    level: int,
    path: Path,
    stop: Stop,
    tell: Callable[[float], None],
) -> dict:
    """Writes one file whole or not at all, reads it back and returns its facts for the manifest. tell: called with the
    share that is done.

    Raises DeliveryError when it cannot be written or does not read back as it was written; Stopped."""
    fmt = format_of(deliverable.format)
    m = fmt.plan(samples, fmt.checked(dict(deliverable.options)))
    dx = recipe.site.spacing(level)
    checked: dict = {}

    def write(temporary: Path) -> None:
        _written(fmt, temporary, samples, m, recipe, dx, stop, tell)
        checked["error"] = _read_back(fmt, temporary, samples, m, path, stop, tell)
        with temporary.open("rb") as file:
            checked["sha256"] = hashlib.file_digest(file, "sha256").hexdigest()
        checked["bytes"] = temporary.stat().st_size
        stop.check()

    try:
        write_whole(path, write)
    except (OSError, RasterioError) as error:
        # GDAL says only that writing failed; the system, asked to put the rest there, says why.
        size = int(np.prod(samples.shape)) * fmt.bits // 8
        error = error if isinstance(error, OSError) and error.errno else _why_not(path.parent, size)
        raise DeliveryError(f"{path} cannot be written: {reason_of(error)}. Nothing half-written was left.") from None
    return {
        "name": deliverable.name,
        "file": path.name,
        "node": deliverable.node,
        "output": deliverable.port,
        "kind": fmt.kind,
        "format": fmt.label,
        **({"options": dict(deliverable.options)} if deliverable.options else {}),
        "samples": [samples.shape[1], samples.shape[0]],
        "metres_per_sample": dx,
        "meaning": asdict(m),
        "largest_rounding_error": checked["error"] + samples.moved,
        **({"rounded": "together with the other weights of its node"} if samples.moved else {}),
        "read_back": "identical",
        "bytes": checked["bytes"],
        "sha256": checked["sha256"],
    }


def _written(fmt: Writer, path: Path, samples: Samples, m: Meaning, recipe, dx: float, stop: Stop, tell) -> None:
    """Writes all bands."""
    file = fmt.begin(path, samples.shape, recipe.site, dx)
    done = 0
    try:
        for rows in samples.bands():
            stop.check()
            file.write(fmt.encode(rows, m))
            done += rows.shape[0]
            tell(WRITTEN * done / samples.shape[0])
        file.finish()
    finally:
        file.close()


def _read_back(fmt: Writer, path: Path, samples: Samples, m: Meaning, target: Path, stop: Stop, tell) -> float:
    """Compares what a file holds with what was to be in it. Returns the largest rounding error."""
    worst, done, back = 0.0, 0, fmt.read(path)
    for rows in samples.bands():
        stop.check()
        counts, found = fmt.encode(rows, m), next(back, None)
        if found is None or found.shape != counts.shape or not np.array_equal(found, counts):
            why = f"{target.name} does not read back as it was written; nothing was kept. Check the disk and try again."
            raise DeliveryError(why)
        worst = max(worst, fmt.rounding_error(found, rows, m))
        done += rows.shape[0]
        tell(WRITTEN + (1 - WRITTEN) * done / samples.shape[0])
    if next(back, None) is not None:
        raise DeliveryError(f"{target.name} holds more than was written; nothing was kept.")
    return worst


def _why_not(folder: Path, size: int) -> OSError:
    """Why so many bytes cannot be written into a folder, when the library that was to write them does not say: the
    system does, when it is asked to write as many zeros there."""
    try:
        if shutil.disk_usage(folder).free < size:
            return OSError(errno.ENOSPC, "")
        with tempfile.TemporaryFile(dir=folder) as probe:
            for _ in range(min(size, PROBE) // CHUNK + 1):
                probe.write(bytes(CHUNK))
            probe.flush()
    except OSError as error:
        return error
    return OSError(errno.EIO, "the library that writes it reports an error")
