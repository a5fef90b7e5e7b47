"""Baked light: sun, sky and cast shadows laid into a colour."""

from __future__ import annotations

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import FINER, Footprint
from gelande.core.recipe.node import colour_in, colour_out, height_in, mask_out, node
from gelande.core.recipe.site import GLOBAL_LEVEL
from gelande.kernels.curves import to_linear
from gelande.kernels.light import sky_view, sunlight
from gelande.kernels.measure import gaussian, gradient
from gelande.kernels.sun import faced
from gelande.nodes.shared import banded, filtered

#: Sunlight and skylight, linear, warm and cool; ground without a colour of its own.
SUN, SKY, BARE = (1.0, 0.93, 0.82), (0.72, 0.86, 1.0), 0.6
#: The radius for the sky is this many times the one that its level is chosen by.
TIMES = 3.0


@node(
    "baked_light",
    "Baked light",
    "Colour",
    "Lays sun, sky, cast shadows and haze into a colour, for pictures and for what lights nothing itself.",
    inputs=(height_in(), colour_in("under", "Colour", True, "Colour to light; bare ground when nothing is linked.")),
    outputs=(colour_out(), mask_out("light", "Light")),
    params=(
        P.degrees("direction", "Sun from", 300, "Where the sun stands, clockwise from north.", (0, 360)),
        P.degrees("elevation", "Sun height", 35, "Above the horizon.", (1, 90), (5, 80)),
        P.fraction("sun", "Sun", 1.0, "Strength of the sunlight.", (0.0, 4.0), (0.0, 2.0)),
        P.fraction("sky", "Sky", 0.45, "Strength of the light from the sky.", (0.0, 4.0), (0.0, 1.0)),
        P.fraction("shadows", "Cast shadows", 1.0, "How dark the shadows of hills are."),
        P.metres(
            "horizon",
            "Sky radius",
            300,
            "How far hills hide the sky.",
            (1, 20_000),
            (120, 1500),
            0,
            log=True,
            scales=True,
        ),
        P.metres(
            "size",
            "Size",
            24,
            "Forms smaller than this are not lit: at 0 all are, and each finer detail shows more of them.",
            (0, 20_000),
            (0, 200),
            0,
            scales=True,
        ),
        P.fraction("haze", "Haze", 0.0, "How much air lies over the lowest ground; 0 is hard light without air."),
        P.colour("air", "Air", (0.72, 0.78, 0.84), "Colour of the haze."),
    ),
    base="under",
    version=2,
    footprint=lambda p, site: Footprint(
        halo=site.long_side / 4096,
        low_passed={"height": (p.horizon / TIMES, *((p.size / 2,) if p.size > 0 else ()))},
        ranged=("height",) if p.haze > 0 else (),
        own=FINER,
    ),
    figure="{direction} · {elevation}",
    keywords=("shade", "hillshade", "shadow", "ambient occlusion", "lighting", "lightmap", "sun", "fog", "atmosphere"),
    starting_points=(
        ("Afternoon", {}),
        ("Hard light, no air", {"sun": 1.5, "sky": 0.1, "elevation": 24}),
        ("Evening haze", {"direction": 270, "elevation": 12, "haze": 0.5, "air": (0.86, 0.74, 0.60)}),
    ),
)
def baked_light(ctx: Context) -> Arrays:
    """Sunlight by the cosine of its angle to the slope, past cast shadows; skylight by the sky view factor (Zakšek,
    Oštir and Kokalj 2011). Shadows are found on levels up to 513 samples; finer ones take them with their own slopes.
    Haze falls with height."""
    p, h = ctx.p, ctx.input("height")
    smooth = h if p.size <= 0 else filtered(ctx, "height", p.size / 2, lambda a, s: gaussian(a, s, ctx.stop))
    south, east = gradient(smooth, ctx.dx, ctx.stop)
    face = faced(south, east, [(p.direction, p.elevation, 1.0)], None, ctx.stop)
    if ctx.level > GLOBAL_LEVEL:
        lit = ctx.raised(ctx.own(ctx.level - 1)["_lit"], smooth=False)
    else:
        lit = sunlight(smooth, ctx.dx, p.direction, p.elevation)
    ctx.check()
    sky = filtered(ctx, "height", p.horizon / TIMES, lambda a, s: sky_view(a, p.horizon / TIMES / s, p.horizon), False)
    sun = banded(ctx, lambda f, s: np.float32(p.sun) * f * (1 - np.float32(p.shadows) * (1 - s)), face, lit)
    under, air = ctx.input("under"), to_linear(np.array(p.air, np.float32))
    low, high = ctx.range("height") if p.haze > 0 else (0.0, 1.0)
    out = np.empty((*ctx.shape, 3), np.float32)
    for k in range(3):
        ctx.check()

        def band(sun: np.ndarray, sky: np.ndarray, h: np.ndarray, ground: np.ndarray, k: int = k) -> np.ndarray:
            light = np.float32(SUN[k]) * sun + np.float32(p.sky * SKY[k]) * sky
            shade = ground * light
            if p.haze > 0:
                deep = np.exp(-3 * np.clip((h - np.float32(low)) / np.float32(max(high - low, 1e-3)), 0, 1))
                shade = shade + np.float32(p.haze) * deep * (air[k] - shade)
            return shade

        ground = np.full((1, 1), BARE, np.float32) if under is None else np.ascontiguousarray(under[..., k])
        out[..., k] = banded(ctx, band, sun, sky, h, ground)
    most = np.float32(max(p.sun + p.sky, 1e-3))
    light = banded(ctx, lambda sun, sky: np.clip((sun + np.float32(p.sky) * sky) / most, 0, 1), sun, sky)
    return {"colour": np.maximum(out, 0), "light": light, "_lit": lit}
