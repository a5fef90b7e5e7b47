"""Numeric work of the nodes."""

import numpy as np

from gelande.kernels.bands import kernel, over_rows


@kernel
def _rows(moved, thick, out, row0, row1):
    for r in range(row0, row1):
        for c in range(moved.shape[1]):
            out[r, c] = min(1.0, max(0.0, moved[r, c] / thick))


def whitened(moved: np.ndarray, thick: np.float32, stop: np.ndarray | None = None) -> np.ndarray:
    """How much was filled in, 0 to 1. moved: (rows, columns) float32, metres; thick: metres at which it is white;
    stop: uint8[1] or None. Raises Stopped."""
    out = np.empty_like(moved)
    over_rows(lambda a, b: _rows(moved, thick, out, a, b), moved.shape[0], stop)
    return out
