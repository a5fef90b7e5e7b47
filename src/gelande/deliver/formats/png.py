"""PNG files written row by row, so that no image has to fit into memory (ISO/IEC 15948)."""

from __future__ import annotations

import struct
import zlib
from collections.abc import Iterable
from pathlib import Path

import numpy as np

#: Compression of zlib: higher levels take several times as long for a few per cent.
LEVEL = 3
#: Each row as its difference to the one above.
UP = 2


class PngFile:
    """An image being written. shape: rows, columns and, for RGB, 3, for RGBA 4; bits: 8 or 16; chunks: more of what
    it says, by their kinds; text: what it is, for people."""

    def __init__(
        self,
        path: Path,
        shape: tuple[int, ...],
        bits: int,
        chunks: Iterable[tuple[bytes, bytes]] = (),
        text: str = "",
    ) -> None:
        self._file = path.open("wb")
        self._packed, self._bits = zlib.compressobj(LEVEL), bits
        self._above = np.zeros(int(np.prod(shape[1:])) * bits // 8, np.uint8)
        self._file.write(b"\x89PNG\r\n\x1a\n")
        colour = {3: 2, 4: 6}[shape[2]] if len(shape) == 3 else 0
        self._chunk(b"IHDR", struct.pack(">IIBBBBB", shape[1], shape[0], bits, colour, 0, 0, 0))
        for kind, data in chunks:
            self._chunk(kind, data)
        if text:
            self._chunk(b"tEXt", b"Description\0" + text.encode("latin-1"))

    def _chunk(self, kind: bytes, data: bytes) -> None:
        self._file.write(struct.pack(">I", len(data)) + kind + data + struct.pack(">I", zlib.crc32(kind + data)))

    def write(self, rows: np.ndarray) -> None:
        """Adds rows of counts below those that are there, uint8 or uint16."""
        flat = np.ascontiguousarray(rows.reshape(rows.shape[0], -1).astype(">u2" if self._bits == 16 else np.uint8))
        lines = flat.view(np.uint8)
        filtered = np.empty((lines.shape[0], lines.shape[1] + 1), np.uint8)
        filtered[:, 0] = UP
        filtered[0, 1:] = lines[0] - self._above
        filtered[1:, 1:] = lines[1:] - lines[:-1]
        self._above = lines[-1].copy()
        data = self._packed.compress(filtered.tobytes())
        if data:
            self._chunk(b"IDAT", data)

    def finish(self) -> None:
        """Ends the file."""
        self._chunk(b"IDAT", self._packed.flush())
        self._chunk(b"IEND", b"")
        self._file.close()

    def close(self) -> None:
        """Lets go of a file that is not to be finished."""
        self._file.close()
