"""Rain erosion of one level of the pyramid, whole or in tiles: what becomes of a surface, and what was worn, laid
and carried off."""

from __future__ import annotations

import math
from dataclasses import dataclass

import numpy as np

from gelande.kernels.lattice import Lattice

from .bands import by_rows
from .beds import river_beds, sizes
from .erosion import Moved, Pass, fill_pits
from .flow import receivers
from .form import Form, Uplift, bears, in_the_broad, shallow, spared
from .global_erosion import erode_global
from .lattice import bent
from .measure import gaussian, gradient, volume
from .noise import fractal
from .ravines import ravines
from .streams import pieces
from .transfer import halved, up

#: Steps on a grid of half the coarsest level's samples, then on whole levels, coarse to fine; finer levels take
#: LOCAL_STEPS local steps.
FIRST_STEPS, GLOBAL_STEPS, LOCAL_STEPS = 40, (8, 5, 3), 2
#: Steps on the first grid for a glimpse of the land.
GLIMPSE_STEPS = 16
#: How what water cuts grows with strength: what there is of it for the least, what strength adds and by what power.
CUT_AT_LEAST, CUT_GAIN, CUT_POWER = 0.1, 1.9, 0.43
#: Erodibility, the share of it that the first grid has, each level's share of the one before, and that of fine ones.
ERODIBILITY, FIRST_SHARE, LEVEL_SHARE, FINE_SHARE = 0.87, 1.05, 0.93, 0.4
#: Share of its load that water lays down in a cell of its own area, at full deposition (G of Yuan et al. 2019); none on
#: the first grid, whose cells are as broad as a valley. And what water can carry, against what it can cut on the same
#: slope (G's counterpart).
EASE, CAPACITY = 0.43, 0.3
#: Slope in degrees above which soft rock fails; how much gentler on whole levels in weak rain, and how much steeper on
#: fine levels; the share of the excess that goes a step of the first grid, of whole levels and of fine ones.
FAILURE_DEGREES, WEAK_RAIN_DEGREES, FINE_LEVEL_DEGREES, FAILURE_RATES = 19.8, 0.6, 14.0, (0.4, 0.55, 0.75)
#: Share of a hollow that the first grid fills a step, at full deposition, of what whole levels do.
FIRST_TRAP = 0.5
#: How far the erodibility of rock that looks even varies, and over how many gully spacings.
UNEVEN, BEDDED = 1.0, 6.0
#: Bent lattices that seeds take turns with: none shows on the land, and to draw one takes a quarter of a level's time.
LATTICES = 4
#: Area that streams begin at, as a share of the square of the gully spacing.
STREAM_AREA = 0.5
#: How much of a bump goes for each metre of material that was moved there.
BURIED_A_METRE = 0.15
#: Area that half of the full incision needs, as a share of the square of the gully spacing.
GULLY_AREA = 0.18
#: Height of ripples on the first grid and on whole levels, in samples' worth of the ground's fall, and the most of them
#: as a share of the spacing of samples; drainage area in cells at which half of a ripple stays as water left it: where
#: it is taken away, a bed that fell becomes a chain of pools.
FIRST_RIPPLE, RIPPLE, RIPPLE_MOST, RIPPLE_AREA = 10.0, 2.6, 2.0, 20.0
#: Eight samples in gully spacings at which ripples begin.
RIPPLE_FROM = 0.8
#: Fall of the ground, rise over run, that ripples take for the least, so that water winds on level ground, too; and
#: where the form is kept: more would cut trenches into plains.
RIPPLE_FALL, KEPT_FALL = 0.03, 0.006
#: Where the form is kept, times as much is cut on the first grid, and what strength adds; on all others; and times as
#: much of a hollow is filled, by strong rain.
KEPT_FIRST, KEPT_LEVEL, KEPT_TRAP = (1.0, 4.0), (0.3, 0.25), 8.0


@dataclass(frozen=True)
class Rain:
    """Settings of a pass. strength, deposition: 0-1; gully_spacing: metres; seed; side: depth of the site in
    metres, where noise begins; hollows: 0-1, the share of a hollow that sediment may fill a step; ravines: 0-1, how
    deep those on steep ground are; form: 0-1, how far the land keeps the form that it had (kernels/form.py)."""

    strength: float
    gully_spacing: float
    deposition: float
    seed: int
    side: float
    hollows: float = 0.4
    ravines: float = 0.5
    form: float = 0.0


def _ripples(rain: Rain, ground: np.ndarray, dx: float, tall: float, stop: np.ndarray | None) -> np.ndarray:
    """Unevenness four samples long, metres; tall: its height in samples' worth of the ground's fall.

    On smooth ground water would run straight down in parallel, and along the grid's eight directions; ripples lead it
    about. They are taken away again where water did not change the land."""
    south, east = gradient(ground, dx, stop)
    fall = gaussian(np.hypot(south, east), 4.0, stop)
    least = RIPPLE_FALL + rain.form * (KEPT_FALL - RIPPLE_FALL)
    tall = np.minimum(np.float32(tall) * np.maximum(fall, np.float32(least)), np.float32(RIPPLE_MOST))
    size = tall * np.float32(dx * min(1.0, 4 * rain.strength))
    return size * fractal(ground.shape, (0.0, rain.side), dx, 4.0 * dx, 2, gain=0.7, seed=rain.seed + 4001, stop=stop)


def _uneven(rain: Rain, shape: tuple[int, int], dx: float, lattice: Lattice, stop: np.ndarray | None) -> np.ndarray:
    """Erodibility of rock that looks even, about 1, at the lattice's nodes: gullies are not all as far apart, and
    benches stand out."""
    noise = fractal(
        shape, (0.0, rain.side), dx, BEDDED * rain.gully_spacing, 4, gain=0.6, seed=rain.seed + 7001, stop=stop
    )
    return np.exp(np.float32(UNEVEN * _full(rain)) * lattice.onto((noise,), stop)[0])


def under(detail: np.ndarray, worked: np.ndarray) -> np.ndarray:
    """Fine detail that lies under what was laid: no more than that.

    Parameters
    ----------
    detail :
        (rows, columns) float32, metres.
    worked :
        metres laid in all.

    Returns
    -------
    (rows, columns) float32, metres to take away.
    """
    worked = np.float32(BURIED_A_METRE) * worked + np.float32(1e-6)
    return detail * worked / (np.abs(detail) + worked)


def buried(detail: np.ndarray, worked: np.ndarray, stop: np.ndarray | None = None) -> np.ndarray:
    """Fine detail that goes under where material was moved about, less its local mean, so that hollows are filled
    by what the bumps between them lose.

    Parameters
    ----------
    detail :
        (rows, columns) float32, metres.
    worked :
        metres laid in all.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (rows, columns) float32, metres to take away.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    gone = by_rows(under, detail.shape, stop, detail, worked)
    return gone - gaussian(gone, 6.0, stop)


def full_extent(h: np.ndarray) -> tuple[int, int, int, int]:
    """All rows and columns of an array, as fill_pits wants them.

    Parameters
    ----------
    h :
        (rows, columns).

    Returns
    -------
    (0, rows, 0, columns).
    """
    return 0, h.shape[0], 0, h.shape[1]


def _onto(
    lattice: Lattice, maps: Form | tuple[np.ndarray, np.ndarray, np.ndarray], stop: np.ndarray | None
) -> list[np.ndarray]:
    """Maps at the lattice's nodes; one that is the same everywhere stays as it is."""
    varied = [a for a in maps if a.min() < a.max()]
    moved = iter(lattice.onto(varied, stop) if varied else ())
    return [next(moved) if a.min() < a.max() else a for a in maps]


def _keeping(a: np.ndarray, lattice: Lattice, seen: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
    """A map of metres worn or laid as seen from the grid, with the volume that it had on the lattice; and what that
    added anywhere."""
    held, now = float((a * lattice.plot).sum(dtype=np.float64)), np.maximum(seen, 0)
    kept = now * np.float32(held / max(volume(now), 1e-9))
    return kept, kept - seen


def log_area(area: np.ndarray, dx: float, stop: np.ndarray | None) -> np.ndarray:
    """Logarithm of drainage areas: between samples a channel narrows by it evenly.

    Parameters
    ----------
    area :
        (rows, columns) float32, m².
    dx :
        metres between samples.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (rows, columns) float32, the natural logarithm, of a cell's area at least.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    return by_rows(lambda a: np.log(np.maximum(a, np.float32(dx * dx))), area.shape, stop, area)


def _any(rain: Rain) -> float:
    """Share of what rain does at all, whatever its strength: none of it without any."""
    return min(1.0, 50 * rain.strength)


def _full(rain: Rain) -> float:
    """Share of what does not grow with the rain's strength any more from a fifth of it on."""
    return min(1.0, 5 * rain.strength)


def strong(strength: float) -> float:
    """Fraction to which rain of a strength wears land down beyond what one of middling strength does.

    Parameters
    ----------
    strength :
        0 to 1.

    Returns
    -------
    0 to 1.
    """
    return min(1.0, max(0.0, (strength - 0.5) / 0.3))


def _failing(rain: Rain, depth: int) -> tuple[float, float]:
    """Rise over run above which soft rock fails, and the share of the excess that goes a step."""
    if depth >= len(GLOBAL_STEPS):
        degrees, fraction = FAILURE_DEGREES + FINE_LEVEL_DEGREES, FAILURE_RATES[2] * min(1.0, 2 * rain.strength)
    else:
        weak = min(1.0, max(0.0, (0.5 - rain.strength) / 0.3))
        degrees, fraction = (
            FAILURE_DEGREES - WEAK_RAIN_DEGREES * weak,
            FAILURE_RATES[1 if depth >= 0 else 0] * _full(rain),
        )
    return math.tan(math.radians(degrees)) / max(_any(rain), 1e-3), fraction


def _trap(rain: Rain) -> float:
    """Share of a hollow that whole levels fill a step: where the form is kept, all of them together fill as much as the
    setting says, if there is sediment."""
    kept = 1 - (1 - rain.hollows) ** (KEPT_TRAP / sum(GLOBAL_STEPS))
    return rain.hollows + rain.form * (kept * _full(rain) - rain.hollows)


def pass_of(rain: Rain, depth: int, glimpse: bool) -> Pass:
    """Parameters of eroding a level.

    Parameters
    ----------
    rain :
        Rain.
    depth :
        -1 for the first grid, 0, 1 ... for the levels from the coarsest on.
    glimpse :
        only a few steps, which do as much as the many would.

    Returns
    -------
    kernels.erosion.Pass.
    """
    steps = (
        GLIMPSE_STEPS
        if glimpse
        else FIRST_STEPS
        if depth < 0
        else GLOBAL_STEPS[depth]
        if depth < len(GLOBAL_STEPS)
        else LOCAL_STEPS
    )
    fraction = FIRST_SHARE if depth < 0 else LEVEL_SHARE**depth * (FINE_SHARE if depth >= len(GLOBAL_STEPS) else 1.0)
    strength = ERODIBILITY * (CUT_AT_LEAST + CUT_GAIN * rain.strength**CUT_POWER) * _any(rain) * fraction / steps
    own, more = KEPT_FIRST if depth < 0 else KEPT_LEVEL
    strength *= 1 + rain.form * (own + more * rain.strength - 1)
    settles = rain.deposition**2
    return Pass(
        steps,
        strength,
        GULLY_AREA * rain.gully_spacing**2,
        EASE * settles if depth >= 0 else 0.0,
        CAPACITY * strength / settles if settles > 1e-4 else 0.0,
        rain.seed + 977 * depth,
        *_failing(rain, depth),
        _trap(rain) * (FIRST_TRAP * settles if depth < 0 else 1.0),
    )


def _dug(
    rain: Rain,
    ground: np.ndarray,
    soft: np.ndarray,
    fall: np.ndarray,
    lying: np.ndarray | None,
    depth: int,
    dx: float,
    stop: np.ndarray | None,
) -> np.ndarray:
    """Metres that ravines take off the surface before the last whole level is eroded, metres."""
    fraction = rain.ravines * _full(rain)
    if depth != len(GLOBAL_STEPS) - 1 or fraction <= 0:
        return np.zeros_like(ground)
    laid = np.zeros((1, 1), np.float32) if lying is None else lying
    down = strong(rain.strength)
    return ravines(ground, laid, soft, fall, rain.gully_spacing, fraction, down, rain.side, dx, rain.seed + 9001, stop)


def _bedded(
    rain: Rain,
    h: np.ndarray,
    low: np.ndarray,
    on: Moved,
    soft: np.ndarray,
    lattice: Lattice,
    depth: int,
    dx: float,
    left: float,
    form: Form | None,
    stop: np.ndarray | None,
) -> tuple:
    """A level with the beds of its rivers, what left it then and those beds' heights. low: without ripples, at the
    lattice's nodes."""
    size = sizes(h, depth, rain.gully_spacing, dx, stop)
    if size is None or rain.strength <= 0:
        return h, left, None
    deep = size[0] * (1 - rain.deposition**2) * _full(rain)
    sill = deep * (1 - rain.hollows**2)
    lowest = -np.inf if form is None else float(form.aim.min())
    assert on.way is not None  # a whole level has routed its water
    bedded, bed = river_beds(h, low, on.way, on.area, soft, lattice, deep, size[1], sill, dx, stop, lowest)
    return bedded, left + volume(h - bedded), bed


def taken_back(h: np.ndarray, start: np.ndarray, fraction: float) -> np.ndarray:
    """Part of its change that a level takes back at the coarser one's scale.

    Parameters
    ----------
    h, start :
        (rows, columns) float32, heights after and before, metres.
    fraction :
        0 to 1.

    Returns
    -------
    (rows, columns) float32, metres.
    """
    return np.float32(fraction) * up(halved(h - start))[: h.shape[0], : h.shape[1]]


def _kept_up(
    rain: Rain,
    how: Pass,
    start: np.ndarray,
    soft: np.ndarray,
    fall: np.ndarray,
    lattice: Lattice,
    depth: int,
    dx: float,
    stop: np.ndarray | None,
    form: Form | None,
) -> tuple[np.ndarray, Moved, np.ndarray, np.ndarray | None]:
    """Erodes a level's lattice, which keeps the form that its land had. Returns (heights, what was moved, metres that
    rose, rise over run of the land in the broad)."""
    if form is None:
        return *erode_global(start, soft, fall, lattice, how, dx, stop, depth < 0), np.zeros_like(start), None
    aim, steep = _onto(lattice, form, stop)
    steep = np.maximum(steep, 0)
    less = spared(rain.form, steep)
    # What spares rock from the water is not to make it bear steeper slopes, too.
    stands = bears(rain.form, rain.strength, steep, how.steep) * np.sqrt(less)
    uplift = Uplift(rain.form, rain.strength, Form(aim, steep), how.steps, depth, dx, stop)
    h, on = erode_global(start, soft * less, fall, lattice, how, dx, stop, depth < 0, stands, uplift)
    return h, on, uplift.risen, steep


def erode(
    rain: Rain,
    start: np.ndarray,
    soft: np.ndarray,
    fall: np.ndarray,
    depth: int,
    dx: float,
    stop: np.ndarray | None,
    lying: np.ndarray | None = None,
    back: float = 0.0,
    form: Form | None = None,
    glimpse: bool = False,
) -> tuple[np.ndarray, Moved, np.ndarray | None]:
    """Erodes a whole level, which is flooded from edge to edge, on a bent lattice.

    Parameters
    ----------
    rain :
        Rain.
    start :
        (rows, columns) float32, the surface before, metres.
    soft, fall :
        erodibility and rain, 0 to 1.
    depth :
        -1 for the first grid, 0, 1 ... for the levels from the coarsest on.
    dx :
        metres between samples.
    stop :
        uint8[1] or None; set when a stop is asked for.
    lying :
        metres of sediment on the surface before, of the last whole level; none when left out.
    back :
        0 to 1, the share of what the level changes at the coarser one's scale that is taken back.
    form :
        the form that its land had; None keeps none of it.
    glimpse :
        only a few steps, which do as much as the many would.

    Returns
    -------
    (heights in metres, what was moved with the logarithm of areas and in m³ what left, streams of the last whole level
    as lines or None).

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    As kernels.erosion.
    """
    how = pass_of(rain, depth, glimpse)
    dug = _dug(rain, start, soft, fall, lying, depth, dx, stop)
    if form is not None:
        dug = np.minimum(dug, np.maximum(start - form.aim.min(), 0))
    start = start - dug
    lattice = bent(start.shape, rain.seed % LATTICES + 311 * depth, stop)
    there, soft, fall = _onto(lattice, (start, soft, fall), stop)
    # Gullies begin at a level's ripples as long as those are no closer than the gullies are to be.
    ripple = FIRST_RIPPLE if depth < 0 else RIPPLE * min(1.0, max(0.0, 8 * dx / rain.gully_spacing - RIPPLE_FROM))
    ripples = _ripples(rain, there, dx, ripple, stop)
    rock, soft = soft, np.clip(soft, 0, 1) * _uneven(rain, start.shape, dx, lattice, stop)
    ground = (there + ripples, soft, np.maximum(fall, 0))
    h, on, risen, steep = _kept_up(rain, how, *ground, lattice, depth, dx, stop, form)
    # Ripples are taken away where water left them as they were; what it took of the others is none of the land's.
    kept = ripples * np.exp(-(on.worn + np.float32(0.2) * on.laid) / np.float32(0.1 * dx))
    kept = kept / (1 + np.square(on.area / np.float32(RIPPLE_AREA * dx * dx)))
    left = volume(dug) + on.left - float(((ripples - kept) * lattice.plot).sum(dtype=np.float64))
    low = h - kept
    if steep is not None:  # beds are shallow where the land was level, and where it has become so
        rock = rock * shallow(rain.form, np.minimum(steep, in_the_broad(low, depth, dx, stop)))
    on_lattice = (there, low - there, on.worn, on.laid, on.worked, on.area, risen)
    level, change, *maps, rose = lattice.back(on_lattice, stop)
    (worn, more_worn), (laid, more_laid) = (
        _keeping(a, lattice, m) for a, m in ((on.worn, maps[0]), (on.laid, maps[1]))
    )
    rose, more_risen = _keeping(risen, lattice, rose)
    worked = np.maximum(maps[2], 0)
    # What two looks through the lattice blur stays as it was on rock, and is buried by sediment.
    h = start + change + more_laid - more_worn + more_risen - buried(start - level, worked, stop)
    if back > 0:  # before rivers have their beds, which stay whole
        gone = taken_back(h, start, back)
        h, low, left = h - gone, low - lattice.onto((gone,), stop)[0], left + volume(gone)
    h, left, bed = _bedded(rain, h, low, on, rock, lattice, depth, dx, left, form, stop)
    # Channels between samples would show as dotted lines of pits; what fills them is of the load that would have left.
    left -= fill_pits(h, laid, full_extent(h))
    lines = None
    if depth == len(GLOBAL_STEPS) - 1 and on.way is not None:
        first, least = receivers(on.way, h.shape[1]), STREAM_AREA * rain.gully_spacing**2
        bed = np.full(h.size, np.inf) if bed is None else bed
        lines = pieces(lattice.x, lattice.y, on.area, first, least, dx, bed)
    cell = dx * dx
    return h, Moved(worn, laid, worked, log_area(maps[3], dx, stop), left * cell, None, volume(rose) * cell), lines
