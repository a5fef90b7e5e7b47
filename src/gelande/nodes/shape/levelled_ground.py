"""Levelled ground: drawn areas made level, with banks."""

import math

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import GLOBAL_ONLY, Footprint
from gelande.core.recipe.node import height_in, height_out, mask_out, node
from gelande.core.recipe.site import GLOBAL_LEVEL
from gelande.kernels.earthworks import levelled
from gelande.kernels.outlines import signed_distance
from gelande.kernels.shapes import closed_curve
from gelande.kernels.transfer import sample_all

MEAN, SET = "mean_of_its_ground", "given_height"
#: Places along and across an area at which its ground is looked at.
PLACES = 48
PIECE = (
    P.toggle("curved", "Curved", False, "A smooth line through the points; off: straight lines.", tool=True),
    P.choice("by", "Height", MEAN, (MEAN, SET), "How high the levelled ground lies.", tool=True),
    P.metres(
        "level", "Given height", 150, "Height of the levelled ground.", (-100_000, 100_000), (-200, 1500), 1,
        scales=True, shown_when=("by", (SET,)), tool=True,
    ),
    P.metres(
        "raised", "Raised by", 0, "Metres over that height, or below it.", (-10_000, 10_000), (-20, 20), 1,
        scales=True, tool=True,
    ),
)  # fmt: skip


@node(
    "levelled_ground",
    "Levelled ground",
    "Shape",
    "Makes drawn areas level for building, with cut and filled banks around.",
    inputs=(height_in(),),
    outputs=(height_out(), mask_out("area", "Levelled"), mask_out("banks", "Banks")),
    params=(
        P.outlines("outlines", "Outlines", PIECE, "Areas that are made level; each has its own height."),
        *PIECE,
        P.degrees("cut", "Cut banks", 50, "Slope of banks that are cut into the ground.", (5, 85), (20, 80)),
        P.degrees("fill", "Filled banks", 33, "Slope of banks that are heaped up.", (5, 60), (20, 45)),
        P.metres(
            "size", "Size", 260, "Side of the square that is levelled while no outline is drawn.", (0.1, 200_000),
            (20, 1000), 0, scales=True, shown_when=("outlines", ((),)),
        ),
        P.fraction(
            "east", "East", 0.5, "Middle of that square from west to east.", (-1.0, 2.0), (0.0, 1.0),
            shown_when=("outlines", ((),)),
        ),
        P.fraction(
            "north", "North", 0.5, "Middle of that square from south to north.", (-1.0, 2.0), (0.0, 1.0),
            shown_when=("outlines", ((),)),
        ),
    ),
    base="height",
    reshapes="It makes land level where it is drawn.",
    footprint=Footprint(asks=lambda level: ("height",), own=GLOBAL_ONLY, ranged=("height",)),
    figure="{outlines}",
    earthworks=True,
    keywords=("pad", "building", "platform", "flat", "foundation", "site", "terrace", "cut and fill", "village"),
    starting_points=(
        ("Steep banks", {"cut": 70, "fill": 45}),
        ("Soft banks", {"cut": 18, "fill": 14}),
    ),
)  # fmt: skip
def levelled_ground(ctx: Context) -> Arrays:
    """The ground is held between a plane's banks: no lower than a fill slope from the area's edge allows, no higher
    than a cut slope does. The mean of an area's ground is taken at 513 samples at most; finer levels take the same."""
    p, h = ctx.p, ctx.input("height")
    areas = _areas(ctx)
    levels = _levels(ctx, areas, h) if ctx.level <= GLOBAL_LEVEL else ctx.own(GLOBAL_LEVEL)["_levels"]
    banks = math.tan(math.radians(p.cut)), math.tan(math.radians(p.fill))
    low, high = ctx.range("height")
    out, area = h, np.zeros_like(h)
    for (points, *_), level in zip(areas, levels):
        ctx.check()
        # an earlier area may stand above or below all ground that there was
        low, high = min(low, float(level)), max(high, float(level))
        reach = max((high - level) / banks[0], (level - low) / banks[1], 0.0) + 2 * ctx.dx
        inside = signed_distance(points, reach, ctx.window, ctx.site.depth, ctx.dx, ctx.stop)
        out = levelled(out, inside, float(level), banks)
        area = np.maximum(area, np.clip(inside / np.float32(ctx.dx) + np.float32(0.5), 0, 1))
    moved = out - h
    banked = np.clip(np.abs(moved) / np.float32(0.02 + 1e-4 * (high - low)), 0, 1) * (1 - area)
    return {"height": out, "area": area, "banks": banked, "_levels": np.asarray(levels, np.float64), "_earth": moved}


def _areas(ctx: Context) -> list[tuple]:
    """(points, how its height is found, given height, raised by) of each area."""
    p, found = ctx.p, []
    for curved, by, level, raised, points in p.outlines:
        if len(points) > 2:
            found.append((np.asarray(closed_curve(points) if curved else points, float), by, level, raised))
    if not p.outlines:
        east, north, half = p.east * ctx.site.width, p.north * ctx.site.depth, p.size / 2
        square = [(east + a * half, north + b * half) for a, b in ((-1, -1), (1, -1), (1, 1), (-1, 1))]
        found.append((np.array(square), MEAN, 0.0, 0.0))
    return found


def _levels(ctx: Context, areas: list[tuple], h: np.ndarray) -> list[float]:
    """Height of each area, metres."""
    found, ground = [], np.ascontiguousarray(h, np.float32)
    for points, by, level, raised in areas:
        if by == MEAN:
            (west, south), (east, north) = points.min(axis=0), points.max(axis=0)
            x, y = np.meshgrid(np.linspace(west, east, PLACES), np.linspace(south, north, PLACES))
            within = _within(points, x.ravel(), y.ravel())
            if not within.any():
                within[:] = True
            rows = np.clip((ctx.site.depth - y.ravel()[within]) / ctx.dx, 0, h.shape[0] - 1)
            columns = np.clip(x.ravel()[within] / ctx.dx, 0, h.shape[1] - 1)
            level = float(sample_all((ground,), rows[None], columns[None], ctx.stop)[0, 0].mean(dtype=np.float64))
        found.append(level + raised)
    return found


def _within(points: np.ndarray, x: np.ndarray, y: np.ndarray) -> np.ndarray:
    """Which places lie within an outline, by the even-odd rule."""
    inside = np.zeros(len(x), bool)
    for (x0, y0), (x1, y1) in zip(points, np.roll(points, -1, axis=0)):
        crosses = (y0 <= y) != (y1 <= y)
        if y1 != y0:
            inside ^= crosses & (x < x0 + (y - y0) * (x1 - x0) / (y1 - y0))
    return inside
