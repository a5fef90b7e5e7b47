"""What several nodes do with their context."""

import numpy as np

from gelande.kernels.noise import fractal


def wander(ctx, size: float, octaves: int, seed: int, gain: float = 0.5) -> np.ndarray:
    """Octave noise, about -1 to 1, on the context's grid: what makes outlines irregular. size: metres."""
    return fractal(ctx.shape, (0.0, ctx.site.depth), ctx.dx, size, octaves, gain=gain, seed=seed, stop=ctx.stop)
