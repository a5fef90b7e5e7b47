"""Regular triangle meshes of heights, and how far any mesh is from them."""

from __future__ import annotations

import numpy as np

from .bands import kernel, over_rows


def regular(shape: tuple[int, int], step: int = 1) -> np.ndarray:
    """The triangles of a regular mesh with a corner at every so many samples, and at the far edges.

    Parameters
    ----------
    shape :
        rows and columns of samples.
    step :
        samples between corners.

    Returns
    -------
    (triangles, 3) int64, counterclockwise seen from above.
    """
    r, c = (np.unique(np.append(np.arange(0, n, step), n - 1)) for n in shape)
    at = r[:, None] * shape[1] + c[None]
    a, b, d, e = at[:-1, :-1], at[:-1, 1:], at[1:, :-1], at[1:, 1:]
    # diagonals turn from square to square, so that ridges in neither direction look cut
    turn = ((np.arange(len(r) - 1)[:, None] + np.arange(len(c) - 1)[None]) % 2).astype(bool)
    one = np.where(turn[..., None], np.stack([a, d, b], -1), np.stack([a, e, b], -1))
    two = np.where(turn[..., None], np.stack([d, e, b], -1), np.stack([a, d, e], -1))
    return np.stack([one, two], 2).reshape(-1, 3)


@kernel
def _worst(h, triangles, z, lo, hi):
    """Greatest distance of samples from the triangles over them, of some triangles."""
    columns = h.shape[1]
    worst = 0.0
    for t in range(lo, hi):
        ar, ac = triangles[t, 0] // columns, triangles[t, 0] % columns
        br, bc = triangles[t, 1] // columns, triangles[t, 1] % columns
        pr, pc = triangles[t, 2] // columns, triangles[t, 2] % columns
        area = (br - ar) * (pc - ac) - (bc - ac) * (pr - ar)
        za, zb, zp = z[triangles[t, 0]], z[triangles[t, 1]], z[triangles[t, 2]]
        for r in range(min(ar, br, pr), max(ar, br, pr) + 1):
            for c in range(min(ac, bc, pc), max(ac, bc, pc) + 1):
                u = ((r - ar) * (pc - ac) - (c - ac) * (pr - ar)) / area
                v = ((br - ar) * (c - ac) - (bc - ac) * (r - ar)) / area
                if u < -1e-9 or v < -1e-9 or u + v > 1 + 1e-9:
                    continue
                d = abs(h[r, c] - (za + u * (zb - za) + v * (zp - za)))
                if d > worst:
                    worst = d
    return worst


def mesh_error(h: np.ndarray, triangles: np.ndarray, z: np.ndarray | None = None) -> float:
    """The largest height error of a mesh, measured at every sample.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    triangles :
        (triangles, 3) int64, numbers of samples.
    z :
        (rows * columns) heights of corners, where they are not those of h.

    Returns
    -------
    Metres.
    """
    corners = np.ascontiguousarray(h.ravel() if z is None else z, np.float64)
    count, parts = len(triangles), []
    over_rows(lambda a, b: parts.append(_worst(h, triangles, corners, a, b)), count)
    return max(parts, default=0.0)


@kernel
def _draw(triangles, columns, z, factor, line, height, edge, lo, hi):
    """Draws the heights and edges of some triangles into a raster."""
    corners = np.empty((3, 2))
    for t in range(lo, hi):
        for k in range(3):
            corners[k, 0] = triangles[t, k] // columns * factor
            corners[k, 1] = triangles[t, k] % columns * factor
        a, b, p = corners[0], corners[1], corners[2]
        area = (b[0] - a[0]) * (p[1] - a[1]) - (b[1] - a[1]) * (p[0] - a[0])
        za, zb, zp = z[triangles[t, 0]], z[triangles[t, 1]], z[triangles[t, 2]]
        long0 = abs(area) / max(((p[0] - b[0]) ** 2 + (p[1] - b[1]) ** 2) ** 0.5, 1e-9)
        long1 = abs(area) / max(((p[0] - a[0]) ** 2 + (p[1] - a[1]) ** 2) ** 0.5, 1e-9)
        long2 = abs(area) / max(((b[0] - a[0]) ** 2 + (b[1] - a[1]) ** 2) ** 0.5, 1e-9)
        for r in range(int(min(a[0], b[0], p[0])), int(max(a[0], b[0], p[0])) + 1):
            for c in range(int(min(a[1], b[1], p[1])), int(max(a[1], b[1], p[1])) + 1):
                u = ((r - a[0]) * (p[1] - a[1]) - (c - a[1]) * (p[0] - a[0])) / area
                v = ((b[0] - a[0]) * (c - a[1]) - (b[1] - a[1]) * (r - a[0])) / area
                if u < -1e-9 or v < -1e-9 or u + v > 1 + 1e-9:
                    continue
                height[r, c] = za + u * (zb - za) + v * (zp - za)
                # distances from the three sides, in samples of the picture
                near = min((1 - u - v) * long0, u * long1, v * long2)
                edge[r, c] = max(edge[r, c], 1.0 - near / line if near < line else 0.0)


def drawn(h: np.ndarray, triangles: np.ndarray, factor: int = 1, line: float = 1.0) -> tuple[np.ndarray, np.ndarray]:
    """The surface of a mesh and its edges, for looking at.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    triangles :
        (triangles, 3) int64, numbers of samples.
    factor :
        samples of the picture for each of the grid.
    line :
        half width of edges, samples of the picture.

    Returns
    -------
    (surface, edges): (rows, columns) of the finer grid, float32: metres; 0 to 1.
    """
    shape = (h.shape[0] - 1) * factor + 1, (h.shape[1] - 1) * factor + 1
    surface, edges = np.zeros(shape, np.float32), np.zeros(shape, np.float32)
    z = np.ascontiguousarray(h.ravel(), np.float64)
    _draw(triangles, h.shape[1], z, factor, line, surface, edges, 0, len(triangles))
    return surface, edges
