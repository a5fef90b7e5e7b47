"""What several nodes do with their context."""

import math
from collections.abc import Callable

import numpy as np

from gelande.core.context import Context
from gelande.core.plan import BESIDE, FILTER
from gelande.core.site import COARSEST
from gelande.kernels.bands import by_rows
from gelande.kernels.coarse import on_level
from gelande.kernels.measure import gaussian
from gelande.kernels.noise import UNFADED, fractal
from gelande.kernels.transfer import up

#: Degrees of slope from which steps cut ground, and from which in full.
LEVEL = (1.5, 5.0)


def banded(ctx: Context, run: Callable[..., np.ndarray], *arrays: np.ndarray) -> np.ndarray:
    """run(*arrays) for bands of rows of the context's shape, see kernels.bands.by_rows."""
    return by_rows(run, ctx.shape, ctx.stop, *arrays)


def off_level_ground(ctx: Context, h: np.ndarray, cut: np.ndarray, slope: np.ndarray) -> np.ndarray:
    """What steps make of a land, but for its level ground, which they leave as it is. slope: of the land, degrees."""
    low, high = (np.float32(v) for v in LEVEL)
    return banded(ctx, lambda h, cut, slope: h + (cut - h) * np.clip((slope - low) / (high - low), 0, 1), h, cut, slope)


def wander(ctx: Context, size: float, octaves: int, seed: int, gain: float = 0.5, moves: bool = False) -> np.ndarray:
    """Octave noise, about -1 to 1, on the context's grid: what makes outlines irregular. size: metres.

    moves: it shifts other things, so its fine octaves are never left out, or they would stand elsewhere at every
    detail."""
    fine = UNFADED if moves else None
    place = (ctx.frame, (0.0, ctx.site.depth), ctx.dx)
    return fractal(*place, size, octaves, gain=gain, seed=seed, stop=ctx.stop, fine=fine)


def raised_by(ctx: Context, a: np.ndarray, steps: int, rise: Callable[..., np.ndarray] = up, **how) -> np.ndarray:
    """What lies on frame_at(level - steps), on the context's frame. rise: up, up_kept or up_surface."""
    for k in range(steps - 1, -1, -1):
        a = ctx.frame.coarser(k).cut(rise(a, **how), ctx.frame.coarser(k + 1).finer())
    return a


def filtered(
    ctx: Context,
    port: str,
    radius: float,
    run: Callable[[np.ndarray, float], np.ndarray],
    smooth: bool = True,
    fetch: Callable[[int], np.ndarray] | None = None,
) -> np.ndarray:
    """run(samples, radius in samples) of an input, done on the level where the radius is a few samples wide: the same
    result at every detail, and fast. radius: metres; smooth: brought up by cubics; fetch: samples of a level instead
    of an input's, on what the frame is refined from, which has to reach as far as the filter looks. A node that uses it
    says so by ``wide``."""
    at = on_level(ctx.level, COARSEST, ctx.site.spacing, radius)
    wanted = ctx.frame_at(at)
    margin = math.ceil(FILTER * radius / ctx.site.spacing(at)) + BESIDE
    held = wanted.grown(margin) if fetch is None else wanted
    data = ctx.input(port, at, held) if fetch is None else fetch(at)

    def one(band: np.ndarray) -> np.ndarray:
        return raised_by(
            ctx,
            wanted.cut(run(band, radius / ctx.site.spacing(at)), held),
            ctx.level - at,
            smooth=smooth,
            stop=ctx.stop,
        )

    if data.ndim == 3:
        return np.stack([one(np.ascontiguousarray(data[..., k])) for k in range(data.shape[2])], -1)
    return one(data)


def quantiles(a: np.ndarray, count: int = 1025) -> np.ndarray:
    """Values below which equal shares of the samples lie, rising."""
    found = np.quantile(a, np.linspace(0, 1, count)).astype(np.float32)
    return found + np.arange(count, dtype=np.float32) * np.float32(1e-6)  # equal ones would have no order


def blurred(ctx: Context, port: str, radius: float) -> np.ndarray:
    """An input without what is smaller than a radius in metres, the same at every detail. A node that uses it says so
    by ``wide`` with half the radius."""
    if radius <= 0:
        return ctx.input(port)
    return filtered(ctx, port, radius / 2, lambda a, s: gaussian(a, s, ctx.stop))
