"""Writing one file, or one and what goes beside it: whole or not at all, read back and compared."""

from __future__ import annotations

import errno
import hashlib
import shutil
import tempfile
from pathlib import Path
from typing import Any

import numpy as np

from gelande.core.errors import DeliveryError
from gelande.core.files.disk import reason_of, write_several
from gelande.kernels.rasterfile import rasterio_error

from . import worldfile
from .formats import format_of
from .layers import options_of
from .place import Work
from .samples import Samples

#: Zeros that are written at most to find out why a file could not be, in pieces of so many bytes.
PROBE, CHUNK = 256_000_000, 1_000_000


def write_file(
    work: Work, samples: dict[str, Samples], folder: Path, stem: str, span: tuple[float, float] | None = None
) -> dict:
    """Writes one file of a deliverable whole or not at all, reads it back and returns its facts for the manifest.

    samples: of each output by its slot, "" for the first; stem: of the file's name; span: heights of the lowest and the
    highest count, where the delivery has one. Raises DeliveryError when it cannot be written or does not read back as
    it was written; Stopped."""
    d = work.deliverable
    fmt = format_of(d.format)
    options = fmt.checked(options_of(work.recipe, d))
    names = [*fmt.names(stem, options), *worldfile.names(fmt, stem, work.place.delivery)]
    facts: dict[str, Any] = {
        "name": d.name,
        "file": names[0],
        "node": d.node,
        "output": d.port,
        **({"channels": {slot: f"{node}.{port}" for slot, node, port in d.more}} if d.more else {}),
        "kind": fmt.kind,
        "format": fmt.label,
        "format_id": fmt.id,
        **({"options": options_of(work.recipe, d)} if options_of(work.recipe, d) else {}),
    }
    if work.place.grid.resampled:
        off = samples[""].off
        facts["resampled"] = {
            "from": work.place.site.samples(work.place.level),
            "largest_error": off.largest,
            "root_mean_square_error": off.usual,
        }

    def write(inside: Path) -> None:
        facts.update(fmt.make(inside, stem, samples, work, options, span))
        worldfile.write(inside, fmt, stem, work.place)
        for name in names:
            with (inside / name).open("rb") as file:
                sha = hashlib.file_digest(file, "sha256").hexdigest()
            one = {"file": name, "bytes": (inside / name).stat().st_size, "sha256": sha}
            if name == names[0]:
                facts.update(one)
            else:
                facts.setdefault("beside", []).append(one)
        work.stop.check()

    try:
        write_several(folder, names, write)
    except (OSError, rasterio_error()) as error:
        # GDAL says only that writing failed; the system, asked to put the rest there, says why.
        size = int(np.prod(samples[""].shape)) * fmt.bits // 8
        error = error if isinstance(error, OSError) and error.errno else _why_not(folder, size)
        raise DeliveryError(
            f"{folder / names[0]} cannot be written: {reason_of(error)}. Nothing half-written was left."
        ) from None
    return facts


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
