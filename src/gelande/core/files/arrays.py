"""Named arrays in a file (npz), read with what it claims checked before anything is made of it."""

from __future__ import annotations

import hashlib
import zipfile
from pathlib import Path

import numpy as np

from ..errors import GelandeError
from .disk import open_regular, write_whole

#: Bytes of a file of arrays or samples that is read at all: a height of 8193 samples a side with four maps.
MOST_BYTES = 1_400_000_000
_KINDS = ("float32", "float64", "int32", "int64", "uint8", "uint16", "bool")
#: Name of the digest of all other arrays, their names and shapes: the archive's own sums leave names out.
_DIGEST = "_digest"


def write(path: Path, arrays: dict) -> None:
    """Writes arrays as npz, uncompressed, with a digest of them all; whole or not at all. Raises OSError."""
    arrays = {name: np.ascontiguousarray(a) for name, a in arrays.items()}

    def save(temporary: Path) -> None:
        with open(temporary, "wb") as file:
            np.savez(file, **{**arrays, _DIGEST: _digest(arrays)})

    write_whole(path, save)


def _digest(arrays: dict[str, np.ndarray]) -> np.ndarray:
    found = hashlib.blake2b(digest_size=32)
    for name in sorted(arrays):
        a = arrays[name]
        found.update(f"{name} {a.dtype.str} {a.shape} ".encode())
        found.update(a.data if a.size else b"")
    return np.frombuffer(found.digest(), np.uint8)


def _array(archive: zipfile.ZipFile, info: zipfile.ZipInfo, shapes: dict | None) -> np.ndarray:
    name = info.filename.removesuffix(".npy")
    if info.compress_type != zipfile.ZIP_STORED or info.file_size != info.compress_size:
        raise GelandeError("it is packed, which Gelande never does")
    with archive.open(info) as file:
        version = np.lib.format.read_magic(file)
        shape, fortran, kind = (
            np.lib.format.read_array_header_1_0(file)
            if version == (1, 0)
            else np.lib.format.read_array_header_2_0(file)
        )
        if kind.hasobject or kind.name not in _KINDS or fortran:
            raise GelandeError("it holds other things than numbers")
        if shapes is not None and name in shapes and tuple(shape) != tuple(shapes[name]):
            raise GelandeError(f"its {name} has {shape} samples where {shapes[name]} are due")
        size = int(np.prod(shape, dtype=np.float64)) * kind.itemsize
        if size > info.file_size:
            raise GelandeError("it is cut off")
        data = file.read(size + 1)
    if len(data) != size:
        raise GelandeError("it is not as long as it says")
    return np.frombuffer(data, kind).reshape(shape)


def read(path: Path, shapes: dict | None = None) -> dict[str, np.ndarray]:
    """All arrays of a file, read-only. shapes: what some of them have to have, (rows, columns) by name.

    Raises OSError when the file cannot be opened and GelandeError, a clause, when it is damaged or not what it
    should be."""
    with open_regular(path, MOST_BYTES) as file:
        try:
            with zipfile.ZipFile(file) as archive:
                infos = [i for i in archive.infolist() if i.filename.endswith(".npy")]
                if len(infos) > 64:
                    raise GelandeError("it holds too many arrays")
                found = {i.filename.removesuffix(".npy"): _array(archive, i, shapes) for i in infos}
                if len(found) != len(infos) or not np.array_equal(found.pop(_DIGEST), _digest(found)):
                    raise GelandeError("it is damaged")
                return found
        except (GelandeError, OSError):
            raise
        except Exception:  # a damaged archive raises many things
            raise GelandeError("it is damaged") from None
