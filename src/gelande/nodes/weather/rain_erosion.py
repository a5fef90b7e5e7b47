"""Rain erosion on a pyramid of levels, so that the preview is the delivery's own coarse level."""

from __future__ import annotations

from collections.abc import Callable

import numpy as np

from gelande.core.evaluate.context import Arrays, Context
from gelande.core.recipe import param as P
from gelande.core.recipe.footprint import EACH, Footprint
from gelande.core.recipe.node import height_in, height_out, mask_in, mask_out, node
from gelande.core.recipe.param.base import Values
from gelande.core.recipe.site import COARSEST, GLOBAL_LEVEL
from gelande.kernels.balance import agreeing
from gelande.kernels.erosion import Moved
from gelande.kernels.flow import breached
from gelande.kernels.form import Form, base_level, in_the_broad, levelled_change
from gelande.kernels.layers import Layers
from gelande.kernels.local_erosion import HALO, tile_of
from gelande.kernels.measure import volume
from gelande.kernels.midpoints import displaced, roughness
from gelande.kernels.rain import GLOBAL_STEPS, STREAM_AREA, Rain, buried, erode, strong
from gelande.kernels.rain_fine import erode_tiles, finish
from gelande.kernels.streams import draw
from gelande.kernels.transfer import up, up_kept
from gelande.nodes.beds import (
    LAYERED,
    LINKED,
    bed_settings,
    beds_in,
    beds_of,
    beds_table,
    layers_of,
    rock_choice,
)
from gelande.nodes.shared import banded

#: How much less the hardest bed is worn than the softest.
HARD_ROCK_SPARED = 0.65
#: Names under which a level keeps what was moved.
MOVED = ("_cut", "_fill", "_worked")
#: Of what tiles of a fine level moved, what it is finished with.
TILE_MAPS = ("worn", "laid", "worked", "area")
#: Share that whole and fine levels take back of what they did, at most, and the strength from which it is that much;
#: how much less of it in strong rain, and how many samples around are looked at for that and for pits.
LOCK, LOCK_FINE, LOCK_LESS, BESIDE = (0.155, 0.2), (0.88, 0.1), 0.33, 8
#: How far below the lowest ground rivers leave in a rain of this strength and more, as a share of the relief, how that
#: bends for less, and how many samples of the first grid beyond the edge they come to it.
OUTLET_DROP, OUTLET_FULL, OUTLET_POWER, OUTLET_REACH = 0.2, 0.5, 0.15, 20
#: Strength from which the sills of hollows are cut down when none are to be filled, and how deep at most, as a share of
#: the relief: a crater keeps its rim but for a notch.
SILL_STRENGTH, SILL_DEPTH = 0.2, 0.14
#: Samples around tiles on which the ground before has to be right.
TILE_MARGIN = HALO + 24
#: How much the most washed beds count in the fill mask.
BEDS_IN_FILL = 0.8


def _white(ctx: Context, cut: np.ndarray, fill: np.ndarray, washed: np.ndarray) -> np.ndarray:
    """Metres worn, lying and washed at which the masks come near to white: what the more worn, the more buried and
    the more washed ground has at the coarsest level; fills thinner than a preview can show are not spread over
    the whole range."""
    gully, shown = ctx.p.gully_spacing, ctx.site.spacing(GLOBAL_LEVEL)
    lies = fill[fill > 0.005 * gully]
    return np.array(
        [
            max(np.percentile(cut, 90), 0.1 * gully),
            max(np.percentile(lies, 75) if len(lies) else 0.0, 0.06 * gully, 0.8 * shown),
            max(np.percentile(washed, 97), 0.01 * gully),
        ]
    )


def _washed(ctx: Context, moved: np.ndarray) -> np.ndarray:
    """Metres laid in all of late, which is where sediment lies in the beds of streams that carry it on. What the
    whole levels before moved counts half as much as what this one did, so that beds are as fine as the level shows."""
    if ctx.level <= COARSEST:
        return moved
    fraction = np.float32(0.5 if ctx.level - COARSEST < len(GLOBAL_STEPS) else 1.0)
    before = ctx.raised(ctx.own(ctx.level - 1)["_washed"])
    return banded(ctx, lambda before, moved: np.maximum(before, 0) * fraction + moved, before, moved)


def _flow(ctx: Context, area: np.ndarray, streams: np.ndarray | None) -> np.ndarray:
    """Three decades of area between the first rill and white: the same metres at every detail and on every site.

    From the last whole level on, the lines that its water took, and what finer levels know of the area of their own
    rills."""
    least = STREAM_AREA * ctx.p.gully_spacing**2
    first, span = np.float32(np.log(least)), np.float32(np.log(1000.0))
    own = banded(ctx, lambda area: np.clip((area - first) / span, 0, 1), area)
    if streams is None:
        return own
    width = ctx.site.spacing(GLOBAL_LEVEL)
    lines = draw(ctx.window, ctx.dx, streams, least, 1000.0 * least, 0.5 * width, 0.75 * width, ctx.stop)
    return lines if ctx.level == GLOBAL_LEVEL else np.maximum(lines, own)


def _masks(ctx: Context, state: dict[str, np.ndarray], area: np.ndarray) -> dict[str, np.ndarray]:
    """Cut, fill and flow as masks 0-1 from metres and the logarithm of m²."""
    worn, laid, washed = (np.float32(a) for a in state["_white"])

    def lies(
        fill: np.ndarray, moved: np.ndarray
    ) -> np.ndarray:  # fans and filled hollows come out white, beds of streams that carry their load on grey
        return 1 - np.exp(-(np.float32(2) * fill / laid + np.float32(BEDS_IN_FILL) * moved / washed))

    return {
        "cut": banded(ctx, lambda cut: 1 - np.exp(np.float32(-2) * cut / worn), state["_cut"]),
        "fill": banded(ctx, lies, state["_fill"], state["_washed"]),
        "flow": _flow(ctx, area, state.get("_streams")),
    }


def _first(
    ctx: Context, rain: Rain, ground: np.ndarray, soft: np.ndarray, fall: np.ndarray
) -> tuple[np.ndarray, Moved, np.ndarray] | None:
    """Change, what was moved and what sills were cut down on a grid of half the coarsest level's samples, where many
    steps cost little.

    Here streams have time to find their way to the edge of the site and to take each other's water, as they do on
    real land: their lengths grow faster than the root of the area they drain (Hack 1957)."""
    ground, soft, fall = (np.ascontiguousarray(a[::2, ::2]) for a in (ground, soft, fall))
    return _beyond(rain, ground, soft, fall, 2 * ctx.dx, ctx.stop, False)


def _beyond(
    rain: Rain,
    ground: np.ndarray,
    soft: np.ndarray,
    fall: np.ndarray,
    dx: float,
    stop: np.ndarray | None,
    glimpse: bool,
) -> tuple[np.ndarray, Moved, np.ndarray] | None:
    """As _first, on the first grid, which reaches beyond the site, where the land falls to its own foot,
    or as far as its form is not kept, to a level below its lowest ground: rivers leave by valleys that are graded to
    it, wherever they come to the edge."""
    n = min(OUTLET_REACH // 2 if glimpse else OUTLET_REACH, min(ground.shape) - 1)
    low, high = (float(a) for a in np.percentile(ground, (2, 98)))
    steps = [np.arange(k + 2 * n) for k in ground.shape]
    rows, columns = (np.maximum(0, np.maximum(n - s, s - k - n + 1)) / n for s, k in zip(steps, ground.shape))
    away = np.minimum(1, np.hypot(rows[:, None], columns)).astype(np.float32)
    wide, soft, fall = (np.pad(a, n, "reflect") for a in (ground, soft, fall))
    level = np.float32(low - OUTLET_DROP * min(1.0, rain.strength / OUTLET_FULL) ** OUTLET_POWER * (high - low))
    level = level + np.float32(rain.form) * (np.pad(base_level(ground, low, stop), n, "edge") - level)
    wide += away * (level - wide)
    opened = _opened(rain, wide, soft, fall, stop)
    form = Form(opened, in_the_broad(wide, -1, dx, stop)) if rain.form > 0 else None
    h, moved, _ = erode(rain, opened, soft, fall, -1, dx, stop, glimpse=glimpse, form=form)
    own = (slice(n, -n), slice(n, -n))
    if form is not None:
        h = wide + levelled_change(rain.form, h - wide, form.steep, stop)
    change = np.ascontiguousarray((h - wide)[own])
    moved = moved._replace(worn=moved.worn + wide - opened)
    maps = (np.ascontiguousarray(a[own]) for a in moved[:4])
    rose = moved.risen  # beyond the site, too: what left is counted with as much
    moved = Moved(*maps, rose - volume(change) * dx**2, None, rose)
    return change, moved, np.ascontiguousarray((wide - opened)[own])


def _opened(rain: Rain, wide: np.ndarray, soft: np.ndarray, fall: np.ndarray, stop: np.ndarray | None) -> np.ndarray:
    """The first grid with the sills of its hollows cut, as rivers have long done; the less, the more hollows fill."""
    fraction = min(1.0, rain.strength / SILL_STRENGTH) * (1 - rain.hollows**2) * min(1.0, float(fall.mean()))
    low, high = np.percentile(wide, (2, 98))
    cut = np.minimum(wide - breached(wide, stop), np.float32(SILL_DEPTH * (high - low)))
    return wide - np.float32(fraction) * np.clip(soft, 0, 1) * cut


def _glimpse(
    ctx: Context,
    rain: Rain,
    ground: np.ndarray,
    soft: np.ndarray,
    fall: np.ndarray,
    layers: Layers | None,
    land: np.ndarray,
) -> dict[str, np.ndarray] | None:
    """Outputs on the first grid alone, which is what the coarsest level begins with."""
    change, moved, _ = _beyond(rain, ground, soft, fall, ctx.dx, ctx.stop, True)
    h = _brought_back(ctx, ground + change, ground, layers, land)
    cut, fill, _ = agreeing(moved, change, stop=ctx.stop)
    state = {"_cut": cut, "_fill": fill, "_washed": moved.worked}
    state["_white"] = _white(ctx, cut, fill, moved.worked)
    return {**h, **_masks(ctx, state, moved.area)}


def _ground(ctx: Context, level: int | None = None) -> np.ndarray:
    """The land that is eroded: its even heights, where rock is in beds (kernels/layers.py)."""
    land = ctx.input("height", level)
    return layers_of(ctx, level).even(land, ctx.stop) if ctx.p.beds == LAYERED else land


def _brought_back(
    ctx: Context, even: np.ndarray, before: np.ndarray, layers: Layers | None, land: np.ndarray
) -> dict[str, np.ndarray]:
    """Even heights brought back to a land, and what is told of it. before: even heights of the land from before;
    layers: its beds, None where rock is even."""
    if layers is None:
        return {"height": even}
    # By how much it changed: where nothing did the land is what it was, to the last bit.
    h = banded(
        ctx, lambda *of: of[0] + of[1] - of[2], land, layers.height(even, ctx.stop), layers.height(before, ctx.stop)
    )
    return {"height": h, "bed": layers.hardness(h, ctx.stop)}


def _before(ctx: Context) -> tuple[np.ndarray, Moved, np.ndarray | None]:
    """What the coarser level did, metres: change on its own samples; what was moved, carried up; and on whole levels
    by how much the sills of hollows were cut down before all, on its own samples."""
    before = ctx.own(ctx.level - 1)
    left, rose = float(before["_left"][0]), float(before["_risen"][0])
    maps = (ctx.raised(before[k], smooth=False) for k in MOVED)
    return before["_change"], Moved(*maps, None, left, None, rose), before.get("_sills")


def _start(
    ctx: Context, rain: Rain, ground: np.ndarray, soft: np.ndarray, fall: np.ndarray
) -> tuple[np.ndarray, Moved, np.ndarray | None]:
    """The level's surface before it is eroded, the input plus the change carried up from the coarser level; what was
    moved there; and on whole levels, metres by which the sills of hollows were cut down before all.

    New detail is buried where the coarser level moved much: valley floors do not grow rough again."""
    rise = ctx.raised
    if ctx.level == COARSEST:
        (change, moved, sills), coarse = _first(ctx, rain, ground, soft, fall), ground[::2, ::2]

        # The first grid is half as fine as the coarsest level, which is whole.
        def rise(a: np.ndarray, how: Callable[..., np.ndarray] = up, **more) -> np.ndarray:
            return how(a, **more)

        moved = moved._replace(**{k: rise(getattr(moved, k), smooth=False) for k in ("worn", "laid", "worked")})
    else:
        (change, moved, sills), coarse = _before(ctx), _ground(ctx, ctx.level - 1)
    raised, gone = _risen(ctx, rise, change, coarse), buried(ground - rise(coarse), moved.worked, ctx.stop)
    start = banded(ctx, lambda *of: of[0] + of[1] - of[2], ground, raised, gone)
    ctx.check()
    return start, moved, None if sills is None else rise(sills, smooth=False)


def _risen(ctx: Context, rise: Callable, change: np.ndarray, coarse: np.ndarray) -> np.ndarray:
    """The coarser level's change on this one, metres; on fine levels as rough between its samples as at them, but
    smooth where it made the ground smooth."""
    raised = rise(change, up_kept, stop=ctx.stop)
    if ctx.level <= GLOBAL_LEVEL:  # whole levels are eroded on bent lattices, which have no samples of coarser ones
        return raised
    rough = np.minimum(roughness(change, ctx.stop), roughness(coarse + change, ctx.stop))
    rough = rise(rough, smooth=False)
    return displaced(raised, rough, ctx.window, ctx.seed + 211 * ctx.level, ctx.stop)


def _rain(ctx: Context) -> Rain:
    """The rain that the settings describe."""
    p = ctx.p
    return Rain(p.strength, p.gully_spacing, p.deposition, ctx.seed, ctx.site.depth, p.hollows, p.ravines, p.form)


def _fed(ctx: Context) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """The ground that is eroded, its erodibility and the rain that falls on it."""
    p, ground = ctx.p, _ground(ctx)
    rock, wet = ctx.input("rock"), ctx.input("rain")
    soft = np.full(ground.shape, np.float32(1 - 0.9 * p.rock_strength))
    if rock is not None:
        soft = soft * (1 - np.float32(0.9) * rock)
    if p.beds == LAYERED:  # a hard bed is worn less, and a plain on it is not cut by trenches
        soft = soft * (1 - np.float32(HARD_ROCK_SPARED) * layers_of(ctx).hardness(ctx.input("height"), ctx.stop))
    fall = np.ones_like(ground) if wet is None else np.ascontiguousarray(wet) + np.float32(1e-3)
    return ground, soft, fall


def _tiles(ctx: Context) -> Arrays:
    """Tiles of a fine level, eroded, and what the level is finished with."""
    rain, (ground, soft, fall) = _rain(ctx), _fed(ctx)
    start, _, _ = _start(ctx, rain, ground, soft, fall)
    depth = ctx.level - COARSEST
    h, moved = erode_tiles(rain, start, soft, fall, depth, ctx.dx, ctx.stop, ctx.window, ctx.asked)
    made = {"ground": ground, "start": start, "eroded": h, "left": np.array([moved.left])}
    made |= {name: getattr(moved, name) for name in TILE_MAPS}
    if ctx.p.beds == LAYERED:
        made |= {"land": ctx.input("height"), "datum": layers_of(ctx).datum}
    return made


def _fine(ctx: Context, rain: Rain) -> Arrays:
    """A level finer than the mapped one, of its tiles."""
    depth, made, (_, before, _) = ctx.level - COARSEST, ctx.simulated(), _before(ctx)
    moved = Moved(*(made[name] for name in TILE_MAPS), float(made["left"][0]))
    lines, back = ctx.own(ctx.level - 1)["_streams"], _lock(ctx.p, depth)
    place = (lines, depth, ctx.dx, ctx.stop, ctx.window, back)
    h, moved = finish(rain, made["eroded"], made["start"], moved, *place)
    ctx.check()
    layers = Layers(beds_table(beds_of(ctx)), made["datum"]) if ctx.p.beds == LAYERED else None
    ground = made["ground"]
    return _told(ctx, ground, h, before, moved, {"_streams": lines}, layers, made.get("land", ground))


def _told(
    ctx: Context,
    ground: np.ndarray,
    h: np.ndarray,
    before: Moved,
    moved: Moved,
    more: dict[str, np.ndarray | None],
    layers: Layers | None,
    land: np.ndarray,
) -> Arrays:
    """What a level gives and what finer ones begin with. ground, h: even heights before and after, metres; before,
    moved: by coarser levels and by this one; more: what else is kept for finer levels."""
    change, washed = h - ground, _washed(ctx, moved.worked)
    cut, fill, raised = agreeing(moved, change, before, ctx.stop)
    first = ctx.level == COARSEST
    state = {
        "_change": change,
        **dict(zip(MOVED, (cut, fill, before.worked + moved.worked))),
        "_left": np.array([before.left + moved.left]),
        "_risen": np.array([before.risen + moved.risen]),
        "_raised": np.array([volume(raised) * ctx.dx**2]),
        "_washed": washed,
        "_white": _white(ctx, cut, fill, washed) if first else ctx.own(ctx.level - 1)["_white"],
        **more,
    }
    return {**_brought_back(ctx, h, ground, layers, land), **_masks(ctx, state, moved.area), **state}


def _lock(p: Values, depth: int) -> float:
    """Share of what a level changed at the coarser one's scale that is taken back: a strong pass would drift with
    detail."""
    fine = depth >= len(GLOBAL_STEPS)
    most, full = LOCK_FINE if fine else LOCK
    return most * min(1.0, p.strength / full) * (1 - LOCK_LESS * strong(p.strength) if fine else 1.0)


def _ports(params: dict, face) -> tuple[tuple, tuple]:
    """Inputs and outputs; rock in beds says how hard the bed is that lies bare."""
    inputs = (
        height_in(),
        mask_in("rock", "Rock strength", True, "White rock is worn a tenth as fast as black."),
        mask_in("rain", "Rain", True, "Where it rains: white in full, black not at all."),
        beds_in(True),
    )
    outputs = (height_out(), mask_out("cut", "Cut"), mask_out("fill", "Fill"), mask_out("flow", "Flow"))
    layered = params.get("beds") == LAYERED
    return inputs, outputs + ((mask_out("bed", "Bed hardness"),) if layered else ())


@node(
    "rain_erosion",
    "Rain erosion",
    "Weather",
    "Carves gullies and valleys with running water and lays the sediment down below.",
    inputs=_ports({}, None)[0],
    outputs=_ports({}, None)[1],
    ports=_ports,
    params=(
        P.fraction("strength", "Strength", 0.5, "How far the land is worn down: from first rills to deep valleys."),
        P.metres(
            "gully_spacing",
            "Gully spacing",
            60,
            "How far apart the smallest gullies are on an even slope; what lies between them stays smooth.",
            (0.05, 20_000),
            (20, 240),
            0,
            log=True,
            scales=True,
        ),
        P.fraction(
            "deposition",
            "Deposition",
            0.45,
            "How readily sediment settles: at 0 all of it leaves, then it fills valley floors and hollows, and "
            "builds fans where gullies leave a slope.",
        ),
        P.fraction(
            "hollows",
            "Hollows filled",
            0.4,
            "How readily sediment fills hollows; the less, the deeper their outlets are cut down.",
        ),
        P.fraction(
            "ravines", "Ravines", 0.5, "How deep the small ravines are that run down steep ground between gullies."
        ),
        P.fraction(
            "form",
            "Form kept",
            1.0,
            "How far tops, slopes and plains stay where they are while valleys are cut between them; the less, the "
            "farther rain takes all of the land down.",
        ),
        P.fraction("rock_strength", "Rock strength", 0.0, "Hardness of all rock; adds to a linked map."),
        rock_choice("Even rock, or hard and soft beds by turns: hard ones come out as cliffs, soft ones as benches."),
        *bed_settings(40, 0.7, 0.7, 1.5, 120, shown_when=("beds", (LAYERED,)), unlinked=LINKED),
        P.seed(),
    ),
    footprint=lambda p, site: Footprint(
        working=lambda level, tiles: tiles.grown(TILE_MARGIN),
        blocks=lambda level: tile_of(site.shape(level)),
        beside=BESIDE,
        own=EACH,
        below=("height", LINKED),
    ),
    simulate=_tiles,
    base="height",
    version=13,
    figure="spacing {gully_spacing}",
    keywords=(
        "water",
        "hydraulic",
        "gully",
        "river",
        "valley",
        "stream power",
        "fluvial",
        "erode",
        "erosion",
        "canyon",
        "gullies",
    ),
    starting_points=(
        ("First rills", {"strength": 0.05, "gully_spacing": 35}),
        ("Upland gullies", {"strength": 0.3}),
        ("Badlands", {"strength": 0.6, "gully_spacing": 28, "deposition": 0.25}),
        ("Fans and broad floors", {"strength": 0.5, "deposition": 0.8}),
        ("Table lands", {"beds": LAYERED, "gully_spacing": 160, "ravines": 0.0}),
        ("Cuestas", {"beds": LAYERED, "dip": 9, "thickness": 60, "gully_spacing": 160, "ravines": 0.0}),
    ),
)
def rain_erosion(ctx: Context) -> Arrays:
    """Stream-power incision (Braun and Willett 2013) with downstream deposition (Yuan et al. 2019) and, on whole
    levels, a bound to what water can carry (Willgoose et al. 1991), on a pyramid.

    The input is evaluated at every level from 129 samples up. Each level starts from the input plus the change that
    the coarser level made, and erodes a little further, so a 513 preview is exactly what a 4097 build is refined
    from. Up to 513 samples depressions are flooded over the whole site; finer levels work locally, and rivers keep
    the beds that they have at 513."""
    rain = _rain(ctx)
    if ctx.level > GLOBAL_LEVEL:
        return _fine(ctx, rain)
    ground, soft, fall = _fed(ctx)
    layers = layers_of(ctx) if ctx.p.beds == LAYERED else None
    land = ground if layers is None else ctx.input("height")
    if ctx.level < COARSEST:
        return _glimpse(ctx, rain, ground, soft, fall, layers, land)
    start, before, sills = _start(ctx, rain, ground, soft, fall)
    depth, form = ctx.level - COARSEST, None
    if sills is not None and rain.form > 0:
        aim = np.maximum(ground - sills, ground.min())
        form = Form(aim, in_the_broad(ground, depth, ctx.dx, ctx.stop))
    back = _lock(ctx.p, depth)
    h, moved, lines = erode(rain, start, soft, fall, depth, ctx.dx, ctx.stop, before.laid, back, form)
    ctx.check()
    state = {"_sills": sills} if lines is None else {"_streams": lines}
    return _told(ctx, ground, h, before, moved, state, layers, land)
