"""Transfers between a level and the next on vertex-centred grids, where shared samples stay where they are."""

from __future__ import annotations

import numpy as np

from .bands import kernel, over_rows


@kernel
def _up_rows(a, out, row0, row1, smooth):
    """Rows of the finer grid. Midpoints by the four-point cubic (-1, 9, 9, -1)/16, or halves when not smooth."""
    rows, columns = a.shape
    line = np.empty(columns)
    for r in range(row0, row1):
        q = r >> 1
        if r & 1 == 0:
            for c in range(columns):
                line[c] = a[q, c]
        elif smooth and q > 0 and q + 2 < rows:
            for c in range(columns):
                line[c] = (9.0 * (a[q, c] + a[q + 1, c]) - a[q - 1, c] - a[q + 2, c]) * 0.0625
        elif smooth and rows > 2:
            s = q + 2 if q == 0 else q - 1
            n, f = (q, q + 1) if q == 0 else (q + 1, q)
            for c in range(columns):
                line[c] = 0.375 * a[n, c] + 0.75 * a[f, c] - 0.125 * a[s, c]
        else:
            for c in range(columns):
                line[c] = 0.5 * (a[q, c] + a[q + 1, c])
        for c in range(columns):
            out[r, 2 * c] = line[c]
        for c in range(columns - 1):
            if smooth and 0 < c < columns - 2:
                out[r, 2 * c + 1] = (9.0 * (line[c] + line[c + 1]) - line[c - 1] - line[c + 2]) * 0.0625
            else:
                out[r, 2 * c + 1] = 0.5 * (line[c] + line[c + 1])
        if smooth and columns > 2:
            e = columns - 1
            out[r, 1] = 0.375 * line[0] + 0.75 * line[1] - 0.125 * line[2]
            out[r, 2 * e - 1] = 0.375 * line[e] + 0.75 * line[e - 1] - 0.125 * line[e - 2]


def up(a: np.ndarray, smooth: bool = True, stop=None) -> np.ndarray:
    """The array one level finer: (r, c) to (2r - 1, 2c - 1). Shared samples keep their value exactly.

    smooth: cubic for heights; False: bilinear, which never leaves the range of its samples, for masks."""
    a = np.ascontiguousarray(a, np.float32)
    out = np.empty((2 * a.shape[0] - 1, 2 * a.shape[1] - 1), np.float32)
    over_rows(lambda r0, r1: _up_rows(a, out, r0, r1, smooth), out.shape[0], stop)
    return out


def up_kept(a: np.ndarray, stop=None) -> np.ndarray:
    """As up, but mirrored at the edges, so that the volume over the site stays the same: for what was added or taken, not for ground."""
    return up(np.pad(a, 2, "reflect"), True, stop)[4:-4, 4:-4]


def up_to(a: np.ndarray, steps: int, smooth: bool = True, stop=None) -> np.ndarray:
    """The array ``steps`` levels finer."""
    for _ in range(steps):
        a = up(a, smooth, stop)
    return a


@kernel
def _down_rows(a, out, row0, row1):
    rows, columns = a.shape
    for r in range(row0, row1):
        for c in range(out.shape[1]):
            total = 0.0
            for j in range(-1, 2):
                y = abs(2 * r + j)
                y = y if y < rows else 2 * rows - 2 - y
                for i in range(-1, 2):
                    x = abs(2 * c + i)
                    x = x if x < columns else 2 * columns - 2 - x
                    total += a[y, x] * ((2 - abs(j)) * (2 - abs(i))) * 0.0625
            out[r, c] = total


def down(a: np.ndarray) -> np.ndarray:
    """The array one level coarser by full weighting (1, 2, 1)/4 each way, mirrored at the edges."""
    out = np.empty(((a.shape[0] + 1) // 2, (a.shape[1] + 1) // 2), np.float32)
    over_rows(lambda r0, r1: _down_rows(a, out, r0, r1), out.shape[0])
    return out


@kernel
def mirror(i, n):
    """An index folded back into 0..n-1."""
    if 0 <= i < n:
        return i
    period = 2 * n - 2
    i = abs(i) % period
    return i if i < n else period - i


@kernel
def _cubic_weights(t, weights):
    """Weights of four samples in a row at t between the second and the third (Catmull and Rom 1974)."""
    weights[0] = ((-0.5 * t + 1.0) * t - 0.5) * t
    weights[1] = (1.5 * t - 2.5) * t * t + 1.0
    weights[2] = ((-1.5 * t + 2.0) * t + 0.5) * t
    weights[3] = (0.5 * t - 0.5) * t * t


@kernel
def _sample_rows(stack, ys, xs, out, row0, row1):
    rows, columns, count = stack.shape
    wy, wx, across = np.empty(4), np.empty(4), np.empty(4, np.int64)
    total = np.empty(count)
    for r in range(row0, row1):
        for c in range(ys.shape[1]):
            yi, xi = int(np.floor(ys[r, c])), int(np.floor(xs[r, c]))
            _cubic_weights(ys[r, c] - yi, wy)
            _cubic_weights(xs[r, c] - xi, wx)
            for i in range(4):
                across[i] = mirror(xi - 1 + i, columns)
            total[:] = 0.0
            for j in range(4):
                row = stack[mirror(yi - 1 + j, rows)]
                for i in range(4):
                    w, here = wy[j] * wx[i], row[across[i]]
                    for k in range(count):
                        total[k] += w * here[k]
            for k in range(count):
                out[k, r, c] = total[k]


def sample_all(arrays, ys: np.ndarray, xs: np.ndarray, stop=None) -> np.ndarray:
    """Several arrays of one shape at fractional rows ys and columns xs (arrays of one shape), mirrored beyond the edges:
    (arrays, rows, columns)."""
    stack = np.stack(arrays, -1)
    out = np.empty((len(arrays), *ys.shape), np.float32)
    over_rows(lambda r0, r1: _sample_rows(stack, ys, xs, out, r0, r1), out.shape[1], stop)
    return out


def sample(a: np.ndarray, ys: np.ndarray, xs: np.ndarray, stop=None) -> np.ndarray:
    """a at fractional rows ys and columns xs (arrays of one shape), mirrored beyond the edges."""
    return sample_all([a], ys, xs, stop)[0]
