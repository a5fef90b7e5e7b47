"""Triangle meshes: glTF, OBJ, PLY and STL, in metres."""

from __future__ import annotations

import io
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import numpy as np

from gelande.core.errors import DeliveryError
from gelande.core.recipe import param as P
from gelande.core.recipe.raster import COLOUR, HEIGHT
from gelande.kernels.curves import to_srgb
from gelande.kernels.text import decimal_lines, face_lines, numbers_in

from ..meshes import Mesh, MeshOptions, mesh_of
from ..place import Work
from ..samples import Samples
from .colourspace import srgb_info
from .glb import CORNERS, TRIANGLES, GlbFile, read_glb
from .writer import Slot, Writer

REGULAR, ADAPTIVE = "regular", "where_needed"
Z_UP, Y_UP = "z", "y"
CORNER, CENTRE = "south_west_corner", "centre"
#: Decimals of metres in texts: a tenth of a millimetre.
DECIMALS = 4

OPTIONS = (
    P.choice(
        "corners",
        "Corners",
        ADAPTIVE,
        (ADAPTIVE, REGULAR),
        "At every so many samples, or only where the land needs them.",
    ),
    P.metres("error", "Largest height error", 0.5, "That the mesh has at any sample.", (0.001, 1000), (0.05, 20)),
    P.count("most", "At most triangles", 0, "0: as many as the error takes.", (0, 40_000_000), (0, 2_000_000)),
    P.count("step", "Samples between corners", 1, "Of a regular mesh.", (1, 256), (1, 16)),
    P.count("levels", "Levels of detail", 1, "Each has twice the error, or twice the distance.", (1, 6)),
    P.metres("skirt", "Skirt", 0, "How far the border hangs down, so that no gap shows.", (0, 10_000), (0, 200)),
    P.metres("base", "Base", 0, "Ground under the lowest point; closes the mesh for printing.", (0, 10_000), (0, 500)),
    P.choice(
        "origin", "Origin", CORNER, ((CORNER, "South-west corner"), CENTRE), "Where the mesh has east 0 and north 0."
    ),
)
UP = P.choice("up", "Up is", Z_UP, (Z_UP, Y_UP), "The axis that points up; the other one then points south.")


def mesh_options(writer: Writer, options: dict, tiled: bool) -> MeshOptions:
    """The mesh that options ask for."""
    value = {p.id: writer.option(options, p.id) for p in OPTIONS}
    regular = value["corners"] == REGULAR
    skirt = float(value["skirt"])
    return MeshOptions(
        step=int(value["step"]) if regular else 0,
        tolerance=float(value["error"]),
        most=int(value["most"]),
        skirt=skirt,
        base=float(value["base"]),
        border=tiled and not skirt and not regular,  # so that tiles meet without gaps
    )


@dataclass(frozen=True)
class MeshWriter(Writer):
    """A mesh of the height, with the colours as texture where the format has them."""

    params: tuple[P.Param, ...] = OPTIONS
    group: str = "Mesh"

    def names(self, stem: str, options: dict) -> list[str]:
        levels = int(self.option(options, "levels"))
        stems = [stem] if levels == 1 else [f"{stem}_lod{k}" for k in range(levels)]
        return [s + self.extension for s in stems] + self.companions(stem)

    def companions(self, stem: str) -> list[str]:
        """Files beside the meshes."""
        return []

    def make(self, folder: Path, stem: str, samples: dict[str, Samples], work: Work, options: dict, span) -> dict:
        place = work.place
        height = np.ascontiguousarray(samples[""].all())
        wanted, texture = mesh_options(self, options, not place.window.whole), _texture(samples.get("colour"))
        count = int(self.option(options, "levels"))
        levels = []
        for k in range(count):
            work.tell(0.1 + 0.9 * k / count)
            mesh = mesh_of(height, place.dx, wanted.coarser(k), work.stop)
            self._placed(mesh, work, options)
            path = folder / self.names(stem, options)[k]
            self.write_mesh(path, mesh, texture, stem)
            off = self._checked(path, mesh)
            levels.append({"triangles": len(mesh.triangles), "height_error_m": mesh.error + off})
        return {
            "samples": [height.shape[1], height.shape[0]],
            "metres_per_sample": place.dx,
            "meaning": {"unit": "m", "up": self.up(options).upper(), "origin": self.option(options, "origin")},
            **({"options": options} if options else {}),
            "levels": levels,
            "largest_rounding_error": levels[0]["height_error_m"],
            "read_back": "the same triangles, corners within a tenth of a millimetre",
        }

    def up(self, options: dict) -> str:
        """The axis that points up."""
        return self.option(options, "up") if any(p.id == "up" for p in self.params) else Z_UP

    def _placed(self, mesh: Mesh, work: Work, options: dict) -> None:
        """Moves a mesh to its place on the site, and turns it."""
        place = work.place
        south = place.north - (place.window.height - 1) * place.dx
        shift = np.array([place.west, south, 0.0])
        if self.option(options, "origin") == CENTRE:
            shift -= (place.site.width / 2, place.site.depth / 2, 0)
        mesh.points += shift
        if self.up(options) == Y_UP:
            mesh.points, mesh.normals = (
                np.stack([a[:, 0], a[:, 2], -a[:, 1]], -1) for a in (mesh.points, mesh.normals)
            )

    def write_mesh(self, path: Path, mesh: Mesh, texture, stem: str) -> None:
        """Writes one mesh. texture: a Pillow image or None."""
        raise NotImplementedError

    def read_mesh(self, path: Path) -> tuple[np.ndarray, np.ndarray]:
        """(points, triangles) of a file."""
        raise NotImplementedError

    def _checked(self, path: Path, mesh: Mesh) -> float:
        """Reads a mesh back. Returns how far its corners were moved at most, metres."""
        points, triangles = self.read_mesh(path)
        same = triangles.shape == mesh.triangles.shape and np.array_equal(triangles, mesh.triangles)
        off = float(np.abs(points - mesh.points).max()) if points.shape == mesh.points.shape else np.inf
        # single precision has a step of 8 mm at 100 km
        if not same or off > max(1e-4, np.abs(mesh.points).max() * 1.2e-7):
            raise DeliveryError(f"{path.name} does not read back as it was written; nothing was kept.")
        return off


def _texture(colour: Samples | None):
    """The colours as an image in sRGB, or None."""
    if colour is None:
        return None
    from PIL import Image

    data = np.empty(colour.shape, np.uint8)
    top = 0
    for rows in colour.bands():
        data[top : top + len(rows)] = np.clip(np.rint(to_srgb(rows.astype(np.float64)) * 255), 0, 255)
        top += len(rows)
    return Image.fromarray(data)


def _tri(mesh: Mesh):
    """A mesh as trimesh has it."""
    import trimesh

    return trimesh.Trimesh(mesh.points, mesh.triangles, process=False, validate=False)


@dataclass(frozen=True)
class Glb(MeshWriter):
    """glTF 2.0 in one file, with normals; Y points up, as that format has it."""

    slots: tuple[Slot, ...] = (Slot("colour", "Colour", COLOUR, usual=True),)

    def up(self, options: dict) -> str:
        return Y_UP

    def write_mesh(self, path: Path, mesh: Mesh, texture, stem: str) -> None:
        file = GlbFile()
        attributes = {
            "POSITION": file.add(mesh.points.astype("<f4"), CORNERS, ends=True),
            "NORMAL": file.add(mesh.normals.astype("<f4"), CORNERS),
        }
        surface: dict[str, Any] = {"metallicFactor": 0.0, "roughnessFactor": 1.0}
        if texture is not None:
            # places in a glTF picture are counted from its top
            places = np.stack([mesh.uv[:, 0], 1 - mesh.uv[:, 1]], -1)
            attributes["TEXCOORD_0"] = file.add(places.astype("<f4"), CORNERS)
            surface["baseColorTexture"] = {"index": file.picture(_png(texture))}
        triangles = file.add(mesh.triangles.ravel().astype("<u4"), TRIANGLES)
        one = {"attributes": attributes, "indices": triangles, "material": 0}
        file.block |= {
            "nodes": [{"name": stem, "mesh": 0}],
            "meshes": [{"name": stem, "primitives": [one]}],
            "materials": [{"name": "land", "pbrMetallicRoughness": surface}],
        }
        file.write(path)

    def read_mesh(self, path: Path) -> tuple[np.ndarray, np.ndarray]:
        block, arrays = read_glb(path)
        one = block["meshes"][0]["primitives"][0]
        points, corners = arrays[one["attributes"]["POSITION"]], arrays[one["indices"]]
        return points.astype(np.float64), corners.reshape(-1, 3).astype(np.int64)


def _png(texture) -> bytes:
    """A picture as a PNG that says that it is sRGB."""
    stream = io.BytesIO()
    texture.save(stream, "PNG", compress_level=3, pnginfo=srgb_info())
    return stream.getvalue()


@dataclass(frozen=True)
class Obj(MeshWriter):
    """Wavefront OBJ with texture coordinates; the colours are a PNG beside it."""

    params: tuple[P.Param, ...] = (*OPTIONS, UP)
    slots: tuple[Slot, ...] = (Slot("colour", "Colour", COLOUR, usual=True),)

    def companions(self, stem: str) -> list[str]:
        return [f"{stem}.mtl", f"{stem}_colour.png"]

    def write_mesh(self, path: Path, mesh: Mesh, texture, stem: str) -> None:
        from PIL import Image

        with path.open("wb") as file:
            file.write(f"# Metres. {len(mesh.triangles)} triangles.\nmtllib {stem}.mtl\nusemtl land\n".encode())
            file.write(decimal_lines(mesh.points, "v", DECIMALS))
            file.write(decimal_lines(mesh.uv, "vt", 7))
            file.write(face_lines(mesh.triangles, True))
        (path.parent / f"{stem}.mtl").write_text(
            f"newmtl land\nKa 1 1 1\nKd 1 1 1\nKs 0 0 0\nillum 1\nmap_Kd {stem}_colour.png\n",
            encoding="ascii",
        )
        image = texture or Image.new("RGB", (4, 4), (128, 128, 128))
        (path.parent / f"{stem}_colour.png").write_bytes(_png(image))

    def read_mesh(self, path: Path) -> tuple[np.ndarray, np.ndarray]:
        data = path.read_bytes()
        first, texture, faces = data.index(b"\nv ") + 1, data.index(b"\nvt ") + 1, data.index(b"\nf ") + 1
        points, corners = numbers_in(data[first:texture]), numbers_in(data[faces:])
        return points.reshape(-1, 3), corners.astype(np.int64).reshape(-1, 6)[:, ::2] - 1


@dataclass(frozen=True)
class Ply(MeshWriter):
    """Stanford PLY, binary."""

    params: tuple[P.Param, ...] = (*OPTIONS, UP)

    def write_mesh(self, path: Path, mesh: Mesh, texture, stem: str) -> None:
        path.write_bytes(_tri(mesh).export(file_type="ply"))

    def read_mesh(self, path: Path) -> tuple[np.ndarray, np.ndarray]:
        data = path.read_bytes()
        start = data.index(b"end_header\n") + 11
        head = data[:start].decode("ascii").splitlines()
        counts = {line.split()[1]: int(line.split()[2]) for line in head if line.startswith("element")}
        points = np.frombuffer(data, "<f4", counts["vertex"] * 3, start).reshape(-1, 3)
        kind = np.dtype([("n", "u1"), ("corners", "<i4", 3)])
        faces = np.frombuffer(data, kind, counts["face"], start + points.nbytes)
        return points.astype(np.float64), faces["corners"].astype(np.int64)


@dataclass(frozen=True)
class Stl(MeshWriter):
    """STL, binary: triangles without shared corners, for printing."""

    params: tuple[P.Param, ...] = (*OPTIONS, UP)

    def write_mesh(self, path: Path, mesh: Mesh, texture, stem: str) -> None:
        path.write_bytes(_tri(mesh).export(file_type="stl"))

    def read_mesh(self, path: Path) -> tuple[np.ndarray, np.ndarray]:
        kind = np.dtype([("normal", "<f4", 3), ("corners", "<f4", (3, 3)), ("more", "<u2")])
        data = np.frombuffer(path.read_bytes(), kind, offset=84)
        return data["corners"].reshape(-1, 3).astype(np.float64), np.arange(3 * len(data)).reshape(-1, 3)

    def _checked(self, path: Path, mesh: Mesh) -> float:
        points, triangles = self.read_mesh(path)
        wanted = mesh.points[mesh.triangles].reshape(-1, 3)
        off = float(np.abs(points - wanted).max()) if points.shape == wanted.shape else np.inf
        if off > max(1e-4, np.abs(wanted).max() * 1.2e-7):
            raise DeliveryError(f"{path.name} does not read back as it was written; nothing was kept.")
        return off


def mesh_formats() -> tuple[Writer, ...]:
    """All of them."""
    return (
        Glb("mesh_glb", "Mesh, glTF (.glb)", HEIGHT, ".glb", 32, floats=True),
        Obj("mesh_obj", "Mesh, OBJ with texture", HEIGHT, ".obj", 32, floats=True),
        Ply("mesh_ply", "Mesh, PLY", HEIGHT, ".ply", 32, floats=True),
        Stl("mesh_stl", "Mesh, STL", HEIGHT, ".stl", 32, floats=True),
    )
