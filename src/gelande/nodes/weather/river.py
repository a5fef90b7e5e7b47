"""River: one that wanders over a plain of its own."""

import math
from typing import NamedTuple

import numpy as np
from scipy.ndimage import gaussian_filter1d, uniform_filter1d

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import EACH, Footprint
from gelande.core.recipe.node import height_in, height_out, mask_out, node
from gelande.core.recipe.param.base import Values
from gelande.core.recipe.site import COARSEST, GLOBAL_LEVEL
from gelande.kernels.meanders import Meanders, length, meander
from gelande.kernels.river import beside, hollows, lowest_way
from gelande.kernels.shapes import curve_through, smoothstep, to_line
from gelande.kernels.transfer import sample_all
from gelande.kernels.water import DRY
from gelande.nodes.shared import several, wander

#: Where it leaves the site.
EASIEST, SIDES = "the_easiest_side", ("north", "east", "south", "west")
#: Points of the valley's middle line.
POINTS = 240
#: Places across the plain, as shares of its half width, the lowest of which says how high it lies.
LANES = (-0.8, -0.4, 0.0, 0.4, 0.8)
#: Share of half the plain that the river keeps to, and widths of its own at least.
BELT, LEAST_BELT = 0.72, 2.0
#: How far the plain's edge swings in and out, as a share of half its width.
SWINGS = 0.28
#: How far terraces lie apart, as a share of half the plain.
TERRACE = 0.42
#: Metres above its foot from which ground is a hill, and how much narrower the plain is beside it, as shares of half
#: the plain.
HILL, NARROWS = 0.25, 0.2
#: Places from the middle outwards at which the land is looked at for a rise, and the farthest as a multiple of half the
#: plain.
OUTWARDS, FARTHEST = 24, 4.0
#: Where sides become steeper than is asked, as a share of half the plain.
FAR = 0.4
#: How much it fills low ground before a rise at most, as a multiple of its depth.
FILLS = 2.0
#: Degrees of the banks between terraces at most, which are loose ground.
STEEPEST = 16.0
#: Bends cut off to ten widths of the valley, where all old channels are wanted.
BENDS = 1.0
#: Widths of the river from its line at which nothing of it is told any more.
REACH = 6.0
#: How deep old banks lie in the plain, and how deep the youngest and the oldest cut-off bend, as shares of the river.
SWALE, YOUNG, OLD = 0.16, 0.8, 0.1
#: Widths of the river over which an old bend's ends have silted up, about.
PLUG = 2.3


class _Laid(NamedTuple):
    """A river that has been laid on a land, metres: the valley's middle line (n, 2), the plain's height at its points
    (n,) and how far to its right and left low ground is filled (n, 2); the river's line (m, 4) of east, north, the
    brim's height and how sharply it turns left, as a share of its width; lines of old bends and banks, and (lines, 3)
    of what kernels.river.hollows takes."""

    middle: np.ndarray
    plain: np.ndarray
    fills: np.ndarray
    line: np.ndarray
    old: list[np.ndarray]
    kinds: np.ndarray


@node(
    "river",
    "River",
    "Weather",
    "Lays a river that winds over a plain of its own, with old channels, bars, levees and terraces.",
    inputs=(height_in(),),
    outputs=(
        height_out(),
        mask_out("water", "Water"),
        mask_out("depth", "Water depth"),
        mask_out("plain", "Plain"),
        mask_out("old", "Old channels"),
        mask_out("bars", "Bars"),
        mask_out("levees", "Levees"),
    ),
    params=(
        P.line(
            "line",
            "Line",
            "The middle of the valley, drawn downstream; when none is drawn, it takes the lowest way across the site.",
        ),
        P.metres("width", "Width", 45, "Of the river, from brim to brim.", (0.1, 20_000), (4, 200), 0, scales=True),
        P.metres("deep", "Depth", 4, "Of the bed below the brim.", (0.05, 2000), (0.5, 30), 1, scales=True),
        P.fraction("filled", "Water", 0.75, "How full of water the river is."),
        P.number(
            "wound", "Winding", 1.75, "How many times as long as its valley the river is.", (1.0, 2.6), (1.0, 2.4), 2
        ),
        P.fraction("old", "Old channels", 0.5, "How many of its bends it has cut off and left behind."),
        P.metres(
            "plain",
            "Plain",
            600,
            "Width of the ground that the river has made level.",
            (0, 200_000),
            (50, 3000),
            0,
            scales=True,
        ),
        P.metres(
            "sunk",
            "Plain below the land",
            8,
            "How far the plain lies below the lowest ground along it.",
            (-1000, 5000),
            (-20, 100),
            0,
            scales=True,
        ),
        P.degrees(
            "sides", "Valley sides", 34, "Slope of the ground that is cut back beside the plain.", (2, 80), (8, 60)
        ),
        P.count("terraces", "Terraces", 2, "Older plains that the river has left beside it.", (0, 8), (0, 4)),
        P.metres(
            "riser",
            "Terrace height",
            5,
            "From one terrace up to the next.",
            (0.05, 1000),
            (1, 30),
            1,
            scales=True,
            shown_when=("terraces", tuple(range(1, 9))),
        ),
        P.metres(
            "levee",
            "Levees",
            0.8,
            "Height of the banks that floods lay beside the river.",
            (0, 200),
            (0, 5),
            1,
            scales=True,
        ),
        P.choice(
            "leaves",
            "Leaves by",
            EASIEST,
            ((EASIEST, "Easiest side"), *SIDES),
            "Side of the site that it runs to, when no line is drawn.",
            shown_when=("line", ((),)),
        ),
        P.fraction(
            "offset",
            "Aside",
            0.0,
            "Moves it off the middle, as far as low ground allows.",
            (-2.0, 2.0),
            (-1.0, 1.0),
            shown_when=("line", ((),)),
        ),
        P.seed(),
    ),
    base="height",
    reshapes="It levels a plain along the river and cuts the land beside it back.",
    footprint=Footprint(
        asks=lambda level: ("height",),
        own=EACH,
    ),
    water=True,
    version=3,
    figure="{width} · {plain}",
    keywords=("meander", "flood plain", "oxbow", "cut-off", "levee", "point bar", "terrace", "alluvial", "valley"),
    starting_points=(
        ("Lowland river", {"wound": 2.1, "plain": 1600, "old": 0.9, "sides": 14}),
        ("River between terraces", {"terraces": 4, "riser": 9, "sunk": 30, "wound": 1.5, "old": 0.3}),
        ("Beck in a meadow", {"width": 6, "deep": 1.2, "plain": 160, "levee": 0.2, "riser": 1.5, "sunk": 2}),
        ("Dry bed", {"filled": 0.0, "width": 70, "deep": 3, "wound": 1.25, "levee": 0.3}),
    ),
)
def river(ctx: Context) -> Arrays:
    """The river's line is worn from a nearly straight one: each bank recedes by how sharply the river bends there and
    above (Howard and Knutson 1984); bends that come too near to themselves are cut off. The plain falls with the
    lowest ground along it, never up; the valley's line is found at 129 samples, its height at 513 at most."""
    p = ctx.p
    if ctx.level > COARSEST:
        before = ctx.own(ctx.level - 1)
        laid = _unpacked(before) if ctx.level > GLOBAL_LEVEL else _laid(ctx, before["_middle"][:, :2])
    else:
        laid = _laid(ctx, _middle(ctx))
    ground, on = _plain(ctx, laid)
    side, where = beside(laid.line, REACH * p.width, ctx.window, ctx.site.depth, ctx.dx, ctx.stop)
    deep, level = hollows(laid.old, laid.kinds, ctx.window, ctx.site.depth, ctx.dx, ctx.stop)
    rough = wander(ctx, 2.5 * p.width, 3, ctx.seed + 11)
    stacked = (ground, on, side, where, deep, level, rough)
    names = ("height", "water", "depth", "plain", "old", "bars", "levees", "_surface")
    made = several(ctx, len(names), lambda *of: _composed(p, ctx.dx, laid.line, *of), *stacked)
    return dict(zip(names, made)) | _packed(laid)


def _packed(laid: _Laid) -> Arrays:
    starts = np.cumsum([0, *(len(one) for one in laid.old)])
    old = np.concatenate([*laid.old, np.zeros((1, 2))])
    return {
        "_middle": np.column_stack([laid.middle, laid.plain, laid.fills]),
        "_line": laid.line,
        "_old": old,
        "_starts": starts,
        "_kinds": laid.kinds,
    }


def _unpacked(a: Arrays) -> _Laid:
    starts = a["_starts"]
    old = [a["_old"][i:j] for i, j in zip(starts[:-1], starts[1:])]
    middle = a["_middle"]
    return _Laid(middle[:, :2], middle[:, 2], middle[:, 3:], a["_line"], old, a["_kinds"])


def _middle(ctx: Context) -> np.ndarray:
    """The middle line of the valley, (POINTS, 2) metres at even distances; from beyond the site to beyond it, where it
    comes near to the site's edge."""
    p, site = ctx.p, ctx.site
    if len(p.line) > 1:
        line = curve_through(p.line)
    else:
        # to the east where all are the same
        sides = (1, 2, 3, 0) if p.leaves == EASIEST else (SIDES.index(p.leaves),)
        line = lowest_way(ctx.input("height"), sides, ctx.dx, p.offset, _half(p), ctx.stop)
    ahead = 0.75 * p.plain + 30 * p.width
    smooth = 0.0 if len(p.line) > 1 else max(0.9 * p.plain, 8 * p.width, site.long_side / 16)
    smooth = min(smooth, length(line) / 5)
    line = _evenly(line, 4 * POINTS)
    step = length(line) / (len(line) - 1)
    runs = min(len(line) - 1, max(1, round(smooth / max(step, 1e-9))))
    if smooth > 0:
        # beyond its ends it goes on as it began, so that they stay where they are
        n = 4 * runs
        before = line[0] + (line[0] - line[runs]) / runs * np.arange(n, 0, -1)[:, None]
        after = line[-1] + (line[-1] - line[-1 - runs]) / runs * np.arange(1, n + 1)[:, None]
        line = gaussian_filter1d(np.concatenate([before, line, after]), runs, axis=0)[n:-n]
    edge = 0.06 * site.long_side
    for end in (0, -1):
        x, y = line[end]
        if min(x, y, site.width - x, site.depth - y) < edge:
            inner = line[min(runs, len(line) - 1)] if end == 0 else line[max(-1 - runs, -len(line))]
            away = (line[end] - inner) / max(float(np.hypot(*(line[end] - inner))), 1e-9)
            new = line[end] + away * (edge + ahead)
            line = np.concatenate([new[None], line]) if end == 0 else np.concatenate([line, new[None]])
    return _evenly(line, POINTS)


def _evenly(line: np.ndarray, count: int) -> np.ndarray:
    at = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(line, axis=0).T))])
    even = np.linspace(0, at[-1], count)
    return np.stack([np.interp(even, at, line[:, k]) for k in (0, 1)], 1)


def _laid(ctx: Context, middle: np.ndarray) -> _Laid:
    """The river on a land, around the middle line of its valley."""
    p, reach = ctx.p, length(middle)
    plain = _heights(ctx, middle)
    belt = max(BELT * p.plain / 2 - 0.5 * p.width, LEAST_BELT * p.width)
    worn = _within(meander(reach, p.width, p.wound, belt, BENDS * p.old, ctx.seed, ctx.stop), reach)
    at = np.linspace(0, reach, len(middle))

    def brim(along: np.ndarray) -> np.ndarray:
        return np.interp(along, at, plain)

    along = worn.line[:, 0]
    steps = np.hypot(*np.diff(worn.line, axis=0).T)
    apart = float(steps.mean())
    # water never climbs where a bend turns back up the valley
    falls = np.minimum.accumulate(brim(along))
    falls = uniform_filter1d(falls, max(1, round(8 * p.width / apart)), mode="nearest")
    heading = np.unwrap(np.arctan2(*np.gradient(worn.line, axis=0).T[::-1]))
    turn = gaussian_filter1d(np.gradient(heading) / apart * p.width, 2.0)
    line = np.column_stack([_mapped(middle, worn.line), falls, turn])
    old, kinds = _old(ctx.p, middle, worn, brim)
    return _Laid(middle, plain, _fills(ctx, middle, plain), line, old, kinds)


def _within(worn: Meanders, reach: float) -> Meanders:
    """A river between the ends of its valley."""

    def on(line: np.ndarray) -> np.ndarray:
        found = np.flatnonzero((line[:, 0] >= 0) & (line[:, 0] <= reach))
        return line[found[0] : found[-1] + 1]

    loops = [(loop, age) for loop, age in worn.loops if loop[:, 0].min() >= 0 and loop[:, 0].max() <= reach]
    return Meanders(on(worn.line), loops, [(on(bank), age) for bank, age in worn.banks])


def _old(p: Values, middle: np.ndarray, worn: Meanders, brim) -> tuple[list[np.ndarray], np.ndarray]:
    """Lines of old bends and banks on the site, and what they left."""
    lines, kinds = [], []
    for loop, age in worn.loops:
        # its ends silt up first: only a young one still comes near to the river
        ends = (PLUG * (0.6 + age)) * p.width
        along = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(loop, axis=0).T))])
        kept = loop[(along > ends) & (along < along[-1] - ends)]
        if len(kept) < 3:
            continue
        lines.append(_mapped(middle, kept))
        most = p.deep * (YOUNG + (OLD - YOUNG) * age**0.6)
        level = float(brim(loop[:, 0]).min()) - (1 - p.filled) * p.deep
        kinds.append((0.62 * p.width, most, level if p.filled > 0 else DRY))
    for bank, age in worn.banks:
        lines.append(_mapped(middle, bank))
        kinds.append((0.3 * p.width, SWALE * p.deep * max(0.0, 1 - age), DRY))
    return lines, np.array(kinds, np.float64).reshape(-1, 3)


def _ahead(middle: np.ndarray) -> np.ndarray:
    """Unit directions downstream at the points of the middle line, (n, 2)."""
    ahead = np.gradient(middle, axis=0)
    ahead /= np.maximum(np.hypot(*ahead.T), 1e-9)[:, None]
    return ahead


def _mapped(middle: np.ndarray, line: np.ndarray) -> np.ndarray:
    """A line along and beside a valley, on the site: (n, 2) east and north."""
    reach = length(middle)
    at = np.linspace(0, reach, len(middle))
    ahead = _ahead(middle)
    s = np.clip(line[:, 0], 0, reach)
    places = np.stack([np.interp(s, at, middle[:, k]) for k in (0, 1)], 1)
    towards = np.stack([np.interp(s, at, ahead[:, k]) for k in (0, 1)], 1)
    beyond = (line[:, 0] - s)[:, None]
    left = np.stack([-towards[:, 1], towards[:, 0]], 1)
    return places + towards * beyond + left * line[:, 1:2]


def _half(p: Values) -> float:
    """Metres from the middle of the plain to its edge."""
    return max(0.5 * p.plain, 1.5 * p.width)


def _heights(ctx: Context, middle: np.ndarray) -> np.ndarray:
    """Height of the plain along the middle line: nowhere rising downstream."""
    from scipy.optimize import isotonic_regression  # a third of a second that no start should wait for

    p = ctx.p
    low = _across(ctx, middle, np.array(LANES) * _half(p)).min(axis=0)
    # over a rise it has cut down rather than filled what lies before it
    low = np.minimum.accumulate(np.minimum(isotonic_regression(low, increasing=False).x, low + FILLS * p.deep))
    wide = max(1, round(max(p.plain, 20 * p.width) / max(length(middle) / (len(middle) - 1), 1e-9)))
    return uniform_filter1d(uniform_filter1d(low, wide, mode="nearest"), wide, mode="nearest") - p.sunk


def _across(ctx: Context, middle: np.ndarray, aside: np.ndarray) -> np.ndarray:
    """Height of the land at distances to the left of the middle line's points, metres; (distances, points)."""
    h, ahead = ctx.input("height"), _ahead(middle)
    left = np.stack([-ahead[:, 1], ahead[:, 0]], 1)
    places = middle[None] + aside[:, None, None] * left[None]
    rows = np.clip((ctx.site.depth - places[..., 1]) / ctx.dx, 0, h.shape[0] - 1)
    columns = np.clip(places[..., 0] / ctx.dx, 0, h.shape[1] - 1)
    return sample_all((np.ascontiguousarray(h, np.float32),), rows, columns, ctx.stop)[0].astype(np.float64)


def _fills(ctx: Context, middle: np.ndarray, plain: np.ndarray) -> np.ndarray:
    """Metres to the right and to the left of the middle line's points up to which the river fills low ground, (n, 2):
    as far as the first hill, behind which no water of it has ever stood."""
    half, sides = _half(ctx.p), []
    aside = np.linspace(0, FARTHEST * half, OUTWARDS)
    for side in (-1, 1):
        hill = _across(ctx, middle, side * aside) > plain + HILL * half
        hill[-1] = True
        sides.append(aside[hill.argmax(axis=0)])
    return np.stack(sides, 1)


def _plain(ctx: Context, laid: _Laid) -> tuple[np.ndarray, np.ndarray]:
    """The land with the plain and its terraces, metres, and where the plain is, 0 to 1."""
    p, h = ctx.p, ctx.input("height")
    away, place = to_line(laid.middle, ctx.window, ctx.site.depth, ctx.dx, ctx.stop)
    half = _half(p)
    size = max(1.2 * half, 4 * ctx.site.spacing(GLOBAL_LEVEL))
    swings, others = (wander(ctx, size * k, 4, ctx.seed + n, 0.35, moves=True) for k, n in ((1, 3), (0.7, 5)))
    rough = wander(ctx, 0.5 * size, 7, ctx.seed + 7, moves=True)  # sides that the river has not made even
    slope = math.tan(math.radians(p.sides))
    riser = min(p.riser / math.tan(math.radians(min(p.sides, STEEPEST))), 0.2 * half)
    at, foot = np.linspace(0, 1, len(laid.plain)), p.terraces * p.riser + max(p.sunk, 0) + p.deep
    aside, _ = beside(laid.middle, (FARTHEST + 1) * half, ctx.window, ctx.site.depth, ctx.dx, ctx.stop)

    def one(
        h: np.ndarray, away: np.ndarray, place: np.ndarray, aside: np.ndarray, *noise: np.ndarray
    ) -> tuple[np.ndarray, ...]:
        level = np.interp(place, at, laid.plain).astype(np.float32)
        # where hills stand the river has cleared less of them away, and there is no old plain before their foot
        hill = smoothstep((h - level - np.float32(foot)) / np.float32(HILL * half))
        # metres from the plain's edge
        out = away - np.float32(half) * (1 + np.float32(SWINGS) * noise[0] - np.float32(NARROWS) * hill)
        top, beyond = level, out
        for k in range(p.terraces):
            top = top + np.float32(p.riser) * smoothstep(beyond / np.float32(riser))
            # older plains had banks of their own: in places the younger one has cut them away
            side = np.float32(0.5 if k % 4 < 2 else -0.5) * noise[1 - k % 2]
            beyond = np.minimum(beyond, out - np.float32(half) * (np.float32(TERRACE * (k + 1)) + side))
        top, beyond = level + (top - level) * (1 - hill), beyond + (out - beyond) * hill
        top = top + np.maximum(beyond, 0) * np.float32(slope) * (1 + np.float32(0.5) * noise[2])
        top = top + np.maximum(beyond - np.float32(FAR * half), 0)  # or it would graze the flanks of all hills
        bottom = level - np.maximum(out, 0) * np.float32(0.5)
        ground = np.where(out <= 0, level, np.clip(h, bottom, np.maximum(top, bottom)))
        # low ground behind a hill stays
        far = np.where(aside > 0, np.interp(place, at, laid.fills[:, 1]), np.interp(place, at, laid.fills[:, 0]))
        hidden = smoothstep(((away - far) / (0.25 * half)).astype(np.float32) + np.float32(0.5))
        ground = ground + np.minimum(h - ground, 0) * hidden
        on = smoothstep(-out / np.float32(max(0.06 * half, 1e-6)) + np.float32(0.5))
        return ground, on

    ground, on = several(ctx, 2, one, h, away, place, aside, swings, others, rough)
    return ground, on


def _composed(
    p: Values,
    dx: float,
    line: np.ndarray,
    ground: np.ndarray,
    on: np.ndarray,
    side: np.ndarray,
    where: np.ndarray,
    deep: np.ndarray,
    level: np.ndarray,
    rough: np.ndarray,
) -> tuple[np.ndarray, ...]:
    """Height, masks and water of a band: the plain with what the river did to it. side, where: of kernels.river.beside;
    deep, level: of kernels.river.hollows; rough: noise."""
    f = np.float32
    points, half = np.arange(len(line)), f(0.5 * p.width)
    brim = np.interp(where, points, line[:, 2]).astype(np.float32)
    turn = np.clip(np.interp(where, points, line[:, 3]) * 2.2, -1, 1).astype(np.float32)
    away, inner = np.abs(side), turn * np.sign(side)
    water = brim - f((1 - p.filled) * p.deep)
    # the plain: low swells, what old bends left, and the levees
    plain = ground + f(0.07 * p.deep) * rough * on
    beyond = away - half
    laid = f(p.levee) * np.exp(-np.maximum(beyond, 0) / f(1.3 * p.width)) * (1 - f(0.75) * np.maximum(inner, 0))
    plain = plain - deep * on + laid * on * np.clip(1 - deep / f(0.4 * p.deep), 0, 1)
    # the bed is deepest under the outer bank; the inner one rises slowly, as a bar
    u = np.minimum(away / half, 1)
    bed = water - f(max(p.filled, 0.12) * p.deep) * (1 - u**3) * (1 - f(0.6) * inner * u) / (
        1 + f(0.14) * np.abs(inner)
    )
    wide = half * (f(0.35) + f(1.7) * np.clip(inner, 0, 1))
    t = np.clip(beyond / wide, 0, 1)
    bank = bed + (plain - bed) * np.where(inner > 0, t ** f(0.8), smoothstep(t))
    h = np.where(beyond < 0, np.minimum(bed, plain), np.where(t < 1, bank, plain)).astype(np.float32)
    inside = np.clip(f(0.5) - beyond / f(max(dx, 1e-6)), 0, 1)
    film = f(0.3 * min(p.filled * p.deep, 1.0)) * inside
    wet = (p.filled > 0) & (inside > 0.05)
    runs = np.where(wet, np.maximum(water, h + film), np.where((t < 1) & (water > h) & (p.filled > 0), water, f(DRY)))
    pools = np.where((deep > 0) & (level > h), level, f(DRY))
    surface = np.maximum(runs, pools).astype(np.float32)
    depth = np.clip((np.maximum(np.where(beyond < 0, water, f(DRY)), pools) - h) / f(p.deep), 0, 1)
    told = np.clip(np.where(wet, inside, 0) + np.clip((pools - h) / f(0.05 * p.deep), 0, 1), 0, 1)
    bars = np.clip((t < 1) * (beyond > 0) * np.clip(inner, 0, 1) * 1.6, 0, 1) * (1 - t**4) * (1 - inside)
    old = np.clip(deep / f(0.3 * p.deep), 0, 1) * on * (1 - inside)
    levees = laid / f(max(p.levee, 1e-6)) * on * (beyond > 0)
    return h, told, depth, on, old, bars, levees, surface
