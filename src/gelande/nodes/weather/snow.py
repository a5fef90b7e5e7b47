"""Snow: where it falls, slides, melts and drifts."""

from __future__ import annotations

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import FINER, Footprint
from gelande.core.recipe.node import height_in, height_out, mask_in, mask_out, node
from gelande.core.recipe.site import GLOBAL_LEVEL
from gelande.kernels.loose import settle_loose
from gelande.kernels.measure import gaussian, gradient, slope_degrees
from gelande.kernels.shapes import smoothstep
from gelande.kernels.sun import sunshine
from gelande.kernels.transfer import sample
from gelande.nodes.shared import banded, wander

#: The sun's path: turns from its direction, and the share of its height at which it stands then.
PATH = ((-65, 0.35), (-30, 0.8), (0, 1.0), (30, 0.8), (65, 0.35))
SLIDES = 24
#: Degrees on either side of the slide angle over which ground ceases to hold snow.
SLACK = 4.0


@node(
    "snow",
    "Snow",
    "Weather",
    "Lays snow on high and shaded ground; it slides off steep faces, melts in the sun and drifts into the lee.",
    inputs=(height_in(), mask_in("fall_map", "Snowfall", True, "Where it snows: white in full, black not at all.")),
    outputs=(height_out("height", "Height with snow"), mask_out("snow", "Snow"), mask_out("depth", "Snow depth")),
    params=(
        P.metres(
            "snow_line",
            "Snow line",
            300,
            "Height above which snow lies on level, half-shaded ground.",
            (-100_000, 100_000),
            (-100, 1500),
            0,
            scales=True,
        ),
        P.metres(
            "transition", "Transition", 90, "Height over which snow comes in.", (0, 5000), (5, 500), 0, scales=True
        ),
        P.metres(
            "fall",
            "Fall",
            2.2,
            "Depth of snow on level ground far above the snow line.",
            (0, 500),
            (0, 12),
            1,
            scales=True,
        ),
        P.degrees("slide_angle", "Slide angle", 42, "Steeper snow slides and gathers below.", (10, 80), (25, 60)),
        P.fraction("melt", "Sun melt", 0.6, "How much of the snow the sun takes where it stands full on the ground."),
        P.degrees(
            "sun", "Sun from", 190, "Direction of the sun when it stands highest, clockwise from north.", (0, 360)
        ),
        P.degrees("sun_height", "Sun height", 32, "Its greatest height above the horizon.", (2, 90), (5, 80)),
        P.fraction("drift", "Drift", 0.5, "How much snow the wind carries from crests into the lee and into hollows."),
        P.degrees("wind", "Wind towards", 60, "Where the wind blows to, clockwise from north.", (0, 360)),
        P.metres(
            "white_depth",
            "White at depth",
            4,
            "Depth at which the depth mask is white.",
            (0.01, 500),
            (0.5, 20),
            1,
            scales=True,
        ),
        P.seed(),
    ),
    base="height",
    version=3,
    footprint=lambda p, site: Footprint(halo=site.spacing(GLOBAL_LEVEL), own=FINER),
    figure="from {snow_line}",
    keywords=("winter", "ice", "white", "drift", "melt", "avalanche"),
    starting_points=(
        ("Deep winter", {"snow_line": 100, "fall": 3.5, "melt": 0.35}),
        ("Lingering patches", {"snow_line": 330, "fall": 1.6, "melt": 0.95, "drift": 0.9}),
        ("First dusting", {"fall": 0.4, "melt": 0.5}),
    ),
)
def snow(ctx: Context) -> Arrays:
    """Depth = fall · height · (1 - melt · sun) · shelter, less what slides. Sun: cosine of its angle to the slope,
    with cast shadows, over five places of its path. Shelter: how much higher the ground lies to windward, and
    hollows (after Winstral and Marks 2002). Slides: a loose layer that stands at most at the slide angle. Worked
    out at up to 513 samples; finer levels lay the same snow, so its edge is the same everywhere. None stays on ground
    that is some degrees steeper than the slide angle."""
    p, h = ctx.p, ctx.input("height")
    if ctx.level <= GLOBAL_LEVEL:
        fraction, slid = _fractions(ctx, h)
    else:
        before = ctx.own(ctx.level - 1)
        fraction, slid = ctx.raised(before["_share"], smooth=False), ctx.raised(before["_slid"])
    ctx.check()
    fall_map = ctx.input("fall_map")
    fall_map = np.ones((1, 1), np.float32) if fall_map is None else fall_map
    patchy = wander(ctx, ctx.site.long_side / 24, 5, ctx.seed)
    band = np.float32(max(p.transition, 1e-3))

    steep = slope_degrees(h, ctx.dx, 2 * ctx.site.spacing(GLOBAL_LEVEL), ctx.stop, ctx.window)
    if ctx.level > GLOBAL_LEVEL:  # crags that a coarser level does not show hold none either
        crags = slope_degrees(h, ctx.dx, 2 * ctx.dx, ctx.stop, ctx.window)
        steep = np.maximum(steep, crags, out=steep)

    def lay(
        h: np.ndarray,
        fraction: np.ndarray,
        slid: np.ndarray,
        fall_map: np.ndarray,
        patchy: np.ndarray,
        steep: np.ndarray,
    ) -> np.ndarray:
        holds = 1 - smoothstep((steep - np.float32(p.slide_angle - SLACK)) / np.float32(2 * SLACK))
        high = smoothstep((h - np.float32(p.snow_line) + band * (np.float32(0.5) + 0.35 * patchy)) / band)
        return np.maximum(np.float32(p.fall) * high * fraction * fall_map + slid, 0) * holds

    depth = banded(ctx, lay, h, fraction, slid, fall_map, patchy, steep)
    film = np.float32(max(0.04 * ctx.site.long_side / 4096, 0.12 * p.fall))
    return {
        "height": h + depth,
        "snow": banded(ctx, lambda d: smoothstep(d / film), depth),
        "depth": banded(ctx, lambda d: np.clip(d / np.float32(p.white_depth), 0, 1), depth),
        "_share": fraction,
        "_slid": slid,
    }


def _fractions(ctx: Context, h: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """(share of the fall that lies, depth that slides added, metres) on a mapped level."""
    p, dx = ctx.p, ctx.dx
    # The land without what is finer than the coarsest preview can show: light and wind then agree from level to level.
    smooth = gaussian(h, 0.75 * ctx.site.spacing(2) / dx, ctx.stop)
    south, east = gradient(smooth, dx, ctx.stop)
    path = [((p.sun + turn) % 360, max(2.0, p.sun_height * low), 1.0) for turn, low in PATH]
    bright = sunshine(smooth, south, east, dx, path, ctx.stop)
    melted = np.clip(1 - np.float32(1.5 * p.melt) * bright, 0, 1)
    fraction = melted * _shelter(ctx, smooth)
    slope = np.degrees(np.arctan(np.hypot(south, east)))
    stays = 1 - smoothstep((slope - np.float32(p.slide_angle - 6)) / np.float32(12))
    # What does not stay on a face moves down it as a loose layer; what it leaves behind counts below zero there.
    lies = (
        np.float32(p.fall)
        * fraction
        * smoothstep((h - np.float32(p.snow_line)) / np.float32(max(p.transition, 1e-3)) + np.float32(0.5))
    )
    loose = np.ascontiguousarray(lies * (1 - stays), np.float32)
    moved = settle_loose(
        np.ascontiguousarray(smooth),
        loose,
        float(np.tan(np.radians(max(5.0, p.slide_angle - 8)))),
        dx,
        SLIDES,
        ctx.stop,
    )
    return fraction.astype(np.float32), (moved - loose).astype(np.float32)


def _shelter(ctx: Context, smooth: np.ndarray) -> np.ndarray:
    """About 1: less on wind-swept crests, more in the lee and in hollows."""
    p, dx = ctx.p, ctx.dx
    if p.drift <= 0:
        return np.ones_like(smooth)
    a = np.radians(p.wind)
    rows, columns = smooth.shape
    r, c = np.mgrid[0:rows, 0:columns].astype(np.float32)
    lee = np.zeros_like(smooth)
    for far in (60.0, 140.0, 280.0):
        far *= ctx.site.long_side / 4096
        r2, c2 = (
            np.clip(r + np.float32(np.cos(a) * far / dx), 0, rows - 1),
            np.clip(c - np.float32(np.sin(a) * far / dx), 0, columns - 1),
        )
        lee += (sample(smooth, r2, c2, ctx.stop) - smooth) / np.float32(far) / 3
    reach = ctx.site.long_side / 4096
    hollow = (gaussian(smooth, 40 * reach / dx, ctx.stop) - smooth) / np.float32(25 * reach)
    return np.clip(
        1
        + np.float32(p.drift) * (np.float32(2.2) * np.clip(lee, -0.6, 0.6) + np.float32(0.8) * np.clip(hollow, -1, 1)),
        0,
        3,
    )
