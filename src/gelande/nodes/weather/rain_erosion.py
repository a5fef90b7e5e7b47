"""Rain erosion on a pyramid of levels, so that the preview is the delivery's own coarse level."""

import numpy as np

from gelande.core import param as P
from gelande.core.node import height_in, height_out, mask_in, mask_out, node
from gelande.core.site import COARSEST
from gelande.kernels.erosion import erode_global, erode_local, fill_pits
from gelande.kernels.measure import gaussian, gradient
from gelande.kernels.noise import fractal
from gelande.kernels.transfer import down, sample_all, up

#: Steps on a grid of half the coarsest level's samples, then on whole levels, coarse to fine; finer levels take LOCAL_STEPS local steps.
FIRST_STEPS, GLOBAL_STEPS, LOCAL_STEPS = 40, (8, 6, 4), 2
#: On that first grid less sediment settles: its cells are as broad as a whole valley floor.
FIRST_DEPOSIT = 0.3
#: Erodibility at a strength of one half, the share of it that the first grid has, and each level's share of the one before.
ERODIBILITY, FIRST_SHARE, LEVEL_SHARE = 0.65, 1.8, 0.9
#: Area that half of the full incision needs, as a share of the square of the gully spacing.
GULLY_AREA = 0.1
#: Height of ripples on the first grid and on whole levels, in samples' worth of the ground's fall, and the most of them as a share
#: of the spacing of samples.
FIRST_RIPPLE, RIPPLE, RIPPLE_MOST = 3.0, 0.8, 1.0
#: How far channels are bent between the global levels, in coarse cells.
BEND = 2.2


def _masks(p, state):
    """Wear, deposit and flow as masks 0-1 from metres and m²."""
    worn, laid = np.float32(0.4 * p.gully_spacing), np.float32(0.12 * p.gully_spacing)
    least = 0.5 * p.gully_spacing ** 2
    # Three decades of area between the first rill and white: the same metres at every detail and on every site.
    flow = np.log(np.maximum(state["_area"], np.float32(1e-3)) / np.float32(least)) / np.float32(np.log(1000.0))
    return {"wear": 1 - np.exp(-state["_wear"] / worn), "deposit": 1 - np.exp(-state["_deposit"] / laid),
            "flow": np.clip(flow, 0, 1)}


def _ripples(ctx, ground, dx, tall):
    """Unevenness four samples long, metres; tall: its height in samples' worth of the ground's fall.

    On smooth ground water would run straight down in parallel, and along the grid's eight directions; ripples lead it
    about. They are taken away again where water did not change the land."""
    south, east = gradient(ground, dx)
    fall = gaussian(np.hypot(south, east), 4.0)
    size = np.minimum(np.float32(tall) * fall, np.float32(RIPPLE_MOST)) * np.float32(dx * min(1.0, 4 * ctx.p.strength))
    return size * fractal(ground.shape, (0.0, ctx.site.depth), dx, 4.0 * dx, 2, gain=0.7, seed=ctx.seed + 4001)


def _without(h, ripples, worn, laid, dx):
    """The eroded height without the ripples that water left as they were."""
    return h - ripples * np.exp(-(worn + np.float32(0.2) * laid) / np.float32(0.1 * dx))


def _bent(ctx, arrays):
    """Arrays of the coarser level on this one, bent by less than one coarse cell.

    The eight directions of a grid make straight channels; bending them once while they are coarse makes them wind.
    Levels beyond the global ones are not bent, so that what a 513 preview shows stays exactly where it is."""
    rows, columns = ctx.shape
    wear, deposit = up(arrays[1], False), up(arrays[2], False)
    # Sediment lies flat and must stay so: only what was worn more than it was filled is bent.
    cut = np.clip((wear / (deposit + np.float32(1e-3 * ctx.dx)) - np.float32(0.4)) * np.float32(1.5), 0, 1)
    y, x = np.mgrid[0:rows, 0:columns].astype(np.float32) * np.float32(0.5)
    for axis, offset in ((y, 6101), (x, 7103)):
        axis += np.float32(BEND) * cut * fractal(ctx.shape, (0.0, ctx.site.depth), ctx.dx, 13.0 * ctx.dx, 3, gain=0.6, seed=ctx.seed + offset)
    found = sample_all(arrays, y, x)
    return [found[0]] + [np.maximum(a, 0) for a in found[1:]]


def _courses(ctx, ground, soft, fall):
    """Change, wear, deposit and area of a grid of half the coarsest level's samples, where many steps cost little.

    Here streams have time to find their way to the edge of the site and to take each other's water, as they do on real land:
    their lengths grow faster than the root of the area they drain (Hack 1957)."""
    ground, soft, fall, dx = (*(np.ascontiguousarray(a[::2, ::2]) for a in (ground, soft, fall)), 2 * ctx.dx)
    ripples = _ripples(ctx, ground, dx, FIRST_RIPPLE)
    h, worn, laid, area = _eroded(ctx, ground + ripples, soft, fall, FIRST_STEPS, -1, dx, FIRST_DEPOSIT * ctx.p.deposition)
    h = _without(h, ripples, worn, laid, dx)
    return h - ground, worn, laid, area


def _eroded(ctx, start, soft, fall, steps, depth, dx, deposition):
    """One level's erosion, on the whole level or in tiles."""
    p = ctx.p
    strength = ERODIBILITY * (0.15 + 2.85 * p.strength) * min(1.0, p.strength * 50) * (FIRST_SHARE if depth < 0 else LEVEL_SHARE ** depth) / steps
    common = (start, soft, fall, steps, strength, GULLY_AREA * p.gully_spacing ** 2, deposition, dx, ctx.seed + 977 * depth, ctx.stop)
    if depth < len(GLOBAL_STEPS):
        return erode_global(*common, np.zeros(1, np.int64), depth < 0)
    return erode_local(*common)


def _start(ctx, ground, soft, fall):
    """The level's surface before it is eroded: the input plus the change carried up from the coarser level.

    New detail is buried where the coarser level laid sediment: valley floors do not grow rough again."""
    if ctx.level == COARSEST:
        before, coarse = _courses(ctx, ground, soft, fall), ground[::2, ::2]
    else:
        held, coarse = ctx.own(ctx.level - 1), ctx.input("height", ctx.level - 1)
        before = [held[k] for k in ("_change", "_wear", "_deposit", "_area")]
    if ctx.level - COARSEST < len(GLOBAL_STEPS):
        carried, wear, deposit, area = _bent(ctx, before)
    else:
        carried = up(before[0])
        wear, deposit, area = (up(a, False) for a in before[1:])
    detail = ground - up(coarse)
    buried = 1 - np.exp(-deposit / np.float32(0.08 * ctx.dx + 0.02))
    return ground + carried - detail * buried, wear, deposit, area


@node("rain_erosion", "Rain erosion", "Weather",
      "Carves gullies and valleys with running water and lays the sediment down below.",
      inputs=(height_in(), mask_in("rock", "Rock strength", True, "White rock is worn a tenth as fast as black."),
              mask_in("rain", "Rain", True, "Where it rains: white in full, black not at all.")),
      outputs=(height_out(), mask_out("wear", "Wear"), mask_out("deposit", "Deposit"), mask_out("flow", "Flow")),
      params=(
          P.share("strength", "Strength", 0.5, "How far the land is worn down: from first rills to deep valleys."),
          P.metres("gully_spacing", "Gully spacing", 60, "How far apart the smallest gullies are on an even slope; what lies between them stays smooth.",
                   (1, 20_000), (20, 240), 0, log=True, scales=True),
          P.share("deposition", "Deposition", 0.45, "How readily sediment settles in valleys and hollows."),
          P.share("rock_strength", "Rock strength", 0.0, "Hardness of all rock; adds to a linked map."),
          P.seed(),
      ),
      base="height", pyramid=True, figure="spacing {gully_spacing}",
      keywords=("water", "hydraulic", "gully", "river", "valley", "stream power", "fluvial"),
      starts=(("First rills", {"strength": 0.05, "gully_spacing": 35}), ("Upland gills", {"strength": 0.45}),
              ("Badlands", {"strength": 0.95, "gully_spacing": 30, "deposition": 0.25})))
def rain_erosion(ctx):
    """Stream-power incision (Braun and Willett 2013) with downstream deposition (Yuan et al. 2019) on a pyramid.

    The input is evaluated at every level from 129 samples up. Each level starts from the input plus the change that
    the coarser level made, and erodes a little further, so a 513 preview is exactly what a 4097 build is refined
    from. Up to 513 samples depressions are flooded over the whole site; finer levels work locally."""
    p = ctx.p
    ground = ctx.input("height")
    rock, rain = ctx.input("rock"), ctx.input("rain")
    soft = np.full(ground.shape, np.float32(1 - 0.9 * p.rock_strength))
    if rock is not None:
        soft = soft * (1 - np.float32(0.9) * rock)
    fall = np.ones_like(ground) if rain is None else np.ascontiguousarray(rain) + np.float32(1e-3)
    depth = ctx.level - COARSEST
    start, wear, deposit, coarse_area = _start(ctx, ground, soft, fall)
    if depth < len(GLOBAL_STEPS):
        # Gullies begin at this level's ripples as long as those are no closer than the gullies are to be.
        ripples = _ripples(ctx, start, ctx.dx, RIPPLE * min(1.0, max(0.0, 8 * ctx.dx / p.gully_spacing - 1.5)))
        h, worn, laid, area = _eroded(ctx, start + ripples, soft, fall, GLOBAL_STEPS[depth], depth, ctx.dx, p.deposition)
        h = _without(h, ripples, worn, laid, ctx.dx)
    else:
        h, worn, laid, area = _eroded(ctx, start, soft, fall, LOCAL_STEPS, depth, ctx.dx, p.deposition)
        area = np.maximum(area, coarse_area)
    ctx.check()
    if p.strength > 0.6:
        # A strong pass would drift with detail: most of what this level changed at the coarser one's scale is taken back.
        lock = np.float32(0.6 * min(1.0, (p.strength - 0.6) / 0.2))
        back = lock * up(down(h - start))
        h = h - back
        worn, laid = _given_back(worn, laid, back)
        fill_pits(h, laid)  # taking back can leave single samples low
    state = {"_change": h - ground, "_wear": wear + worn, "_deposit": deposit + laid, "_area": area}
    _balance(state)
    return {"height": h, **_masks(p, state), **state}


def _given_back(worn, laid, back):
    """Wear and deposit after a change was taken back: what was lifted was laid, what was lowered was worn; the rest counts anew."""
    less_laid, less_worn = np.minimum(np.maximum(back, 0), laid), np.minimum(np.maximum(-back, 0), worn)
    rest = back - less_laid + less_worn
    return worn - less_worn + np.maximum(rest, 0), laid - less_laid + np.maximum(-rest, 0)


def _balance(state):
    """Makes wear less deposit the volume that is gone, which carrying three maps from level to level rounds by about a thousandth."""
    laid, worn, gone = (float(state[k].sum(dtype=np.float64)) for k in ("_deposit", "_wear", "_change"))
    if laid > 0 and worn + gone > 0:
        state["_deposit"] = state["_deposit"] * np.float32((worn + gone) / laid)
