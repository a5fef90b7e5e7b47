"""Binary glTF 2.0 (Khronos 2021): one file with its text and its numbers."""

from __future__ import annotations

import json
import struct
from pathlib import Path
from typing import Any

import numpy as np

from gelande.core.errors import DeliveryError

#: What buffers are for, and how a picture goes on at its edges.
CORNERS, TRIANGLES, CLAMPED, LINEAR, LINEAR_MIPS = 34962, 34963, 33071, 9729, 9987
_TYPES = {1: "SCALAR", 3: "VEC3", 4: "VEC4", 2: "VEC2"}
_NUMBERS = {"<f4": 5126, "<u4": 5125, "<u2": 5123, "|u1": 5121}
_JSON, _BINARY = 0x4E4F534A, 0x004E4942


class GlbFile:
    """A file being put together. block: its text; arrays and pictures are added, and numbered as they come."""

    def __init__(self) -> None:
        self.block: dict[str, Any] = {
            "asset": {"version": "2.0", "generator": "Gelande"},
            "scene": 0,
            "scenes": [{"nodes": [0]}],
            "accessors": [],
            "bufferViews": [],
        }
        self._parts: list[bytes] = []
        self._size = 0

    def _view(self, data: bytes, target: int | None) -> int:
        self.block["bufferViews"].append(
            {"buffer": 0, "byteOffset": self._size, "byteLength": len(data), **({"target": target} if target else {})}
        )
        self._parts += [data, bytes(-len(data) % 4)]
        self._size += len(data) + -len(data) % 4
        return len(self.block["bufferViews"]) - 1

    def add(self, a: np.ndarray, target: int | None = None, ends: bool = False) -> int:
        """Number of an array that is added: (n,) or (n, width), float32, uint32 or uint16. ends: whether its least and
        largest numbers are told."""
        a = np.ascontiguousarray(a)
        told = {"min": a.min(0).tolist(), "max": a.max(0).tolist()} if ends and len(a) else {}
        self.block["accessors"].append(
            {
                "bufferView": self._view(a.tobytes(), target),
                "componentType": _NUMBERS[a.dtype.str],
                "count": len(a),
                "type": _TYPES[a.shape[1] if a.ndim > 1 else 1],
                **told,
            }
        )
        return len(self.block["accessors"]) - 1

    def picture(self, png: bytes) -> int:
        """Number of a texture: a PNG that does not go on at its edges."""
        self.block["images"] = [{"bufferView": self._view(png, None), "mimeType": "image/png"}]
        sampler = {"magFilter": LINEAR, "minFilter": LINEAR_MIPS, "wrapS": CLAMPED, "wrapT": CLAMPED}
        self.block["samplers"] = [sampler]
        self.block["textures"] = [{"sampler": 0, "source": 0}]
        return 0

    def write(self, path: Path) -> None:
        """Writes the file."""
        if self._size:
            self.block["buffers"] = [{"byteLength": self._size}]
        text = json.dumps({k: v for k, v in self.block.items() if v != []}, separators=(",", ":")).encode("ascii")
        text += b" " * (-len(text) % 4)
        size = 12 + 8 + len(text) + (8 + self._size if self._size else 0)
        with path.open("wb") as file:
            file.write(struct.pack("<4sIIII", b"glTF", 2, size, len(text), _JSON) + text)
            if self._size:
                file.write(struct.pack("<II", self._size, _BINARY))
                file.writelines(self._parts)


def read_glb(path: Path) -> tuple[dict, list[np.ndarray]]:
    """(text, arrays) of a file that was written. Raises DeliveryError."""
    data = path.read_bytes()
    magic, version, size, length, kind = struct.unpack("<4sIIII", data[:20])
    if (magic, version, size, kind) != (b"glTF", 2, len(data), _JSON):
        raise DeliveryError(f"{path.name} does not read back as glTF; nothing was kept.")
    block, binary = json.loads(data[20 : 20 + length]), data[28 + length :]
    widths = {name: width for width, name in _TYPES.items()}
    numbers = {number: kind for kind, number in _NUMBERS.items()}
    arrays = []
    for a in block.get("accessors", ()):
        width, start = widths[a["type"]], block["bufferViews"][a["bufferView"]]["byteOffset"]
        found = np.frombuffer(binary, numbers[a["componentType"]], a["count"] * width, start)
        arrays.append(found.reshape(-1, width) if width > 1 else found)
    return block, arrays
