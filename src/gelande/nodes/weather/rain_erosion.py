"""Rain erosion on a pyramid of levels, so that the preview is the delivery's own coarse level."""

import numpy as np

from gelande.core import param as P
from gelande.core.node import height_in, height_out, mask_in, mask_out, node
from gelande.core.site import COARSEST, MAPPED
from gelande.kernels.erosion import erode_global, erode_local, fill_pits
from gelande.kernels.lattice import bent
from gelande.kernels.measure import gaussian, gradient
from gelande.kernels.noise import fractal
from gelande.kernels.transfer import down, up

#: Steps on a grid of half the coarsest level's samples, then on whole levels, coarse to fine; finer levels take LOCAL_STEPS local steps.
FIRST_STEPS, GLOBAL_STEPS, LOCAL_STEPS = 40, (16, 12, 8), 2
#: On that first grid less sediment settles: its cells are as broad as a whole valley floor.
FIRST_DEPOSIT = 0.1
#: Erodibility at a strength of one half, the share of it that the first grid has, and each level's share of the one before.
ERODIBILITY, FIRST_SHARE, LEVEL_SHARE = 0.65, 2.6, 0.9
#: Share of its load that water lays down in a cell of its own area, at full deposition (G of Yuan et al. 2019).
EASE = 3.0
#: How much of a bump goes for each metre of material that was moved there.
WORKED = 0.7
#: Area that half of the full incision needs, as a share of the square of the gully spacing.
GULLY_AREA = 0.1
#: Height of ripples on the first grid and on whole levels, in samples' worth of the ground's fall, and the most of them as a share
#: of the spacing of samples.
FIRST_RIPPLE, RIPPLE, RIPPLE_MOST = 3.0, 0.6, 1.0
#: How much the most washed beds count in the deposit mask.
BEDS = 0.8
NOWHERE = (0, 0, 0, 0)


def _white(ctx, wear, deposit, washed):
    """Metres worn, lying and washed at which the masks come near to white: what the more worn, the more buried and the more washed
    ground has at the coarsest level; deposits thinner than a preview can show are not spread over the whole range."""
    gully, shown = ctx.p.gully_spacing, ctx.site.spacing(MAPPED)
    lies = deposit[deposit > 0.005 * gully]
    return np.array([max(np.percentile(wear, 90), 0.1 * gully), max(np.percentile(lies, 75) if len(lies) else 0.0, 0.06 * gully, 0.8 * shown),
                     max(np.percentile(washed, 97), 0.01 * gully)])


def _washed(ctx, moved):
    """Metres laid in all of late, which is where sediment lies in the beds of streams that carry it on. What the whole levels before
    moved counts half as much as what this one did, so that beds are as fine as the level shows."""
    if ctx.level == COARSEST:
        return moved
    before = np.maximum(up(ctx.own(ctx.level - 1)["_washed"]), 0)
    return before * np.float32(0.5 if ctx.level - COARSEST < len(GLOBAL_STEPS) else 1.0) + moved


def _masks(p, state):
    """Wear, deposit and flow as masks 0-1 from metres and m²."""
    worn, laid, washed = (np.float32(a) for a in state["_white"])
    # Fans and filled hollows come out white, beds of streams that carry their load on grey.
    lies = np.float32(2) * state["_deposit"] / laid + np.float32(BEDS) * state["_washed"] / washed
    # Three decades of area between the first rill and white: the same metres at every detail and on every site.
    flow = (state["_area"] - np.float32(np.log(0.5 * p.gully_spacing ** 2))) / np.float32(np.log(1000.0))
    return {"wear": 1 - np.exp(np.float32(-2) * state["_wear"] / worn), "deposit": 1 - np.exp(-lies),
            "flow": np.clip(flow, 0, 1)}


def _ripples(ctx, ground, dx, tall):
    """Unevenness four samples long, metres; tall: its height in samples' worth of the ground's fall.

    On smooth ground water would run straight down in parallel, and along the grid's eight directions; ripples lead it
    about. They are taken away again where water did not change the land."""
    south, east = gradient(ground, dx)
    fall = gaussian(np.hypot(south, east), 4.0)
    size = np.minimum(np.float32(tall) * fall, np.float32(RIPPLE_MOST)) * np.float32(dx * min(1.0, 4 * ctx.p.strength))
    return size * fractal(ground.shape, (0.0, ctx.site.depth), dx, 4.0 * dx, 2, gain=0.7, seed=ctx.seed + 4001)


def _buried(detail, worked):
    """What of fine detail, metres, goes under where the coarser level moved material about (metres laid in all): no more than was moved,
    and less its local mean, so that hollows are filled by what the bumps between them lose."""
    worked = np.float32(WORKED) * worked + np.float32(1e-6)
    under = detail * worked / (np.abs(detail) + worked)
    return under - gaussian(under, 6.0)


def _log(area, dx):
    """Natural logarithm of drainage areas in m², of a cell at least: between samples a channel narrows by it evenly."""
    return np.log(np.maximum(area, np.float32(dx * dx)))


def _courses(ctx, ground, soft, fall):
    """State of a grid of half the coarsest level's samples, where many steps cost little.

    Here streams have time to find their way to the edge of the site and to take each other's water, as they do on real land:
    their lengths grow faster than the root of the area they drain (Hack 1957)."""
    ground, soft, fall, dx = (*(np.ascontiguousarray(a[::2, ::2]) for a in (ground, soft, fall)), 2 * ctx.dx)
    h, worn, laid, worked, area, left = _eroded(ctx, ground, soft, fall, FIRST_STEPS, -1, dx, FIRST_RIPPLE, FIRST_DEPOSIT ** 0.5 * ctx.p.deposition)
    return {"_change": h - ground, "_wear": worn, "_deposit": laid, "_worked": worked, "_area": area, "_left": np.array([left])}


def _eroded(ctx, start, soft, fall, steps, depth, dx, ripple, deposition):
    """One level's erosion: (height, wear, deposit, metres laid in all, logarithm of the drainage area, what left in m³).

    Whole levels are eroded on a bent lattice, fine ones in tiles."""
    p, deposition = ctx.p, EASE * deposition ** 2
    strength = ERODIBILITY * (0.15 + 2.85 * p.strength) * min(1.0, p.strength * 50) * (FIRST_SHARE if depth < 0 else LEVEL_SHARE ** depth) / steps
    common = (steps, strength, GULLY_AREA * p.gully_spacing ** 2, deposition, dx, ctx.seed + 977 * depth, ctx.stop)
    if depth >= len(GLOBAL_STEPS):
        *found, area, lost = erode_local(start, soft, fall, *common)
        return *found, _log(area, dx), lost * dx * dx
    lattice = bent(start.shape, ctx.seed + 311 * depth, ctx.stop)
    ctx.check()
    there, soft, fall = lattice.onto((start, soft, fall), ctx.stop)
    ripples = _ripples(ctx, there, dx, ripple)
    h, worn, laid, worked, area, lost = erode_global(there + ripples, np.clip(soft, 0, 1), np.maximum(fall, 0), lattice, *common, depth < 0)
    ctx.check()
    # Ripples are taken away where water left them as they were; what it took of the others is none of the land's.
    kept = ripples * np.exp(-(worn + np.float32(0.2) * laid) / np.float32(0.1 * dx))
    h = h - kept
    lost -= float(((ripples - kept) * lattice.plot).sum(dtype=np.float64))
    level, change, *maps = lattice.back((there, h - there, worn, laid, worked, area), ctx.stop)
    worn, laid, worked = (np.maximum(a, 0) for a in maps[:3])
    # What two looks through the lattice blur stays as it was on rock, and is buried by sediment.
    h = start + change - _buried(start - level, worked)
    fill_pits(h, laid, NOWHERE)  # channels between samples would show as dotted lines
    return h, worn, laid, worked, _log(maps[3], dx), lost * dx * dx


def _start(ctx, ground, soft, fall):
    """The level's surface before it is eroded: the input plus the change carried up from the coarser level; and that level's wear,
    deposit, area and what left.

    New detail is buried where the coarser level laid sediment: valley floors do not grow rough again."""
    if ctx.level == COARSEST:
        before, coarse = _courses(ctx, ground, soft, fall), ground[::2, ::2]
    else:
        before, coarse = ctx.own(ctx.level - 1), ctx.input("height", ctx.level - 1)
    wear, deposit, area = (up(before[k], False) for k in ("_wear", "_deposit", "_area"))
    worked = up(before["_worked"], False)
    buried = _buried(ground - up(coarse), worked)
    return ground + up(before["_change"]) - buried, wear, deposit, worked, area, before["_left"]


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
      starts=(("First rills", {"strength": 0.05, "gully_spacing": 35}), ("Upland gills", {"strength": 0.3}),
              ("Badlands", {"strength": 0.6, "gully_spacing": 28, "deposition": 0.25})))
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
    start, wear, deposit, worked, coarse_area, left = _start(ctx, ground, soft, fall)
    # Gullies begin at this level's ripples as long as those are no closer than the gullies are to be.
    ripple = RIPPLE * min(1.0, max(0.0, 8 * ctx.dx / p.gully_spacing - 1.5))
    h, worn, laid, moved, area, lost = _eroded(ctx, start, soft, fall, GLOBAL_STEPS[depth] if depth < len(GLOBAL_STEPS) else LOCAL_STEPS, depth, ctx.dx, ripple, p.deposition)
    if depth >= len(GLOBAL_STEPS):
        area = np.maximum(area, coarse_area)
    ctx.check()
    if p.strength > 0.6:
        # A strong pass would drift with detail: most of what this level changed at the coarser one's scale is taken back.
        lock = 0.6 * min(1.0, (p.strength - 0.6) / 0.2)
        h, lost = h - np.float32(lock) * up(down(h - start)), lost * (1 - lock)
        fill_pits(h, laid, NOWHERE)  # taking back can leave single samples low
    change, washed = h - ground, _washed(ctx, moved)
    # What this level wore of the sediment that coarser ones laid.
    through = np.minimum(deposit, worn)
    wear, deposit = _agreeing(wear + worn - through, deposit + laid - through, change)
    state = {"_change": change, "_wear": wear, "_deposit": deposit, "_worked": worked + moved, "_area": area, "_left": left + lost,
             "_washed": washed, "_white": _white(ctx, wear, deposit, washed) if depth == 0 else ctx.own(ctx.level - 1)["_white"]}
    return {"height": h, **_masks(p, state), **state}


def _agreeing(wear, deposit, change):
    """Wear and deposit whose difference is the change: what a level's own grid, smoothing and pits changed beside the water is taken
    from what it undid, or counted anew."""
    over = deposit - wear - change
    less_laid, less_worn = np.minimum(np.maximum(over, 0), deposit), np.minimum(np.maximum(-over, 0), wear)
    rest = over - less_laid + less_worn
    return wear - less_worn + np.maximum(rest, 0), deposit - less_laid + np.maximum(-rest, 0)
