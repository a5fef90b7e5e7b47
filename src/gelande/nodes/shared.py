"""What several nodes do with their context."""

import numpy as np

from gelande.kernels.bands import over_rows
from gelande.kernels.noise import UNFADED, fractal


def banded(ctx, run, *arrays) -> np.ndarray:
    """run(*arrays) for bands of rows, on all cores and stoppable: for arithmetic that looks at each sample alone.

    Arrays with one row are handed on whole; the result is float32 of the context's shape."""
    out = np.empty(ctx.shape, np.float32)
    rows = ctx.shape[0]

    def band(a, b):
        out[a:b] = run(*(x[a:b] if x.shape[0] == rows else x for x in arrays))

    over_rows(band, rows, ctx.stop)
    return out


def wander(ctx, size: float, octaves: int, seed: int, gain: float = 0.5, moves: bool = False) -> np.ndarray:
    """Octave noise, about -1 to 1, on the context's grid: what makes outlines irregular. size: metres.

    moves: it shifts other things, so its fine octaves are never left out, or they would stand elsewhere at every detail."""
    return fractal(ctx.shape, (0.0, ctx.site.depth), ctx.dx, size, octaves, gain=gain, seed=seed, stop=ctx.stop, fine=UNFADED if moves else None)
