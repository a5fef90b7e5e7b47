"""What receives a delivery, played here: it knows the files and the manifest, and nothing of what made them.

Rebuilds land, weights, colours, meshes and points from a folder as an engine's importer would, by libraries that read
such files anywhere, and says what does not fit.

"""

from __future__ import annotations

import hashlib
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from .arrived import manifest_of, mesh_of, points_of, samples_of, within
from .core.errors import GelandeError
from .core.files.disk import open_regular
from .core.words import clean

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
    land = Land(clean(site["name"], 200), site["width_m"], site["depth_m"], block["metres_per_sample"])
    if not block.get("complete"):
        land.faults.append("The delivery is not complete; build it once more.")
    groups: dict[str, list[dict]] = {}
    for facts in block["files"]:
        if _whole(folder, facts, land):
            groups.setdefault(facts["name"], []).append(facts)
    for name, files in groups.items():
        try:
            _take(folder, name, files, block, land)
        except Exception as error:  # readers of files of any shape raise anything
            why = clean(str(error).splitlines()[0] if str(error) else type(error).__name__, 200)
            land.faults.append(f"{clean(files[0]['file'], 80)} cannot be used: {why.removesuffix('.')}.")
    try:
        _compare(land)
    except (ValueError, IndexError, TypeError) as error:
        land.faults.append(f"The parts cannot be compared: {clean(str(error), 200)}.")
    return land


def _whole(folder: Path, facts: dict, land: Land) -> bool:
    """True when a file is there as the manifest says."""
    for one in (facts, *facts.get("beside", ())):
        name, said = str(one.get("file", "")), one.get("sha256")
        try:
            path = within(folder, name)
            if not path.exists():
                land.faults.append(f"{clean(name, 80)} is missing.")
                return False
            with open_regular(path, 1 << 62) as file:
                same = hashlib.file_digest(file, "sha256").hexdigest() == said
        except (OSError, GelandeError) as error:
            land.faults.append(f"{clean(name, 80)} cannot be used: {error}.")
            return False
        if not same:
            land.faults.append(f"{clean(name, 80)} is not what was delivered; its contents have changed.")
            return False
    return True


def _take(folder: Path, name: str, files: list[dict], block: dict, land: Land) -> None:
    first = files[0]
    if "levels" in first:
        meshes, count = [mesh_of(folder, f) for f in files], 0
        corners = []
        for points, triangles in meshes:
            corners.append(triangles + count)
            count += len(points)
        land.meshes[name] = np.concatenate([points for points, _ in meshes]), np.concatenate(corners)
        land.fits.append(f"{name}: a mesh of {len(land.meshes[name][1])} triangles{_tiles(files)}.")
    elif "points" in first:
        found = [points_of(folder, f) for f in files]
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
        stored = samples_of(folder, facts)
        data = meant(stored, facts)
        left, top = facts.get("first_sample", (0, 0))
        if not (0 <= left <= columns - data.shape[1] and 0 <= top <= rows - data.shape[0]):
            raise GelandeError("its place in the whole, as the manifest has it, is outside of that")
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


def _compare(land: Land) -> None:
    """Says what of the parts does not fit together."""
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
    """Says whether points lie on the land: all of them, or as far as they are its own (a mesh may have walls)."""
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
