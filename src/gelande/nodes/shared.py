"""What several nodes do with their context."""

import math
from collections.abc import Callable

import numpy as np

from gelande.core.evaluate.context import Context
from gelande.core.evaluate.plan import BESIDE, FILTER
from gelande.core.recipe.site import COARSEST
from gelande.kernels.bands import by_rows, check, over_rows
from gelande.kernels.coarse import on_level
from gelande.kernels.grid_window import GridWindow
from gelande.kernels.measure import gaussian, gradient
from gelande.kernels.noise import UNFADED, fractal
from gelande.kernels.transfer import up

#: Distance over which a slope at large is told, as a share of the site.
BROAD = 1 / 128
#: How far apart steps stand at least, as a share of the site: five samples of 513, as no grid shows closer ones; twice
#: as far where they are irregular, or benches would read as lines.
APART = 5 / 512
#: Bays along the edges of steps that the site has, and how far they stand back, as a share of it.
BAYS, STANDS_BACK = 26.0, 0.009
#: Degrees of slope from which steps cut ground, and from which in full.
LEVEL = (1.5, 5.0)


def banded(ctx: Context, run: Callable[..., np.ndarray], *arrays: np.ndarray) -> np.ndarray:
    """run(*arrays) for bands of rows of the context's shape, see kernels.bands.by_rows."""
    return by_rows(run, ctx.shape, ctx.stop, *arrays)


def several(
    ctx: Context, count: int, run: Callable[..., tuple[np.ndarray, ...]], *arrays: np.ndarray
) -> list[np.ndarray]:
    """As banded, for a function that gives a number of results."""
    out = [np.empty(ctx.shape, np.float32) for _ in range(count)]

    def band(a: int, b: int) -> None:
        for whole, part in zip(out, run(*(x[a:b] if x.shape[0] == ctx.shape[0] else x for x in arrays)), strict=True):
            whole[a:b] = part

    over_rows(band, ctx.shape[0], ctx.stop)
    check(ctx.stop)
    return out


def off_level_ground(ctx: Context, h: np.ndarray, cut: np.ndarray, slope: np.ndarray) -> np.ndarray:
    """Land with steps, but for its level ground, which they leave as it is. slope: of the land, degrees."""
    low, high = (np.float32(v) for v in LEVEL)
    return banded(ctx, lambda h, cut, slope: h + (cut - h) * np.clip((slope - low) / (high - low), 0, 1), h, cut, slope)


def broad_slope(ctx: Context, port: str = "height") -> np.ndarray:
    """Rise over run of an input without what is smaller than a 64th of the site; a node that uses it says so by wide
    with BROAD."""
    south, east = gradient(blurred(ctx, port, 2 * BROAD * ctx.site.long_side), ctx.dx, ctx.stop)
    return banded(ctx, np.hypot, south, east)


def merged_steps(ctx: Context, slope: np.ndarray, tall: float, irregularity: float) -> np.ndarray:
    """Number of times that steps of a height are doubled, as the logarithm to 2, so that they stand APART at least,
    irregular ones farther.

    slope: rise over run."""
    least = np.float32(APART * (1 + irregularity) * ctx.site.long_side / tall)
    return banded(ctx, lambda slope: np.log2(np.maximum(slope * least, 1)), slope)


def bays(ctx: Context, window: GridWindow, slope: np.ndarray, seed: int) -> np.ndarray:
    """Metres by which land is higher for steps that are cut into it, so that their edges stand back in bays between
    headlands, about as far everywhere. slope: rise over run, on the window."""
    size = ctx.site.long_side / BAYS
    noise = fractal(window, (0.0, ctx.site.depth), ctx.dx, size, 3, gain=0.45, seed=seed, stop=ctx.stop, fine=UNFADED)
    far = np.float32(STANDS_BACK * ctx.site.long_side)
    return banded(ctx.within(window), lambda n, slope: far * slope * (1 - 2.4 * np.abs(n)), noise, slope)


def wander(ctx: Context, size: float, octaves: int, seed: int, gain: float = 0.5, moves: bool = False) -> np.ndarray:
    """Octave noise, about -1 to 1, on the context's grid: what makes outlines irregular. size: metres.

    moves: it shifts other things, so its fine octaves are never left out, or they would stand elsewhere at every
    detail."""
    fine = UNFADED if moves else None
    place = (ctx.window, (0.0, ctx.site.depth), ctx.dx)
    return fractal(*place, size, octaves, gain=gain, seed=seed, stop=ctx.stop, fine=fine)


def raised_by(ctx: Context, a: np.ndarray, steps: int, rise: Callable[..., np.ndarray] = up, **how) -> np.ndarray:
    """Samples of window_at(level - steps), brought up to the context's window. rise: up, up_kept or up_surface."""
    for k in range(steps - 1, -1, -1):
        a = ctx.window.coarser(k).cut(rise(a, **how), ctx.window.coarser(k + 1).finer())
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
    of an input's, on what the window is refined from, which has to reach as far as the filter looks. A node that uses
    it says so by ``low_passed``."""
    at = on_level(ctx.level, COARSEST, ctx.site.spacing, radius)
    wanted = ctx.window_at(at)
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
