"""Reading what a stranger's folder holds: the manifest and the files that it names.

Nothing that stands in a file is believed before it is checked: names stay inside the folder after links are resolved,
only regular files are opened, each by the one driver that its ending stands for, sizes are read from headers before
any sample is, and nothing is asked of a network.
"""

from __future__ import annotations

import csv
import io
import json
from pathlib import Path
from typing import Any

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from .core.errors import GelandeError
from .core.files.disk import open_regular, read_bytes, reason_of
from .core.words import clean

#: Bytes of a manifest, of a mesh, of points and of samples that are read at most.
MANIFEST, MESH, POINTS, SAMPLES = 64_000_000, 1_000_000_000, 500_000_000, 1_200_000_000
#: Samples of a side at most, files of a delivery, points of a file, and how deep a manifest may be nested.
SIDE, FILES, MOST_POINTS, DEEPEST = 65_536, 20_000, 5_000_000, 60
#: GDAL's driver for each ending; other drivers would follow what a file says to servers and to other files.
DRIVERS = {".png": "PNG", ".tif": "GTiff", ".tiff": "GTiff", ".asc": "AAIGrid", ".jpg": "JPEG", ".jpeg": "JPEG"}
#: First bytes of a GeoPackage: OGR would open anything by that name.
_SQLITE = b"SQLite format 3\x00"


class Block(BaseModel):
    """Numbers and words only where they are expected; what else a later version adds is let by."""

    model_config = ConfigDict(extra="allow", strict=True, allow_inf_nan=False)


class FileBlock(Block):
    """A file of a delivery."""

    file: str = Field(min_length=1, max_length=255)
    name: str = Field(min_length=1, max_length=500)
    format: str = Field(max_length=200)
    sha256: str = Field(min_length=64, max_length=64)
    kind: str = Field("", max_length=50)
    meaning: dict[str, Any] = {}
    samples: list[int] = []
    first_sample: list[int] = [0, 0]
    read_back: str = Field("", max_length=200)
    beside: list[dict[str, Any]] = Field([], max_length=20)


class SiteBlock(Block):
    """The site of a delivery."""

    name: str = Field(max_length=500)
    width_m: float = Field(gt=0, le=1e7)
    depth_m: float = Field(gt=0, le=1e7)


class ManifestBlock(Block):
    """A manifest."""

    site: SiteBlock
    samples: list[int] = Field(min_length=2, max_length=2)
    metres_per_sample: float = Field(gt=0, le=1e7)
    files: list[FileBlock] = Field(max_length=FILES)
    delivery: dict[str, Any] = {}


def manifest_of(folder: Path) -> dict[str, Any]:
    """The manifest of a delivery, checked. Raises GelandeError when there is none, or several, or it is damaged."""
    folder = Path(folder)
    try:
        found = sorted(folder.glob("*_manifest.json"))
    except (OSError, ValueError):
        found = []
    if len(found) != 1:
        why = "holds no manifest" if not found else f"holds {len(found)} manifests"
        raise GelandeError(f"{folder} {why}; choose the folder of one delivery.")
    path = found[0]
    try:
        data = read_bytes(within(folder, path.name), MANIFEST)
    except OSError as error:
        raise GelandeError(f"{path.name} cannot be opened: {reason_of(error)}.") from None
    except GelandeError as error:
        raise GelandeError(f"{path.name} cannot be read as a manifest: {error}.") from None
    if _depth(data) > DEEPEST:
        raise GelandeError(f"{path.name} is nested too deeply to be a manifest.")
    try:
        block = json.loads(data)
        ManifestBlock.model_validate(block)
    except ValidationError as error:
        first = error.errors()[0]
        where = ".".join(str(p) for p in first["loc"]) or "its beginning"
        raise GelandeError(f"{path.name} is damaged at {clean(where, 80)}: {clean(first['msg'], 80)}.") from None
    except (ValueError, RecursionError):
        raise GelandeError(f"{path.name} cannot be read as a manifest; deliver again.") from None
    if not all(2 <= n <= SIDE for n in block["samples"]):
        raise GelandeError(f"{path.name} is damaged at samples: a side has 2 to {SIDE} samples.")
    return block


def _depth(data: bytes) -> int:
    """How deep brackets are nested at most, at least: those inside of text count as well."""
    marks = np.frombuffer(data, np.uint8)
    opened = np.isin(marks, np.frombuffer(b"[{", np.uint8)).astype(np.int32)
    closed = np.isin(marks, np.frombuffer(b"]}", np.uint8)).astype(np.int32)
    return int(np.cumsum(opened - closed).max(initial=0))


def within(folder: Path, name: str) -> Path:
    """The path of a file in a folder. Raises GelandeError when the name leads out of it, links resolved."""
    if not name or "\0" in name or "/" in name or "\\" in name or name in (".", ".."):
        raise GelandeError(f"{clean(name, 80)} is no plain file name")
    try:
        home, path = Path(folder).resolve(strict=True), (Path(folder) / name).resolve()
    except (OSError, RuntimeError, ValueError):
        raise GelandeError(f"{clean(name, 80)} cannot be found") from None
    if path.parent != home:
        raise GelandeError(f"{clean(name, 80)} leads out of the folder")
    return path


def samples_of(folder: Path, facts: dict[str, Any]) -> np.ndarray:
    """The numbers of a file as they are stored, (rows, columns) or (rows, columns, channels). Raises GelandeError or
    what a reader raises."""
    path = within(folder, facts["file"])
    if len(facts.get("samples", ())) != 2 or not all(1 <= n <= SIDE for n in facts["samples"]):
        raise GelandeError("the manifest does not say how many samples it has")
    columns, rows = facts["samples"]
    end = path.suffix.lower()
    if end == ".npy":
        return _npy(path, rows, columns)
    if end in (".r16", ".r32"):
        return _raw(path, rows, columns, end, "big endian" in facts["format"])
    if end == ".exr":
        return _exr(path, rows, columns)
    if end not in DRIVERS:
        raise GelandeError(f"files that end in {clean(end, 20) or 'nothing'} are not read")
    return _gdal(path, rows, columns, DRIVERS[end])


def _check(path: Path, found: tuple[int, int], said: tuple[int, int], size: int) -> None:
    """Raises GelandeError when a header claims other samples than the manifest, or more than are read. Both are (rows,
    columns); size: bytes of them all."""
    if found != said:
        has, says = (f"{n[1]} × {n[0]}" for n in (found, said))
        raise GelandeError(f"it has {has} samples, and the manifest says {says}")
    if size > SAMPLES:
        raise GelandeError(f"it holds {size / 1e6:.0f} MB of samples, more than are read")


def _npy(path: Path, rows: int, columns: int) -> np.ndarray:
    with open_regular(path, SAMPLES) as file:
        version = np.lib.format.read_magic(file)
        reader = np.lib.format.read_array_header_1_0 if version == (1, 0) else np.lib.format.read_array_header_2_0
        shape, _, kind = reader(file)
        if kind.hasobject or kind.kind not in "uif" or len(shape) not in (2, 3):
            raise GelandeError("it holds no samples")
        _check(path, (shape[0], shape[1]), (rows, columns), int(np.prod(shape, dtype=object)) * kind.itemsize)
        file.seek(0)
        return np.lib.format.read_array(file, allow_pickle=False)


def _raw(path: Path, rows: int, columns: int, end: str, big: bool) -> np.ndarray:
    kind = np.dtype(f"{'>' if big else '<'}{'u2' if end == '.r16' else 'f4'}")
    with open_regular(path, SAMPLES) as file:
        file.seek(0, 2)
        if file.tell() != rows * columns * kind.itemsize:
            raise GelandeError(f"it has {file.tell()} bytes, which are not {columns} × {rows} samples")
        file.seek(0)
        return np.frombuffer(file.read(), kind).reshape(rows, columns)


def _exr(path: Path, rows: int, columns: int) -> np.ndarray:
    import OpenEXR

    open_regular(path, SAMPLES).close()
    header = OpenEXR.File(str(path), header_only=True).header()
    (left, top), (right, bottom) = header["dataWindow"]
    shape = int(bottom - top) + 1, int(right - left) + 1
    _check(path, shape, (rows, columns), 4 * shape[0] * shape[1] * len(header["channels"]))
    whole = OpenEXR.InputFile(str(path))  # the other reader only prints that a file is damaged
    try:
        if not whole.isComplete():
            raise GelandeError("it is not whole")
    finally:
        whole.close()
    with OpenEXR.File(str(path)) as file:
        (channel,) = file.channels().values()
        return np.asarray(channel.pixels, np.float32)


def _gdal(path: Path, rows: int, columns: int, driver: str) -> np.ndarray:
    import warnings

    import rasterio

    open_regular(path, SAMPLES).close()
    apart = {
        "GDAL_DISABLE_READDIR_ON_OPEN": "EMPTY_DIR",
        "GDAL_PAM_ENABLED": "NO",
        "CPL_VSIL_CURL_ALLOWED_EXTENSIONS": "{none}",
        "GDAL_HTTP_MAX_RETRY": "0",
    }
    with warnings.catch_warnings(), rasterio.Env(**apart):
        warnings.simplefilter("ignore")
        with rasterio.open(path, driver=driver) as file:
            size = sum(np.dtype(kind).itemsize for kind in file.dtypes) * file.width * file.height
            _check(path, (file.height, file.width), (rows, columns), size)
            data = file.read()
    return data[0] if len(data) == 1 else data.transpose(1, 2, 0)


def mesh_of(folder: Path, facts: dict[str, Any]) -> tuple[np.ndarray, np.ndarray]:
    """(points, triangles) of a mesh file, turned so that up is the third coordinate. Raises GelandeError or what a
    reader raises. Materials and pictures that the file names are not looked for."""
    import trimesh

    path = within(folder, facts["file"])
    end = path.suffix.lower().removeprefix(".")
    if end not in ("glb", "obj", "ply", "stl"):
        raise GelandeError(f"files that end in {clean(end, 20) or 'nothing'} are no meshes that are read")
    data = io.BytesIO(read_bytes(path, MESH))
    mesh: Any = trimesh.load(data, file_type=end, process=False, force="mesh", skip_materials=True)
    points = np.asarray(mesh.vertices, np.float64)
    if points.ndim != 2 or points.shape[1] != 3 or not np.isfinite(points).all():
        raise GelandeError("its corners are not three numbers each")
    if facts["meaning"].get("up") == "Y":
        points = np.stack([points[:, 0], -points[:, 2], points[:, 1]], -1)
    return points, np.asarray(mesh.faces)


def points_of(folder: Path, facts: dict[str, Any]) -> np.ndarray:
    """(n, 3) metres of a file of points. Raises GelandeError or what a reader raises."""
    path = within(folder, facts["file"])
    if path.suffix == ".csv":
        text = read_bytes(path, POINTS).decode()
        rows = [
            [float(r["east_m"]), float(r["north_m"]), float(r["height_m"])] for r in csv.DictReader(io.StringIO(text))
        ]
        found = np.array(rows).reshape(-1, 3)
    elif path.suffix == ".gpkg":
        found = _geopackage(path)
    else:
        found = _instances(read_bytes(path, POINTS))
    if not np.isfinite(found).all():
        raise GelandeError("its points are not numbers")
    return found


def _geopackage(path: Path) -> np.ndarray:
    import pyogrio

    with open_regular(path, POINTS) as file:
        if file.read(len(_SQLITE)) != _SQLITE:
            raise GelandeError("it is no GeoPackage")
    _, _, shapes, fields = pyogrio.raw.read(path, columns=["height_m"], max_features=MOST_POINTS)
    flat = [np.frombuffer(wkb, "<f8", offset=5) for wkb in shapes]
    return np.column_stack([np.array(flat).reshape(-1, 2), fields[0]])


def _instances(data: bytes) -> np.ndarray:
    """Places of the instances of a binary glTF file."""
    length = int.from_bytes(data[12:16], "little")
    text = data[20 : 20 + length]
    if data[:4] != b"glTF" or len(text) != length or _depth(text) > DEEPEST:
        raise GelandeError("it is no binary glTF file")
    block = json.loads(text)
    instanced = block["nodes"][0].get("extensions", {}).get("EXT_mesh_gpu_instancing")
    if instanced:
        place = block["accessors"][instanced["attributes"]["TRANSLATION"]]
        first = 28 + length + block["bufferViews"][place["bufferView"]]["byteOffset"]
        at = np.frombuffer(data, "<f4", 3 * place["count"], first).astype(np.float64).reshape(-1, 3)
    else:
        at = np.array([n["translation"] for n in block["nodes"][1:]], np.float64).reshape(-1, 3)
    return np.stack([at[:, 0], -at[:, 2], at[:, 1]], -1)
