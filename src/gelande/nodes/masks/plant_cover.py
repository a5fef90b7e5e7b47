"""Plant cover: where one kind of plant would stand."""

from __future__ import annotations

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import Footprint
from gelande.core.recipe.node import height_in, mask_in, mask_out, node
from gelande.kernels.measure import band, slope_degrees
from gelande.kernels.noise import UNFADED, fractal
from gelande.nodes.shared import banded

#: Masks that a plant may like, with what they are called; (from, to) of their likings.
LIKED = {"wet": ("Wetness", 0.25, 1.0), "sun": ("Sun", 0.2, 1.0), "soil": ("Soil", 0.3, 1.0)}

#: Metres on a site of 4 km over which slope is measured.
OVER = 32.0


def _liked(name: str) -> tuple:
    label, low, high = LIKED[name]
    words = f"{label} that it likes in full; counts where a {label.lower()} mask is linked."
    return (
        P.fraction(f"{name}_low", f"{label} from", low, f"Least {words[0].lower()}{words[1:]}"),
        P.fraction(f"{name}_high", f"{label} to", high, f"Most {words[0].lower()}{words[1:]}"),
    )


@node(
    "plant_cover",
    "Plant cover",
    "Masks",
    "Where one kind of plant would stand, by height, slope, wetness, sun and soil, and past other plants.",
    inputs=(
        height_in(),
        mask_in("wet", "Wetness", True, "How wet the ground is."),
        mask_in("sun", "Sunlight", True, "How much sun it gets."),
        mask_in("soil", "Soil depth", True, "How deep its soil is."),
        mask_in("crowd", "Other plants", True, "Cover of other plants, which leave no room."),
    ),
    outputs=(mask_out("mask", "Cover"), mask_out("density", "Plants a hectare")),
    params=(
        P.metres(
            "low",
            "Height from",
            0,
            "Lowest height that it likes in full.",
            (-100_000, 100_000),
            (-200, 1500),
            0,
            scales=True,
        ),
        P.metres(
            "high",
            "Height to",
            350,
            "Greatest height that it likes in full.",
            (-100_000, 100_000),
            (-200, 1500),
            0,
            scales=True,
        ),
        P.metres(
            "height_falloff",
            "Height falloff",
            60,
            "Height over which the liking ends.",
            (0, 20_000),
            (0, 300),
            0,
            scales=True,
        ),
        P.degrees("slope_low", "Slope from", 0, "Gentlest slope that it likes in full."),
        P.degrees("slope_high", "Slope to", 28, "Steepest slope that it likes in full."),
        P.degrees("slope_falloff", "Slope falloff", 10, "Degrees over which the liking ends.", (0, 90), (3, 40)),
        *_liked("wet"),
        *_liked("sun"),
        *_liked("soil"),
        P.fraction("falloff", "Other falloff", 0.2, "How gradually the likings of wetness, sun and soil end."),
        P.fraction("crowding", "Crowded out", 1.0, "How much other plants keep it out."),
        P.metres(
            "clump",
            "Clump size",
            90,
            "Size of the clumps that it stands in.",
            (0.5, 20_000),
            (5, 600),
            0,
            log=True,
            scales=True,
        ),
        P.fraction("clumping", "Clumping", 0.85, "How much it stands in clumps rather than everywhere."),
        P.number(
            "plants",
            "Plants a hectare",
            350,
            "Where it is happiest; white in the second output.",
            (0.01, 1e6),
            (5, 4000),
            0,
            log=True,
        ),
        P.metres("crown", "Crown", 8, "Width of one plant seen from above.", (0.01, 200), (0.2, 20), 1),
        P.seed(),
    ),
    footprint=lambda p, site: Footprint(halo=OVER * site.long_side / 4096 / 2),
    figure="{plants} a ha",
    keywords=("vegetation", "forest", "trees", "grass", "scrub", "moss", "ecology", "habitat", "growth", "scatter"),
    starting_points=(
        ("Wood on deep soil", {"plants": 350, "crown": 7}),
        ("Scrub along water", {"wet_low": 0.6, "plants": 900, "crown": 3, "clump": 40}),
        ("High turf", {"low": 300, "high": 900, "slope_high": 35, "plants": 8000, "crown": 0.8, "clumping": 0.3}),
    ),
)
def plant_cover(ctx: Context) -> Arrays:
    """The product of its likings, each 1 within a range and fading out beside it, less what other plants take; clumped
    by octave noise. Its plants stand at random, so their crowns cover 1 - exp(-number · crown area) of the ground (the
    Boolean model: Stoyan, Kendall and Mecke 1987)."""
    p, h = ctx.p, ctx.input("height")
    slope = slope_degrees(h, ctx.dx, OVER * ctx.site.long_side / 4096, ctx.stop, ctx.window)
    happy = band(h, min(p.low, p.high), max(p.low, p.high), p.height_falloff)
    happy *= band(slope, min(p.slope_low, p.slope_high), max(p.slope_low, p.slope_high), p.slope_falloff)
    for name in LIKED:
        liked = ctx.input(name)
        if liked is not None:
            low, high = sorted((ctx.p.values[f"{name}_low"], ctx.p.values[f"{name}_high"]))
            happy *= band(np.ascontiguousarray(liked), low, high, p.falloff)
    ctx.check()
    noise = fractal(
        ctx.window, (0.0, ctx.site.depth), ctx.dx, p.clump, 4, gain=0.5, seed=ctx.seed, stop=ctx.stop, fine=UNFADED
    )
    crowd = ctx.input("crowd")
    crown = np.float32(p.plants / 10_000 * np.pi * (p.crown / 2) ** 2)

    def stands(happy: np.ndarray, noise: np.ndarray, crowd: np.ndarray) -> np.ndarray:
        clumps = np.clip(happy - np.float32(0.5) + np.float32(3.5) * noise, 0, 1)
        return np.clip(happy * (1 - p.clumping + p.clumping * clumps) * (1 - p.crowding * crowd), 0, 1)

    none = np.zeros((1, 1), np.float32)
    density = banded(ctx, stands, happy, noise, none if crowd is None else crowd)
    return {"mask": banded(ctx, lambda d: 1 - np.exp(-crown * d), density), "density": density}
