"""Patches: breaks a mask into patches."""

from __future__ import annotations

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.node import mask_in, mask_out, node
from gelande.core.recipe.site import GLOBAL_LEVEL
from gelande.kernels.grid_window import GridWindow
from gelande.kernels.noise import UNFADED, cells, fractal
from gelande.nodes.shared import banded

SOFT, CHIPS = "patches", "chips"


@node(
    "patches",
    "Patches",
    "Masks",
    "Breaks a mask into patches of a size: growth, remnants of snow, dirt.",
    inputs=(mask_in("first", "Mask to break up", True),),
    outputs=(mask_out(),),
    params=(
        P.choice("look", "Look", SOFT, (SOFT, CHIPS), "Rounded patches, or angular chips."),
        P.metres(
            "size", "Size", 120, "Distance from patch to patch.", (0.5, 20_000), (10, 800), 0, log=True, scales=True
        ),
        P.fraction("cover", "Share covered", 0.4, "How much of the ground the patches take where the mask is white."),
        P.fraction("softness", "Softness", 0.15, "How gradually a patch ends."),
        P.fraction("greys", "Keeps greys", 0.5, "At 0 greys make fewer patches, at 1 they make paler ones."),
        P.seed(),
    ),
    base="first",
    figure="{cover} of {size}",
    keywords=("break up", "scatter", "spots", "clumps", "moss", "dirt", "speckle", "noise", "vegetation", "lichen"),
    starting_points=(
        ("Moss", {"size": 25, "cover": 0.3, "softness": 0.3}),
        ("Remnants of snow", {"size": 180, "cover": 0.15, "softness": 0.05}),
        ("Broken stone", {"look": CHIPS, "size": 60, "cover": 0.5, "softness": 0.02}),
    ),
)
def patches(ctx: Context) -> Arrays:
    """Octave noise, or the cells of a jittered grid (Worley 1996), above a level that lets through the share that is
    asked for: it is taken from the noise's own distribution over the site, up to 513 samples, so that the share is the
    same at every detail."""
    p = ctx.p

    def pattern(window: GridWindow | tuple[int, int], dx: float) -> np.ndarray:
        if p.look == CHIPS:
            first, second, value = cells(window, (0.0, ctx.site.depth), dx, p.size, seed=ctx.seed, stop=ctx.stop)
            return value + np.float32(0.2) * (second - first)
        # no octave is left out on a coarse grid, or an edge would lie elsewhere there
        place = (window, (0.0, ctx.site.depth), dx)
        return fractal(*place, p.size, 4, gain=0.45, seed=ctx.seed, stop=ctx.stop, fine=UNFADED)

    whole = pattern(ctx.site.shape(GLOBAL_LEVEL), ctx.site.spacing(GLOBAL_LEVEL))
    made = whole if ctx.level == GLOBAL_LEVEL and ctx.window.whole else pattern(ctx.window, ctx.dx)
    ranks = np.quantile(whole, np.linspace(0, 1, 1025)).astype(np.float32)
    mask = ctx.input("first")
    fraction = np.float32(p.cover)
    if mask is not None:  # black stays black: a grey is split into fewer patches and paler ones
        fraction = fraction * np.power(mask, np.float32(1 - p.greys))
    soft = np.float32(max(p.softness * min(p.cover, 1 - p.cover) * 0.9, 0.004))

    def white(noise: np.ndarray, fraction: np.ndarray, mask: np.ndarray) -> np.ndarray:
        rank = np.interp(noise, ranks, np.linspace(1, 0, 1025)).astype(np.float32)  # 0 at the brightest
        t = np.clip((fraction - rank) / (2 * soft) + np.float32(0.5), 0, 1) * np.minimum(fraction / soft, 1)
        return t * t * (3 - 2 * t) * np.power(mask, np.float32(p.greys))

    one = np.ones((1, 1), np.float32)
    return {
        "mask": banded(
            ctx, white, made, fraction if np.ndim(fraction) else one * fraction, one if mask is None else mask
        )
    }
