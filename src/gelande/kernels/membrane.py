"""Land set into land: an offset that meets given values and fades away from them, and weights of a seam."""

from __future__ import annotations

from functools import lru_cache

import numpy as np


@lru_cache(16)
def _solver(fixed: bytes, rows: int, columns: int, fade: float) -> tuple:
    """(numbers of the samples that are free, what solves for them, how the fixed ones come in) of a screened Laplace
    equation. The same places are solved for again and again with other values: of every seed of a sheet."""
    from scipy.sparse import coo_array  # heavy to import, and seldom needed
    from scipy.sparse.linalg import splu

    held = np.frombuffer(fixed, bool).reshape(rows, columns)
    at = np.arange(rows * columns).reshape(rows, columns)
    pairs = np.concatenate(
        [
            np.stack([at[:, :-1].ravel(), at[:, 1:].ravel()]),
            np.stack([at[:-1].ravel(), at[1:].ravel()]),
        ],
        axis=1,
    )
    ways = np.concatenate([pairs, pairs[::-1]], axis=1)
    ways = ways[:, ~held.ravel()[ways[0]]]
    free = np.flatnonzero(~held.ravel())
    number = np.full(rows * columns, -1)
    number[free] = np.arange(len(free))
    size = (len(free), len(free))
    diagonal = np.bincount(number[ways[0]], minlength=len(free)) + 1.0 / (fade * fade)
    inner = ~held.ravel()[ways[1]]
    i, j = number[ways[0][inner]], number[ways[1][inner]]
    matrix = coo_array(
        (
            np.concatenate([diagonal, -np.ones(len(i))]),
            (np.concatenate([np.arange(len(free)), i]), np.concatenate([np.arange(len(free)), j])),
        ),
        shape=size,
    ).tocsc()
    edge = coo_array((np.ones((~inner).sum()), (number[ways[0][~inner]], ways[1][~inner])), (len(free), held.size))
    return free, splu(matrix, permc_spec="MMD_AT_PLUS_A", options={"SymmetricMode": True}), edge.tocsr()


def membrane(values: np.ndarray, fixed: np.ndarray, fade: float) -> np.ndarray:
    """A surface through fixed values that bends as little as it can and fades to zero away from them.

    The solution u of u'' = u / fade^2 in both directions with u given on the fixed samples and no slope across the
    grid's edges: membrane interpolation (Perez, Gangnet and Blake 2003) with a screen, so that what lies far away stays
    as it is.

    Parameters
    ----------
    values :
        (rows, columns); only those of fixed samples count.
    fixed :
        (rows, columns) bool.
    fade :
        samples over which it falls to about a third.

    Returns
    -------
    float32 of the same shape.
    """
    out = np.where(fixed, values, 0).astype(np.float64)
    if fixed.any() and not fixed.all():
        free, solver, edge = _solver(np.ascontiguousarray(fixed).tobytes(), *fixed.shape, float(fade))
        out.ravel()[free] = solver.solve(edge @ out.ravel())
    return out.astype(np.float32)


def falling(distance: np.ndarray, width: float) -> np.ndarray:
    """A weight that falls from 1 at an edge to 0 at a distance from it, level at both ends.

    Parameters
    ----------
    distance :
        from the edge, 0 and below inside.
    width :
        in the distance's unit, above 0.

    Returns
    -------
    0 to 1, float32 of the distance's shape.
    """
    t = np.clip(np.float32(1) - distance / np.float32(width), 0, 1).astype(np.float32)
    return t * t * (3 - 2 * t)


def crossed(outer: np.ndarray, inner: np.ndarray, weight: np.ndarray) -> np.ndarray:
    """Two unrelated textures about zero, mixed so that the mixture is as rough as they are.

    Half and half of two such would be only seven tenths as rough (Heitz and Neyret 2018, variance-preserving blending).

    Parameters
    ----------
    outer, inner :
        arrays of one shape.
    weight :
        of the inner one, 0 to 1.

    Returns
    -------
    float32 of the same shape.
    """
    rest = 1 - weight
    return (rest * outer + weight * inner) / np.sqrt(weight * weight + rest * rest)
