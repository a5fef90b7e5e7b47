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
