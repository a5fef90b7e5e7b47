"""What receives a delivery, played here: it knows the files and the manifest, and nothing of what made them.

Rebuilds land, weights, colours, meshes and points from a folder as an engine's importer would, by libraries that read
such files anywhere, and says what does not fit.

"""

from __future__ import annotations

import csv
import hashlib
import json
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np

from .core.errors import GelandeError

#: Samples a side that land is rebuilt with at most; larger deliveries are taken in at every second sample, and so on.
MOST = 4097


@dataclass
class Land:
    """A delivery as it arrived. height: metres, (rows, columns) from the north-west; dx: metres between samples;
    masks: shares by name; colour: sRGB shares or None; meshes: (points, triangles) by name, metres east, north and up;
    points: (n, 3) by name; fits, faults: sentences."""

    name: str
    width: float
    depth: float
    dx: float
    height: np.ndarray | None = None
    masks: dict[str, np.ndarray] = field(default_factory=dict)
    colour: np.ndarray | None = None
    meshes: dict[str, tuple[np.ndarray, np.ndarray]] = field(default_factory=dict)
    points: dict[str, np.ndarray] = field(default_factory=dict)
    fits: list[str] = field(default_factory=list)
    faults: list[str] = field(default_factory=list)


def manifest_of(folder: Path) -> dict:
    """The manifest of a delivery. Raises GelandeError when there is none, or several."""
    found = sorted(folder.glob("*_manifest.json"))
    if len(found) != 1:
        why = "holds no manifest" if not found else f"holds {len(found)} manifests"
        raise GelandeError(f"{folder} {why}; choose the folder of one delivery.")
    try:
        block = json.loads(found[0].read_bytes())
        _ = block["files"], block["site"]["width_m"], block["samples"]
    except (OSError, ValueError, KeyError, TypeError):
        raise GelandeError(f"{found[0]} cannot be read as a manifest; deliver again.") from None
    return block


def samples_of(path: Path, facts: dict) -> np.ndarray:
    """The numbers of a file as they are stored, (rows, columns) or (rows, columns, channels). Raises OSError or
    ValueError."""
    columns, rows = facts["samples"]
    end = path.suffix
    if end == ".npy":
        return np.load(path, allow_pickle=False)
    if end in (".r16", ".r32"):
        order = ">" if "big endian" in facts["format"] else "<"
        return np.fromfile(path, f"{order}u2" if end == ".r16" else f"{order}f4").reshape(rows, columns)
    if end == ".exr":
        import OpenEXR

        with OpenEXR.File(str(path)) as file:
            (channel,) = file.channels().values()
            return np.asarray(channel.pixels, np.float32)
    import warnings

    import rasterio

    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        with rasterio.open(path) as file:
            data = file.read()
    return data[0] if len(data) == 1 else data.transpose(1, 2, 0)


def meant(data: np.ndarray, facts: dict) -> np.ndarray:
    """Values that stored numbers stand for: metres, or shares."""
    if data.dtype.kind == "f":
        return data.astype(np.float32)
    m, top = facts["meaning"], float(np.iinfo(data.dtype).max)
    return (m["zero"] + data.astype(np.float64) / top * (m["full"] - m["zero"])).astype(np.float32)


def receive(folder: Path) -> Land:
    """Takes in a delivery. Raises GelandeError when the folder is none."""
    block = manifest_of(folder)
    site = block["site"]
    land = Land(site["name"], site["width_m"], site["depth_m"], block["metres_per_sample"])
    if not block.get("complete"):
        land.faults.append("The delivery is not complete; build it once more.")
    groups: dict[str, list[dict]] = {}
    for facts in block["files"]:
        if _whole(folder, facts, land):
            groups.setdefault(facts["name"], []).append(facts)
    for name, files in groups.items():
        try:
            _take(folder, name, files, block, land)
        except (OSError, ValueError, KeyError, TypeError, RuntimeError) as error:
            why = str(error).splitlines()[0] if str(error) else type(error).__name__
            land.faults.append(f"{files[0]['file']} cannot be used: {why}.")
    _compare(land)
    return land


def _whole(folder: Path, facts: dict, land: Land) -> bool:
    """True when a file is there as the manifest says."""
    for one in (facts, *facts.get("beside", ())):
        path = folder / Path(one["file"]).name
        if not path.is_file():
            land.faults.append(f"{one['file']} is missing.")
            return False
        with path.open("rb") as file:
            if hashlib.file_digest(file, "sha256").hexdigest() != one["sha256"]:
                land.faults.append(f"{one['file']} is not what was delivered; its contents have changed.")
                return False
    return True


def _take(folder: Path, name: str, files: list[dict], block: dict, land: Land) -> None:
    first = files[0]
    if "levels" in first:
        meshes, count = [mesh_of(folder / f["file"], f) for f in files], 0
        corners = []
        for points, triangles in meshes:
            corners.append(triangles + count)
            count += len(points)
        land.meshes[name] = np.concatenate([points for points, _ in meshes]), np.concatenate(corners)
        land.fits.append(f"{name}: a mesh of {len(land.meshes[name][1])} triangles{_tiles(files)}.")
    elif "points" in first:
        found = [points_of(folder / f["file"], f) for f in files]
        d = block.get("delivery", {})
        corner = (0, 0, 0) if first["file"].endswith(".glb") else (d.get("east_m", 0), d.get("north_m", 0), 0)
        land.points[name] = np.concatenate(found) - np.array(corner, np.float64)
        land.fits.append(f"{name}: {len(land.points[name])} points.")
    elif "picture" in first or "pages" in first:
        land.fits.append(f"{name}: {'a picture' if 'picture' in first else 'a page'} for people.")
    elif first["meaning"]["unit"] in ("m", "share", "sRGB share", "linear RGB") and "zero" in first["meaning"]:
        data = _together(folder, name, files, block, land)
        if data is None:
            return
        if first["kind"] == "height" and first["meaning"]["unit"] == "m":
            finer = land.height is None or "32" in first["format"]
            land.height = data if finer else land.height
        elif first["kind"] == "mask" and data.ndim == 2:
            land.masks[name] = data
        elif first["kind"] == "mask":
            slots = {"red": name, **first.get("channels", {})}
            for k, slot in enumerate(("red", "green", "blue", "alpha")[: data.shape[2]]):
                if slot in slots:
                    land.masks[f"{name}, {slot}"] = data[..., k]
        elif first["kind"] == "colour":
            land.colour = data
        land.fits.append(f"{name}: {data.shape[1]} × {data.shape[0]} samples{_tiles(files)}.")


def _tiles(files: list[dict]) -> str:
    return f" from {len(files)} tiles" if len(files) > 1 else ""


def _together(folder: Path, name: str, files: list[dict], block: dict, land: Land) -> np.ndarray | None:
    """The samples of one deliverable from its tiles; where those overlap they have to be equal."""
    columns, rows = block["samples"]
    step = max(1, -(-(max(columns, rows) - 1) // (MOST - 1)))
    whole, seen = None, np.zeros((rows, columns), bool) if len(files) > 1 and step == 1 else None
    for facts in files:
        stored = samples_of(folder / facts["file"], facts)
        if list(reversed(stored.shape[:2])) != facts["samples"]:
            said = " × ".join(map(str, facts["samples"]))
            land.faults.append(
                f"{facts['file']} has {stored.shape[1]} × {stored.shape[0]} samples, and the manifest says {said}."
            )
            return None
        data = meant(stored, facts)
        left, top = facts.get("first_sample", (0, 0))
        if whole is None:
            whole = np.zeros((-(-rows // step), -(-columns // step), *data.shape[2:]), np.float32)
        part = data[(-top) % step :: step, (-left) % step :: step]
        r, c = -(-top // step), -(-left // step)
        place = slice(r, r + part.shape[0]), slice(c, c + part.shape[1])
        if seen is not None:
            exact = 0.0 if facts["read_back"] == "identical" else 0.2  # formats that lose something do not quite meet
            if np.abs(whole[place][seen[place]] - part[seen[place]]).max(initial=0) > exact:
                land.faults.append(f"{facts['file']} differs from its neighbour on their common edge.")
            seen[place] = True
        whole[place] = part
    land.dx = block["metres_per_sample"] * step
    return whole


def mesh_of(path: Path, facts: dict) -> tuple[np.ndarray, np.ndarray]:
    """(points, triangles) of a mesh file, turned so that up is the third coordinate."""
    import trimesh

    mesh: Any = trimesh.load(path, process=False, force="mesh")
    points = np.asarray(mesh.vertices, np.float64)
    if facts["meaning"]["up"] == "Y":
        points = np.stack([points[:, 0], -points[:, 2], points[:, 1]], -1)
    return points, np.asarray(mesh.faces)


def points_of(path: Path, facts: dict) -> np.ndarray:
    """(n, 3) metres of a file of points."""
    if path.suffix == ".csv":
        with path.open(newline="") as file:
            rows = [[float(r["east_m"]), float(r["north_m"]), float(r["height_m"])] for r in csv.DictReader(file)]
        return np.array(rows).reshape(-1, 3)
    if path.suffix == ".gpkg":
        import pyogrio

        _, _, shapes, fields = pyogrio.raw.read(path, columns=["height_m"])
        flat = [np.frombuffer(wkb, "<f8", offset=5) for wkb in shapes]
        return np.column_stack([np.array(flat).reshape(-1, 2), fields[0]])
    data = path.read_bytes()
    length = int.from_bytes(data[12:16], "little")
    found = [n["translation"] for n in json.loads(data[20 : 20 + length])["nodes"][1:]]
    at = np.array(found).reshape(-1, 3)
    return np.stack([at[:, 0], -at[:, 2], at[:, 1]], -1)


def _compare(land: Land) -> None:
    """True when what arrived fits together."""
    if land.height is None:
        land.faults.append("There is no height among the files.")
        return
    shape = land.height.shape
    rows = [("colours", land.colour), *land.masks.items()]
    for name, data in rows:
        if data is not None and data.shape[:2] != shape:
            has = f"{data.shape[1]} × {data.shape[0]}"
            land.faults.append(f"{name} has {has} samples, and the height {shape[1]} × {shape[0]}.")
    wide = (shape[1] - 1) * land.dx
    if abs(wide - land.width) > 2 * land.dx:
        land.faults.append(f"The samples make {wide:.0f} m from west to east, and the site is {land.width:.0f} m.")
    for name, points in [*((n, m[0]) for n, m in land.meshes.items()), *land.points.items()]:
        _on_land(land, name, points, name in land.points)


def _on_land(land: Land, name: str, points: np.ndarray, loose: bool) -> None:
    """True when points lie on the land: all of them, or as far as they are its own (a mesh may have walls)."""
    if not len(points):
        return
    height, dx = land.height, land.dx
    assert height is not None
    east, north = points[:, 0].copy(), points[:, 1].copy()
    if east.min() < -dx and abs(east.min() + land.width / 2) < dx:  # about its centre
        east, north = east + land.width / 2, north + land.depth / 2
    r = np.clip((height.shape[0] - 1) - north / dx, 0, height.shape[0] - 1)
    c = np.clip(east / dx, 0, height.shape[1] - 1)
    r0, c0 = np.minimum(r.astype(int), height.shape[0] - 2), np.minimum(c.astype(int), height.shape[1] - 2)
    v, u = r - r0, c - c0
    z = (height[r0, c0] * (1 - u) + height[r0, c0 + 1] * u) * (1 - v)
    z += (height[r0 + 1, c0] * (1 - u) + height[r0 + 1, c0 + 1] * u) * v
    off = np.abs(z - points[:, 2])
    half, most = (float(np.quantile(off, q)) for q in (0.5, 0.9))
    words = f"half of its points within {half:.2g} m of the land, nine in ten within {most:.2g} m"
    # points stand between samples, where the land of another format or detail may differ a little
    if half > (2.0 if loose else 0.5) + 0.02 * dx:
        land.faults.append(f"{name} does not lie on the land: {words}.")
    else:
        land.fits.append(f"{name} lies on the land: {words}.")


def against(land: Land, height: np.ndarray) -> tuple[float, float]:
    """(largest, root mean square) difference in metres to a height of the same samples. Raises GelandeError."""
    if land.height is None or land.height.shape != height.shape:
        raise GelandeError("What arrived and what the recipe makes have different numbers of samples.")
    off = np.abs(land.height.astype(np.float64) - height)
    return float(off.max()), float(np.sqrt((off**2).mean()))
