"""Meshes of a height: which of its samples are corners, and what is put around them."""

from __future__ import annotations

from dataclasses import dataclass, replace

import numpy as np

from gelande.core.errors import DeliveryError
from gelande.core.evaluate.job import Stop
from gelande.kernels.insertion import inserted
from gelande.kernels.triangles import mesh_error, regular

#: Triangles that a mesh may have.
MOST = 40_000_000


@dataclass
class Mesh:
    """points: (n, 3) float64, metres east, north and up from the land's south-west corner at height 0; normals: (n, 3)
    float64, unit lengths, of the land at its samples; uv: (n, 2) places in a picture with a pixel for each sample, from
    west to east and from south to north: a sample is the middle of its pixel; triangles: (m, 3) int64,
    counterclockwise seen from outside; land: how many triangles, the first ones, are of the land itself; error: metres
    that those are off at most, measured at every sample."""

    points: np.ndarray
    normals: np.ndarray
    uv: np.ndarray
    triangles: np.ndarray
    land: int
    error: float


@dataclass(frozen=True)
class MeshOptions:
    """Options of a mesh. step: samples between corners of a regular mesh, 0 for one that adapts to the land;
    tolerance: metres that it may be off; most: triangles that it may have, 0 for as many as that takes; skirt: metres
    that a border hangs down, 0 for none; base: metres of ground under the lowest point, 0 for none; border: whether
    every sample of the border is a corner."""

    step: int = 0
    tolerance: float = 0.5
    most: int = 0
    skirt: float = 0.0
    base: float = 0.0
    border: bool = False

    def coarser(self, steps: int) -> MeshOptions:
        """Options of the same mesh some levels of detail coarser."""
        most = max(2, self.most // 4**steps) if self.most else 0
        return replace(self, step=self.step * 2**steps, tolerance=self.tolerance * 2**steps, most=most)


def land_of(height: np.ndarray, wanted: MeshOptions, stop: Stop | None = None) -> tuple[np.ndarray, float]:
    """The triangles of the land itself: (m, 3) numbers of samples, and metres that they are off at most. Raises
    DeliveryError when there would be too many; Stopped."""
    rows, columns = height.shape
    stop = stop or Stop()
    if wanted.step:
        count = 2 * -(-(rows - 1) // wanted.step) * -(-(columns - 1) // wanted.step)
        if count > MOST:
            raise DeliveryError(
                f"a mesh of {count / 1e6:.0f} million triangles is more than programs can open; take every second or "
                "fourth sample, a smaller detail, tiles, or a mesh that adapts to the land"
            )
        ids = regular(height.shape, wanted.step)
        error = mesh_error(height, ids) if wanted.step > 1 else 0.0
    else:
        most = min(wanted.most or MOST, MOST)
        # a number of triangles alone is filled as well as it can be
        tolerance = 0.0 if wanted.most and wanted.tolerance <= 0 else wanted.tolerance
        where, triangles, error = inserted(height, tolerance, most, wanted.border, stop.flag)
        stop.check()
        ids = (where[:, 0] * columns + where[:, 1])[triangles]
    return ids, float(error)


def mesh_of(height: np.ndarray, dx: float, wanted: MeshOptions, stop: Stop | None = None) -> Mesh:
    """The mesh of a height. height: metres, (rows, columns) from the north-west; dx: metres between samples. Raises
    DeliveryError when it would have too many triangles; Stopped."""
    rows, columns = height.shape
    stop = stop or Stop()
    ids, error = land_of(height, wanted, stop)
    used, triangles = np.unique(ids.ravel(), return_inverse=True)
    triangles = triangles.reshape(-1, 3).astype(np.int64)
    r, c = np.divmod(used, columns)
    points = np.stack([c * dx, (rows - 1 - r) * dx, height.ravel()[used].astype(np.float64)], -1)
    uv = np.stack([(c + 0.5) / columns, 1 - (r + 0.5) / rows], -1)
    mesh = Mesh(points, _normals(height, dx, r, c), uv, triangles, len(triangles), error)
    if wanted.skirt > 0 or wanted.base > 0:
        mesh = _walled(mesh, _around(r, c, rows, columns), wanted)
    stop.check()
    return mesh


def _normals(height: np.ndarray, dx: float, r: np.ndarray, c: np.ndarray) -> np.ndarray:
    """Normals of a land at some of its samples: by differences to both neighbours, one-sided on the edges."""
    rows, columns = height.shape
    above, below = np.maximum(r - 1, 0), np.minimum(r + 1, rows - 1)
    left, right = np.maximum(c - 1, 0), np.minimum(c + 1, columns - 1)
    north = (height[above, c].astype(np.float64) - height[below, c]) / ((below - above) * dx)
    east = (height[r, right].astype(np.float64) - height[r, left]) / ((right - left) * dx)
    found = np.stack([-east, -north, np.ones_like(east)], -1)
    return found / np.linalg.norm(found, axis=1)[:, None]


def _around(r: np.ndarray, c: np.ndarray, rows: int, columns: int) -> np.ndarray:
    """Numbers of the corners on the border, once around, counterclockwise seen from above: along the south edge to the
    east, the east edge to the north, and back."""
    at = np.arange(len(r))
    south = at[r == rows - 1][np.argsort(c[r == rows - 1])]
    east = at[c == columns - 1][np.argsort(-r[c == columns - 1])]
    north = at[r == 0][np.argsort(-c[r == 0])]
    west = at[c == 0][np.argsort(r[c == 0])]
    return np.concatenate([south[:-1], east[:-1], north[:-1], west[:-1]])


def _walled(mesh: Mesh, around: np.ndarray, wanted: MeshOptions) -> Mesh:
    """A mesh with walls down from its border, and with a floor when it is to stand on one."""
    count, n = len(mesh.points), len(around)
    low = mesh.points[around].copy()
    if wanted.base > 0:
        low[:, 2] = mesh.points[:, 2].min() - wanted.base
    else:
        low[:, 2] -= wanted.skirt
    a, b = around, np.roll(around, -1)
    d = count + np.arange(n)
    e = np.roll(d, -1)
    walls = np.concatenate([np.stack([a, d, b], -1), np.stack([b, d, e], -1)])
    points, uv, faces = [mesh.points, low], [mesh.uv, mesh.uv[around]], [mesh.triangles, walls]
    # walls are lit as the land at their top, so that no seam shows
    normals = [mesh.normals, mesh.normals[around]]
    if wanted.base > 0:
        middle = count + n
        points.append(low.mean(0)[None])
        normals.append(np.array([[0.0, 0.0, -1.0]]))
        uv.append(np.full((1, 2), 0.5))
        faces.append(np.stack([e, d, np.full(n, middle)], -1))
    first = np.concatenate(points), np.concatenate(normals), np.concatenate(uv)
    return Mesh(*first, np.concatenate(faces), mesh.land, mesh.error)
