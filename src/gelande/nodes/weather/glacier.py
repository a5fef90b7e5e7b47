"""Glacier: valleys that ice has worn, its moraines, and what is left of it."""

import numpy as np
from scipy.ndimage import gaussian_filter

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import EACH, Footprint
from gelande.core.recipe.node import height_in, height_out, mask_in, mask_out, node
from gelande.core.recipe.param.base import Values
from gelande.core.recipe.site import COARSEST, GLOBAL_LEVEL
from gelande.kernels.distances import to_edge
from gelande.kernels.ice import Glacier, carved, settled
from gelande.kernels.measure import gradient
from gelande.kernels.shapes import smoothstep
from gelande.nodes.shared import banded, several, wander

#: Maps that finer levels take over from the coarser one.
CARRIED = ("_worn", "_thick", "_top", "_left", "_out", "_melts")
#: Ice thinner than this is none, and from how much on it has ground off all that it does, as shares of the usual.
THIN, GRINDS = 0.05, 0.3
#: Slopes from which less snow stays, and none: rise over run.
FACES = (0.7, 1.3)
#: Half width of a moraine, as a multiple of its height.
BROAD = 3.5
#: Height between two crevasses, their depth and half their width, as shares of the usual thickness.
APART, DEEP, WIDE = 0.16, 0.08, 0.035
#: Share of the usual thickness from which ice breaks, and twice from which in full.
CRACKED = 0.3
#: Slopes of the ice between which crevasses begin.
CRACKS = (0.1, 0.3)
#: How many heights around its own tell a snow line, as a share of those on the scarcer side of it: flat tops, on which
#: very many are the same, come to lie above it.
AROUND = 0.4
#: How far above those it lies, as a share of the relief: plains come to lie below it.
ABOVE = 0.03
#: How deep ice cuts at most, as a share of the relief: else it would take low hills away.
DEEPEST = 0.25
#: Relief that counts at most, as a share of the site: on a wall of a land snow is no deeper than on a mountain.
STEEPEST = 0.25


@node(
    "glacier",
    "Glacier",
    "Weather",
    "Wears troughs, cirques and basins with the ice of a colder time, lays moraines, and may leave ice.",
    inputs=(
        height_in(),
        mask_in("snow", "Snow", True, "Where snow falls and stays: white in full, black hardly at all."),
    ),
    outputs=(
        height_out(),
        mask_out("ice", "Ice"),
        mask_out("thickness", "Ice thickness"),
        mask_out("cut", "Cut"),
        mask_out("moraine", "Moraine"),
        mask_out("crevasses", "Crevasses"),
    ),
    params=(
        P.fraction(
            "line",
            "Snow line",
            0.55,
            "From where on snow stays: 0 is on all ground, 1 on none, 0.5 on about half; ice comes down below it.",
        ),
        P.metres(
            "thick",
            "Ice thickness",
            100,
            "Of the ice in a valley of usual slope; thicker ice makes broader troughs.",
            (0.1, 20_000),
            (20, 300),
            0,
            scales=True,
        ),
        P.metres(
            "depth",
            "Deepest cut",
            120,
            "How deep the fastest ice has worn; a quarter of the land's relief at most.",
            (0, 20_000),
            (0, 500),
            0,
            scales=True,
        ),
        P.fraction("ground", "Ground smooth", 0.7, "How much of the fine ground below it the ice has ground off."),
        P.metres(
            "moraine",
            "Moraines",
            10,
            "Height of the ridges that it lays at its edge.",
            (0, 5000),
            (0, 50),
            0,
            scales=True,
        ),
        P.fraction("left", "Ice left", 0.4, "How much of the ice still lies there: 0 is none, 1 is all of it."),
        P.fraction("cracked", "Crevasses", 0.5, "How broken the ice is where it is steep."),
        P.seed(),
    ),
    base="height",
    reshapes="It wears troughs and cirques into the land.",
    footprint=lambda p, site: Footprint(
        halo=2.0 * site.spacing(GLOBAL_LEVEL),
        asks=lambda level: ("height", "snow") if level <= COARSEST else ("height",),
        own=EACH,
        below=("height",),
    ),
    version=2,
    figure="{thick} · {depth}",
    keywords=("ice", "cirque", "trough", "u-shaped valley", "moraine", "fjord", "corrie", "arete", "crevasse"),
    starting_points=(
        ("Cirques, without ice", {"line": 0.8, "thick": 60, "depth": 150, "left": 0.0}),
        ("Troughs of great glaciers", {"line": 0.4, "thick": 180, "depth": 300, "moraine": 20, "left": 0.0}),
        ("Ice in the valleys", {"line": 0.5, "left": 0.8, "depth": 200}),
    ),
)
def glacier(ctx: Context) -> Arrays:
    """Ice that flows by the shallow-ice approximation (Mahaffy 1976) from above the snow line to where it melts wears
    its bed by its flux and its drag (Herman and Braun 2008; Egholm et al. 2009), found on 129 samples, where a trough
    is a few samples wide. Finer levels take that over, grind off their own detail below the ice, and draw moraines
    and crevasses."""
    p, h = ctx.p, ctx.input("height")
    if ctx.level <= COARSEST:
        maps, ground = _carved(ctx, h), h
    else:
        before = ctx.own(ctx.level - 1)
        maps = {name: ctx.raised(before[name]) for name in CARRIED}
        coarse, base = ctx.raised(ctx.input("height", ctx.level - 1)), ctx.raised(before["_ground"])
        grinds = np.float32(1 / (GRINDS * p.thick))

        def one(h: np.ndarray, coarse: np.ndarray, base: np.ndarray, thick: np.ndarray) -> np.ndarray:
            return base + (h - coarse) * (1 - np.float32(p.ground) * np.clip(thick * grinds, 0, 1))

        ground = banded(ctx, one, h, coarse, base, maps["_thick"])
    lumps = wander(ctx, max(6 * BROAD * p.moraine, 8 * ctx.site.spacing(GLOBAL_LEVEL)), 4, ctx.seed, moves=True)
    names = ("height", "ice", "thickness", "cut", "moraine")
    broad = np.float32(max(BROAD * p.moraine, ctx.site.spacing(COARSEST)))
    made = several(ctx, len(names), lambda *of: _composed(p, broad, *of), ground, *(maps[k] for k in CARRIED), lumps)
    out = dict(zip(names, made))
    cracks = _cracks(ctx, maps["_top"])
    depth = np.float32(DEEP * p.thick)
    # as deep as the ice at most
    whole = np.float32(1 / (CRACKED * p.thick))
    cracks = banded(ctx, lambda c, left: c * np.clip(left * whole - 1, 0, 1), cracks, maps["_left"])
    height = banded(ctx, lambda h, c: h - depth * c, out["height"], cracks)
    return {**out, "height": height, "crevasses": cracks, "_ground": ground, **maps}


def _carved(ctx: Context, h: np.ndarray) -> Arrays:
    """Maps on the coarsest level: metres worn, thickness of the ice at its largest, surface and thickness of what is
    left of it, metres from its edge, and where it melts, 0 to 1."""
    p, snow = ctx.p, ctx.input("snow")
    relief = max(float(np.ptp(h)), 1e-3)
    line = np.full(h.shape, _snow_line(h, p.line))
    if snow is not None:
        line = line + (1 - snow.astype(np.float64)) * relief
    # snow slides off faces, and feeds what lies below
    steep = np.hypot(*gradient(np.ascontiguousarray(h, np.float32), ctx.dx, ctx.stop))
    line = line + relief * smoothstep((steep - FACES[0]) / (FACES[1] - FACES[0]))
    size = Glacier(p.thick, min(relief, STEEPEST * ctx.site.long_side), ctx.site.long_side)
    cut, ice = carved(h, line, size, min(p.depth, DEEPEST * relief), ctx.dx, ctx.stop)
    land, left = h.astype(np.float64) - cut, np.zeros(h.shape)
    if p.left > 0:
        # the snow line has risen: so much that none is left at 0
        top = float((land + 0.3 * ice).max())
        warm = line + (1 - p.left) * max(0.0, top - float(line.min()))
        left = ice if p.left >= 1 else settled(land, ice, warm, size, ctx.dx, ctx.stop)
    out = -to_edge((ice / max(p.thick, 1e-6)).astype(np.float32), THIN, ctx.dx, 1e9, ctx.stop)
    melts = np.clip((line - land) / (0.1 * relief) + 0.3, 0, 1)
    found = (cut, ice, land + left, left, gaussian_filter(out, 1.2), gaussian_filter(melts, 1.0))
    return {name: np.ascontiguousarray(a, np.float32) for name, a in zip(CARRIED, found)}


def _snow_line(h: np.ndarray, share: float) -> float:
    """Metres: about where that share of the ground lies below; on a mountain in a plain, halfway from there to that
    share of the height."""
    ranked, broad = np.sort(h, axis=None).astype(np.float64), AROUND * min(share, 1 - share)
    first, last = (round((share + k * broad) * (ranked.size - 1)) for k in (-1, 1))
    low, relief = ranked[0], ranked[-1] - ranked[0]
    line = float(ranked[first : last + 1].mean()) + ABOVE * relief
    return line + 0.5 * max(0.0, low + share * relief - line)


def _composed(
    p: Values,
    broad: np.float32,
    ground: np.ndarray,
    worn: np.ndarray,
    thick: np.ndarray,
    top: np.ndarray,
    left: np.ndarray,
    out: np.ndarray,
    melts: np.ndarray,
    lumps: np.ndarray,
) -> tuple[np.ndarray, ...]:
    """Height and masks of a band. out: metres from the edge of the ice at its largest, below zero under it."""
    f = np.float32
    rim = np.exp(-((out / broad) ** 2)) * melts * np.clip(f(0.75) + f(0.7) * lumps, 0, f(1.2))
    # what melted out of the ice lies in heaps behind it
    heaps = smoothstep(-out / (3 * broad)) * smoothstep(1 + out / (16 * broad)) * melts
    lies = f(p.moraine) * (rim + f(0.35) * heaps * np.clip(lumps + f(0.15), 0, 1))
    h = ground - np.maximum(worn, 0) + lies
    there = (left > f(THIN * p.thick)) & (top > h)
    surface = np.where(there, top, h)
    ice = np.where(there, np.clip((top - h) / f(0.03 * p.thick), 0, 1), f(0))
    return (
        surface,
        ice,
        np.where(there, np.clip((top - h) / f(p.thick), 0, 1), f(0)),
        np.clip(worn / f(max(0.6 * p.depth, 1e-6)), 0, 1),
        np.clip(lies / f(max(p.moraine, 1e-6)), 0, 1) * (1 - ice),
    )


def _cracks(ctx: Context, top: np.ndarray) -> np.ndarray:
    """Where crevasses are, 0 to 1: they lie along the surface's contours, across its flow, where it is steep."""
    p = ctx.p
    if p.left <= 0 or p.cracked <= 0:
        return np.zeros_like(top)
    apart = max(APART * p.thick, 1e-3)
    broken = wander(ctx, 6 * p.thick, 3, ctx.seed + 5, moves=True)
    bends = wander(ctx, 1.5 * p.thick, 3, ctx.seed + 6, moves=True)
    wide = max(WIDE * p.thick, 1.2 * ctx.site.spacing(GLOBAL_LEVEL))
    south, east = gradient(top, ctx.dx, ctx.stop)

    def one(top: np.ndarray, south: np.ndarray, east: np.ndarray, broken: np.ndarray, bends: np.ndarray) -> np.ndarray:
        slope = np.hypot(south, east)
        from_line = np.abs((top / np.float32(apart) + np.float32(0.6) * bends) % 1 - np.float32(0.5))
        metres = from_line * np.float32(apart) / np.maximum(slope, np.float32(0.02))
        low, high = (np.float32(v) for v in CRACKS)
        where = smoothstep((slope - low) / (high - low))
        where = where * smoothstep(np.float32(2 * p.cracked - 0.8) + np.float32(1.2) * broken)
        # closer ones than they are wide would be ripples
        where = where * np.clip(np.float32(apart / (2.5 * wide)) / np.maximum(slope, np.float32(1e-3)) - 1, 0, 1)
        return (where * np.exp(-((metres / np.float32(wide)) ** 2))).astype(np.float32)

    return banded(ctx, one, top, south, east, broken, bends)
