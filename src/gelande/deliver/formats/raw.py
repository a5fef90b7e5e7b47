"""Raw numbers, and NumPy's own files: row after row from the north-west corner, with a text beside that says so."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path

import numpy as np

from ..place import Place
from ..samples import BAND
from .writer import File, Meaning, Writer


@dataclass(frozen=True)
class Raw(Writer):
    """Numbers one after the other, without a head. order: < for little endian, > for big endian."""

    order: str = "<"

    @property
    def stored(self) -> np.dtype:
        """NumPy type of a stored number."""
        return np.dtype(f"{self.order}u{self.bits // 8}" if self.counts else f"{self.order}f{self.bits // 8}")

    def names(self, stem: str, options: dict) -> list[str]:
        return [stem + self.extension, stem + self.extension + ".txt"]

    def begin(self, path: Path, shape: tuple[int, ...], place: Place, m: Meaning, options: dict) -> File:
        return _RawFile(path, self.stored)

    def read(self, path: Path, shape: tuple[int, ...]) -> Iterator[np.ndarray]:
        row = int(np.prod(shape[1:]))
        with path.open("rb") as file:
            for top in range(0, shape[0], BAND):
                count = min(BAND, shape[0] - top)
                data = np.frombuffer(file.read(row * count * self.stored.itemsize), self.stored)
                if data.size != row * count:
                    return
                yield data.reshape(count, *shape[1:]).astype(self.stored.newbyteorder("="))
            if file.read(1):
                yield np.empty((0, 0), np.float32)

    def beside(self, path: Path, facts: dict) -> None:
        columns, rows = facts["samples"]
        m = facts["meaning"]
        ends = "most significant byte first" if self.order == ">" else "least significant byte first"
        kind = f"{self.bits}-bit {'whole numbers without sign' if self.counts else 'floating-point numbers'}"
        lines = [
            f"file: {path.name}",
            f"samples: {columns} columns, {rows} rows",
            f"numbers: {kind}, {ends}",
            "order: row after row from the north-west corner, no head",
            f"metres between samples: {facts['metres_per_sample']:.10g}",
        ]
        if self.counts:
            lines += [
                f"height of count 0: {m['zero']:.6f} m",
                f"height of count {2**self.bits - 1}: {m['full']:.6f} m",
                f"height span: {m['full'] - m['zero']:.6f} m",
            ]
        else:
            lines += [f"lowest height: {m['zero']:.6f} m", f"highest height: {m['full']:.6f} m"]
        path.with_name(path.name + ".txt").write_text("\n".join(lines) + "\n", encoding="utf-8")


class _RawFile:
    def __init__(self, path: Path, stored: np.dtype) -> None:
        self._file, self._stored = path.open("wb"), stored

    def write(self, rows: np.ndarray) -> None:
        self._file.write(np.ascontiguousarray(rows, self._stored).data)

    def finish(self) -> None:
        self._file.close()

    def close(self) -> None:
        self._file.close()


class Npy(Writer):
    """A NumPy array in float32."""

    def begin(self, path: Path, shape: tuple[int, ...], place: Place, m: Meaning, options: dict) -> File:
        file = _RawFile(path, np.dtype("<f4"))
        head = {"descr": "<f4", "fortran_order": False, "shape": tuple(int(n) for n in shape)}
        np.lib.format.write_array_header_1_0(file._file, head)
        return file

    def read(self, path: Path, shape: tuple[int, ...]) -> Iterator[np.ndarray]:
        data = np.load(path, mmap_mode="r", allow_pickle=False)
        for top in range(0, data.shape[0], BAND):
            yield np.array(data[top : top + BAND])
