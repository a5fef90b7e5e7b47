"""Ground tone: the grey that drives a ramp when height alone is dull."""

from __future__ import annotations

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import Footprint
from gelande.core.recipe.node import height_in, mask_in, mask_out, node
from gelande.kernels.light import sky_view
from gelande.kernels.measure import gaussian, slope_degrees
from gelande.kernels.noise import UNFADED, fractal
from gelande.kernels.relief import MEAN, curvature
from gelande.nodes.shared import banded, filtered

#: What may count, with its usual weight.
PARTS = {
    "height": ("Height", 0.5),
    "slope": ("Slope", 0.35),
    "bulge": ("Curvature", 0.25),
    "open": ("Openness", 0.2),
    "flow": ("Flow", -0.2),
    "cut": ("Cut", 0.2),
    "fill": ("Fill", -0.2),
    "noise": ("Fine noise", 0.15),
}
MAPS = ("flow", "cut", "fill")
#: Degrees that count as fully steep; bend across the size that counts as full; share of hidden sky that is dark.
STEEP, BENT, HIDDEN = 55.0, 0.15, 0.35
#: Metres on a site of 4 km over which slope is measured.
OVER = 24.0


def _settings() -> tuple:
    found = []
    for name, (label, weight) in PARTS.items():
        linked = " Counts where its mask is linked." if name in MAPS else ""
        found.append(
            P.fraction(
                f"{name}_weight",
                label,
                weight,
                f"How much it makes the ground brighter, or darker below zero.{linked}",
                (-1.0, 1.0),
            )
        )
        found.append(
            P.fraction(
                f"{name}_bend",
                f"{label} bend",
                0.0,
                "Above zero little of it counts already, below it takes much.",
                (-1.0, 1.0),
            )
        )
    return tuple(found)


@node(
    "ground_tone",
    "Ground tone",
    "Colour",
    "A grey from height, slope, curvature, openness, water and noise, for a ramp to colour.",
    inputs=(
        height_in(),
        mask_in("flow", "Flow", True, "Where water flows."),
        mask_in("cut", "Cut", True, "Where ground was worn."),
        mask_in("fill", "Fill", True, "Where ground was laid down."),
    ),
    outputs=(mask_out(),),
    params=(
        *_settings(),
        P.metres(
            "size",
            "Size",
            100,
            "Size of the forms that curvature and openness look at.",
            (0.5, 20_000),
            (40, 600),
            0,
            log=True,
            scales=True,
        ),
        P.metres(
            "noise_size",
            "Noise size",
            60,
            "Size of the largest noise.",
            (0.5, 20_000),
            (10, 600),
            0,
            log=True,
            scales=True,
        ),
        P.seed(),
    ),
    footprint=lambda p, site: Footprint(
        halo=OVER * site.long_side / 4096 / 2, low_passed={"height": p.size / 2}, ranged=("height",)
    ),
    version=2,
    figure="of {size}",
    keywords=("tone", "grey", "gray", "driver", "texture", "albedo", "base", "dirt", "detail"),
    starting_points=(
        ("Bare rock", {"height_weight": 0.2, "slope_weight": 0.5, "bulge_weight": 0.5, "open_weight": 0.3}),
        ("Wooded hills", {"height_weight": 0.6, "slope_weight": -0.3, "open_weight": 0.4, "noise_weight": 0.35}),
        ("Desert floor", {"height_weight": 0.3, "slope_weight": 0.2, "flow_weight": 0.6, "fill_weight": 0.4}),
        ("Snow field", {"height_weight": 0.5, "slope_weight": -0.6, "bulge_weight": -0.3, "noise_weight": 0.1}),
    ),
)
def ground_tone(ctx: Context) -> Arrays:
    """The mean of its parts, each from 0 to 1, bent by a power of two, and counted by its weight; below zero it counts
    the other way round."""
    p, h = ctx.p, ctx.input("height")
    low, high = ctx.range("height")
    radius = p.size / 2

    def bulge(a: np.ndarray, samples: float) -> np.ndarray:
        bent = curvature(gaussian(a, samples, ctx.stop), radius / samples, MEAN, ctx.stop) * np.float32(p.size / BENT)
        return np.clip(np.float32(0.5) + np.float32(0.5) * bent, 0, 1)

    def seen(a: np.ndarray, samples: float) -> np.ndarray:
        hidden = 1 - sky_view(a, radius / samples, 1.5 * p.size)
        return np.clip(1 - hidden / np.float32(HIDDEN), 0, 1)

    makers = {
        "height": lambda: np.clip((h - np.float32(low)) / np.float32(max(high - low, 1e-3)), 0, 1),
        "slope": lambda: np.clip(
            slope_degrees(h, ctx.dx, OVER * ctx.site.long_side / 4096, ctx.stop, ctx.window) / np.float32(STEEP), 0, 1
        ),
        "bulge": lambda: filtered(ctx, "height", radius, bulge, False),
        "open": lambda: filtered(ctx, "height", radius, seen, False),
        "noise": lambda: (
            np.float32(0.5)
            + np.float32(0.5)
            * fractal(
                ctx.window,
                (0.0, ctx.site.depth),
                ctx.dx,
                p.noise_size,
                4,
                gain=0.55,
                seed=ctx.seed,
                stop=ctx.stop,
                fine=UNFADED,
            )
        ),
    }
    total, weights = np.zeros(ctx.shape, np.float32), 0.0
    for name in PARTS:
        weight, bend = p.values[f"{name}_weight"], p.values[f"{name}_bend"]
        if weight == 0 or name in MAPS and not ctx.has(name):
            continue
        ctx.check()
        part = ctx.input(name) if name in MAPS else makers[name]()
        power = np.float32(2.0 ** (-2.0 * bend))

        def added(total: np.ndarray, part: np.ndarray, weight: float = weight, power: float = power) -> np.ndarray:
            bent = np.power(np.clip(part, 0, 1), power)
            return total + np.float32(abs(weight)) * (bent if weight > 0 else 1 - bent)

        total, weights = banded(ctx, added, total, part), weights + abs(weight)
    return {"mask": total / np.float32(max(weights, 1e-6))}
