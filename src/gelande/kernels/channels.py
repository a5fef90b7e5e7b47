"""Running water: the courses that streams take over a land, and the channels that they cut."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from .bands import check, kernel
from .flow import drain, receivers
from .grid_window import GridWindow
from .lattice import WATER, bent
from .streams import beside, drainage_on_lattice, smoothed, within
from .transfer import sample_all
from .water import DRY, measured, standing

#: How much deeper than a full channel a hollow is at least in which water stands, and how many channels broad.
DEEPER, BROADER = 1.5, 5.0
#: Metres below what is left of standing water at which a stream has come to it, and how many cells it goes on.
NEAR_SHORE, INTO = 0.05, 3
#: Samples beside a course that have the bed's height: nearly every point of it then lies between four that do, and on
#: fine levels, whose ground is not looked at for it, every one.
FLOOR, FINE_FLOOR = 1.22, 1.42
#: Samples by which a course may lie farther than the nearest one to lower the bed.
BESIDE = 0.5
#: Step of running water from sample to sample, metres a metre, beyond that of its bed; and over how many samples it
#: comes down to that.
STEP, ROUNDS = 0.2, 2
#: Samples across an islet that streams cross below the water's surface.
ISLET = 5
#: Samples within which two courses have one bed, cells of one course that may lie within that, and how often beds are
#: made one and to fall by turns.
MEET, ALONG, TURNS = 2.0, 7, 3
#: Metres by which the bed that is cut may rise from one cell of a course to the next, and how often it is looked at;
#: how many times as much it is lowered: some of it is lost where samples belong to two cells.
RISE, LOOKS, LOWERED = 0.005, 12, 2.0


@kernel
def _fall(order, first, bed, wet, leaves):
    """Lowers beds so that every cell's is at most that of any cell which drains to it, but for what leaves standing
    water."""
    for i in order:
        j = first[i]
        if j >= 0 and bed[j] > bed[i] and not (leaves[j] and wet[i]):
            bed[j] = bed[i]


@kernel
def _through(order, first, still, wet, leaves, within):
    """Marks the cells over which water leaves what stands, up to its spill; and how many cells beyond its shore each
    cell in the water lies."""
    for i in order:
        j = first[i]
        if j < 0:
            continue
        if wet[j]:
            within[j] = max(within[j], 1 if not wet[i] else min(within[i] + 1, 100) if within[i] > 0 else 0)
        elif still[j] and (wet[i] or leaves[i]):
            leaves[j] = True


def _meeting(x: np.ndarray, y: np.ndarray, cells: np.ndarray, first: np.ndarray, dx: float) -> np.ndarray:
    """Pairs of cells of two courses that pass so near each other that the samples between them can hold one bed
    alone: (n, 2). x, y: metres of the cells."""
    from scipy.spatial import cKDTree  # heavy to import

    near = cells[cKDTree(np.stack([x, y], 1)).query_pairs(MEET * dx, output_type="ndarray")]
    apart = np.ones(len(near), np.bool_)
    for one, other in (near.T, near.T[::-1]):
        at = one
        for _ in range(ALONG):  # one that comes after the other on the same course is no other course
            at = np.where(at >= 0, first[at], -1)
            apart &= at != other
    return near[apart]


def _grade(
    order: np.ndarray, first: np.ndarray, bed: np.ndarray, wet: np.ndarray, leaves: np.ndarray, pairs: np.ndarray
) -> None:
    """Lowers beds so that they fall, and those of each pair to one height."""
    for _ in range(TURNS):
        _fall(order, first, bed, wet, leaves)
        low = bed[pairs].min(axis=1)
        for k in (0, 1):
            np.minimum.at(bed, pairs[:, k], low)
    _fall(order, first, bed, wet, leaves)


def _nearest(at: np.ndarray, count: int) -> np.ndarray:
    """Number of the row or column nearest to places in cells."""
    return np.clip(np.rint(at).astype(np.int64), 0, count - 1)


@dataclass(frozen=True)
class Pools:
    """Standing water into which streams run.

    lake: number of each sample's hollow or -1; spill: of each hollow, metres, DRY where streams cut through its
    sill."""

    lake: np.ndarray
    spill: np.ndarray

    def at(self, x: np.ndarray, y: np.ndarray) -> tuple[np.ndarray, np.ndarray]:
        """(number of the hollow or -1, spill in metres or DRY) beside places in cells east and south."""
        lake = self.lake[_nearest(y, self.lake.shape[0]), _nearest(x, self.lake.shape[1])]
        return lake, np.where(lake >= 0, self.spill[np.maximum(lake, 0)], DRY)


def pools(h: np.ndarray, dx: float, sills: float, width: float, deep: float, stop: np.ndarray | None = None) -> Pools:
    """Standing water on the way of streams: in hollows that are deeper than what they cut through and than they
    are themselves, and broader than a few channels.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    dx :
        metres between samples.
    sills :
        depth of the hollows that are drained, metres.
    width, deep :
        full width and depth of a channel, metres.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    Pools.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    lake, spill, bottom, area = measured(h, dx, stop)
    drained = (spill - bottom <= max(sills, DEEPER * deep)) | (area < (BROADER * width) ** 2)
    return Pools(lake, np.where(drained, DRY, spill))


def _under(
    held: Pools, lake: np.ndarray, spill: np.ndarray, own: np.ndarray, cut: np.ndarray
) -> tuple[np.ndarray, np.ndarray]:
    """Mask of the ground under standing water; and which does after the outlets have cut into its sill, metres: that
    water is lost to what comes later. lake, spill: of held.at() beside the ground, own its height."""
    still, outlet = (spill > DRY) & (own < spill), np.zeros(len(held.spill))
    np.maximum.at(outlet, lake[still], cut[still])
    return still, still & (own < spill - outlet[np.maximum(lake, 0)] - NEAR_SHORE)


def courses(
    h: np.ndarray,
    dx: float,
    least: float,
    full: float,
    width: float,
    deep: float,
    sills: float,
    supply=None,
    uneven: np.ndarray | None = None,
    stop: np.ndarray | None = None,
    bank: float = 0.0,
) -> tuple[np.ndarray, np.ndarray]:
    """Channels of a height; every bed falls all the way to the site's edge or to standing water, through the sills of
    shallow hollows. Sought on a bent lattice, so that streams do not run along the grid's eight ways.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    dx :
        metres between samples.
    least, full :
        drainage areas in m² where channels begin and have their full size.
    width, deep :
        full width and depth, metres.
    sills :
        depth of hollows whose sills are cut through, metres; in deeper ones water stands.
    supply :
        rain 0 to 1, or None.
    uneven :
        metres of unevenness by which streams find their way over level ground, or None.
    stop :
        uint8[1] or None; set when a stop is asked for.
    bank :
        metres over which the land beside is graded down.

    Returns
    -------
    (pieces, surface): (n, 10) float64 of x0, y0, x1, y1 (metres east and south of the north-west corner), width0,
    width1, bed0, bed1 (metres), depth, and 1 where the bed is raised over dips, 0 under standing water; and the
    standing water's surface, (rows, columns) float32, metres or DRY.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    Leopold, L. B. and Maddock, T. (1953): The hydraulic geometry of stream channels.
    """
    from scipy import ndimage  # heavy to import

    lattice, ground = bent(h.shape, WATER, stop), np.ascontiguousarray(h, np.float32)
    # A channel is in one place: each cell drains to its best neighbour alone.
    _, area, first, order = drainage_on_lattice(
        h if uneven is None else h + uneven, lattice, dx, supply, stop, 7, 0.3, True
    )
    size = np.clip(area / full, 1e-6, 1.0)
    depth = deep * size**0.4
    own = lattice.onto([ground], stop)[0].ravel()
    held = pools(ground, dx, sills, width, deep, stop)
    lake, spill = held.at(lattice.x.ravel(), lattice.y.ravel())
    still, wet = _under(held, lake, spill, own, depth * (area >= least))
    leaves, inside = np.zeros(len(wet), np.bool_), np.zeros(len(wet), np.int64)
    _through(order, first, still, wet, leaves, inside)
    bed = np.where(leaves, spill - depth, own - depth)
    here = np.flatnonzero((area >= least) & (~wet | (inside > 0) & (inside <= INTO)))
    x, y = (a * float(dx) for a in smoothed(lattice.x, lattice.y, area, first, here))
    # Smoothed courses leave the valley's deepest line here and there; the bed must lie below the ground that they run
    # over.
    top = sample_all((ground,), y[None, here] / dx, x[None, here] / dx, stop)[0, 0]
    bed[here] = np.minimum(bed[here], np.where(leaves[here], spill[here], top) - depth[here])
    running = here[~still[here]]
    pairs = _meeting(x[running], y[running], running, first, dx)
    _grade(order, first, bed, wet, leaves, pairs)
    i = here[first[here] >= 0]
    j = first[i]
    i, j = i[~(wet[i] & leaves[j])], j[~(wet[i] & leaves[j])]
    wide = width * np.sqrt(size)
    surface = standing(ground, held.lake, held.spill)
    # A bed that crosses an islet lies as deep as the water about it; so does one whose end lies under water.
    about = ndimage.maximum_filter(surface, ISLET)[_nearest(y / dx, h.shape[0]), _nearest(x / dx, h.shape[1])]
    around = np.maximum(about[i], about[j])
    for turn in range(LOOKS + 1):
        drowned = np.minimum(bed[i] + depth[i], bed[j] + depth[j]) < around
        dry = ~(wet[j] | leaves[i] | still[i] | drowned)
        found = np.stack([x[i], y[i], x[j], y[j], wide[i], wide[j], bed[i], bed[j], depth[i], dry], 1)
        rise = _rises(ground, found, dx, bank, stop) if turn < LOOKS else np.zeros(0)
        if not (rise > RISE).any():
            break
        np.minimum.at(bed, j, bed[j] - LOWERED * np.maximum(rise, 0))
        if turn >= LOOKS // 2:  # a fall round a bend lowers samples above it, too: there the bed begins to fall
            above = j[rise > RISE]
            beyond = first[np.maximum(first[above], 0)]
            np.minimum.at(bed, above[beyond >= 0], bed[beyond[beyond >= 0]])
        _grade(order, first, bed, wet, leaves, pairs)
    return found, surface


def _rises(h: np.ndarray, pieces: np.ndarray, dx: float, bank: float, stop: np.ndarray | None) -> np.ndarray:
    """Metres by which the bed that is cut rises along each piece: none where water stands."""
    from scipy import ndimage  # heavy to import

    out = cut_channels(h, pieces, dx, bank, 0.0, stop)[0]
    a, b = (ndimage.map_coordinates(out, pieces[:, [k + 1, k]].T / dx, order=1, mode="nearest") for k in (0, 2))
    return np.where(pieces[:, 9] > 0.5, b - a, 0.0)


def _onward(h: np.ndarray, dx: float, x: float, y: float, held: Pools, deep: float, stop=None) -> np.ndarray:
    """Places (x, y) that water passes from a point on, down to the site's edge or into standing water, smoothed."""
    lattice = bent(h.shape, WATER, stop)
    (h,) = lattice.onto([h], stop)
    way = drain(h, 7, 0.3, True, stop)[1]
    first, (rows, columns) = receivers(way, h.shape[1]), h.shape
    spill = held.at(lattice.x.ravel(), lattice.y.ravel())[1]
    here = min(max(round(y / dx), 0), rows - 1), min(max(round(x / dx), 0), columns - 1)
    at = min(max(round(float(lattice.rows[here])), 0), rows - 1) * columns + min(
        max(round(float(lattice.columns[here])), 0), columns - 1
    )
    cells, beyond = [at], 0
    while first[at] >= 0 and beyond < INTO:
        beyond += h.flat[at] < spill[at] - deep - NEAR_SHORE
        at = int(first[at])
        cells.append(at)
    path = np.stack([lattice.x.flat[cells], lattice.y.flat[cells]], 1).astype(np.float64) * dx
    path[0] = x, y  # the line's own end, beside the node it goes on from
    for _ in range(4):
        path[1:-1] = 0.5 * path[1:-1] + 0.25 * (path[:-2] + path[2:])
    return path[1:]


def drawn_course(
    points: np.ndarray,
    h: np.ndarray,
    dx: float,
    site_depth: float,
    width: float,
    deep: float,
    sills: float = 0.0,
    stop=None,
) -> tuple[np.ndarray, np.ndarray]:
    """One channel along a drawn line from its head down; its bed never rises. Where the line ends on dry land it
    runs on downhill at its full size.

    Parameters
    ----------
    points :
        (n, 2), east and north, metres.
    h :
        (rows, columns) float32, heights in metres.
    dx :
        metres between samples.
    site_depth :
        metres from north to south.
    width, deep :
        full width and depth, metres.
    sills :
        as of courses.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (pieces, surface) as of courses.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    h = np.ascontiguousarray(h, np.float32)
    steps = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(points, axis=0).T))])
    at = np.linspace(0.0, steps[-1], max(2, int(steps[-1] / dx) + 1))
    x, y = np.interp(at, steps, points[:, 0]), site_depth - np.interp(at, steps, points[:, 1])
    held = pools(h, dx, sills, width, deep, stop)
    on = _onward(h, dx, x[-1], y[-1], held, deep, stop)
    size = np.concatenate([np.clip(0.35 + 0.65 * at / steps[-1], 0, 1), np.ones(len(on))])
    x, y = np.concatenate([x, on[:, 0]]), np.concatenate([y, on[:, 1]])
    c, r = (
        np.clip((x / dx).round().astype(int), 0, h.shape[1] - 1),
        np.clip((y / dx).round().astype(int), 0, h.shape[0] - 1),
    )
    bed = np.minimum.accumulate(h[r, c] - deep * size)
    wide, dry = width * size, h[r, c] >= held.at(x / dx, y / dx)[1]
    found = np.stack(
        [x[:-1], y[:-1], x[1:], y[1:], wide[:-1], wide[1:], bed[:-1], bed[1:], (deep * size)[:-1], dry[1:]], 1
    )
    return found, standing(h, held.lake, held.spill)


@kernel
def _near(nearest, pieces, top, left, dx, floor, stop):
    """Distance of every sample from the nearest course, as far as beds are level beside it."""
    bottom, right = top + nearest.shape[0], left + nearest.shape[1]
    for k in range(pieces.shape[0]):
        if k & 255 == 0 and stop[0]:
            return
        x0, y0, x1, y1 = pieces[k, 0], pieces[k, 1], pieces[k, 2], pieces[k, 3]
        ax, ay, reach = x1 - x0, y1 - y0, floor + dx
        length = max(ax * ax + ay * ay, 1e-9)
        row0, row1, column0, column1 = within(x0, y0, x1, y1, reach, dx, top, bottom, left, right)
        for r in range(row0 - top, row1 - top):
            for c in range(column0 - left, column1 - left):
                _, d = beside((left + c) * dx, (top + r) * dx, x0, y0, ax, ay, length)
                nearest[r, c] = min(nearest[r, c], d)


@kernel
def _cut(h, nearest, banks, away, trough, inside, deepened, surface, pieces, top, left, dx, level, bank, fill, stop):
    """For every sample: the graded bank of the nearest piece (away: how far that is; a lower piece downstream must
    not undercut it), the lowest trough, how far it lies inside a channel, how far the trough is its height, and the
    water's surface. Arrays begin at row ``top`` and column ``left`` of the whole grid. level: metres beside a course
    that have the bed's height.

    All samples beside a course have the bed's height, however narrow the channel: else a grid coarser than it would
    show a bed that rises and falls."""
    bottom, right = top + h.shape[0], left + h.shape[1]
    for k in range(pieces.shape[0]):
        if k & 255 == 0 and stop[0]:
            return
        floor = level * pieces[k, 9]  # what is under water is as wide as it is
        x0, y0, x1, y1, deep = pieces[k, 0], pieces[k, 1], pieces[k, 2], pieces[k, 3], pieces[k, 8]
        reach = max(0.5 * max(pieces[k, 4], pieces[k, 5]), floor + 0.5 * dx) + max(bank, 0.5 * dx)
        ax, ay = x1 - x0, y1 - y0
        length = max(ax * ax + ay * ay, 1e-9)
        row0, row1, column0, column1 = within(x0, y0, x1, y1, reach, dx, top, bottom, left, right)
        for r in range(row0 - top, row1 - top):
            for c in range(column0 - left, column1 - left):
                t, d = beside((left + c) * dx, (top + r) * dx, x0, y0, ax, ay, length)
                half = 0.5 * (pieces[k, 4] + t * (pieces[k, 5] - pieces[k, 4]))
                bed = pieces[k, 6] + t * (pieces[k, 7] - pieces[k, 6])
                cover, wide = min(1.0, (half - d) / dx + 0.5), max(half, floor + 0.5 * dx)
                if cover > 0.0:
                    inside[r, c] = max(inside[r, c], cover)
                # Of two courses that pass near each other, each has its own bed.
                if d < wide + 0.5 * dx and d < max(nearest[r, c], half) + BESIDE * dx:
                    q = min(1.0, max(0.0, (d - floor) / max(wide - floor, 1e-6)))
                    z = bed + deep * q * q  # a parabolic trough up to the brim
                    # Dips are raised beside a course alone; what another piece raises, this one leaves.
                    if pieces[k, 9] < 0.5 and z >= h[r, c]:
                        if trough[r, c] > 1e8:
                            surface[r, c] = bed + fill * deep
                        continue
                    if q > 0.0 and nearest[r, c] > level:
                        z = min(z, h[r, c])
                    deepened[r, c] = max(deepened[r, c], min(1.0, (wide - d) / dx + 0.5))
                    if z < trough[r, c]:
                        trough[r, c], surface[r, c] = z, bed + fill * deep
                # A bank ends where it does at every detail, however wide the trough has to be on this grid.
                reaches = max(half + bank - wide, 0.0)
                if wide < d < wide + reaches and d - wide < away[r, c]:
                    s = (d - wide) / reaches
                    away[r, c] = d - wide
                    banks[r, c] = min(h[r, c], bed + deep + (h[r, c] - bed - deep) * s * s * (3.0 - 2.0 * s))


def cut_channels(
    h: np.ndarray,
    pieces: np.ndarray,
    dx: float,
    bank: float,
    fill: float,
    stop: np.ndarray | None = None,
    window: GridWindow | None = None,
    floor: float = FLOOR,
) -> tuple[np.ndarray, np.ndarray, np.ndarray]:
    """Cuts channels into a height. In a channel the bed is set, raised where the land dips below it, so that it
    falls all the way.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    pieces :
        as of courses.
    dx :
        metres between samples.
    bank :
        metres over which the land beside is graded down.
    fill :
        how full of water, of its depth, 0 to 1.
    stop :
        uint8[1] or None; set when a stop is asked for.
    window :
        what h holds, its whole grid when left out.
    floor :
        samples beside a course that have the bed's height.

    Returns
    -------
    (height in metres, how far each sample lies inside a channel 0 to 1, water surface in metres or DRY), float32.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    h, window = np.ascontiguousarray(h, np.float32), window or GridWindow.of(h.shape)
    banks, trough, away = h.copy(), np.full_like(h, 1e9), np.full_like(h, 1e9)
    inside, deepened, surface = np.zeros_like(h), np.zeros_like(h), np.full_like(h, DRY)
    stop = np.zeros(1, np.uint8) if stop is None else stop
    how = (window.top, window.left, float(dx), float(floor * dx))
    nearest = np.full_like(h, 1e9)
    _near(nearest, np.ascontiguousarray(pieces), *how, stop)
    widths = (float(bank), float(fill), stop)
    _cut(h, nearest, banks, away, trough, inside, deepened, surface, np.ascontiguousarray(pieces), *how, *widths)
    check(stop)
    cut = np.where(deepened > 0, banks + (np.minimum(trough, 1e8) - banks) * deepened, banks)
    return cut.astype(np.float32), inside, surface


def without_steps(surface: np.ndarray, ground: np.ndarray, dx: float, rounds: int = ROUNDS) -> np.ndarray:
    """Water without the blocks that stand where streams of several depths share samples: it lies over the water
    beside it no more than the ground does and a step.

    Parameters
    ----------
    surface :
        (rows, columns) float32, metres, DRY where there is none.
    ground :
        (rows, columns) float32, its bed in metres.
    dx :
        metres between samples.
    rounds :
        how many samples lower water reaches at most.

    Returns
    -------
    (rows, columns) float32, metres or DRY.
    """
    out, step = surface.copy(), np.float32(STEP * dx)
    for _ in range(rounds):
        before = out.copy()
        for axis in (0, 1):
            one = (slice(1, None), slice(None)) if axis == 0 else (slice(None), slice(1, None))
            other = (slice(None, -1), slice(None)) if axis == 0 else (slice(None), slice(None, -1))
            for a, b in ((one, other), (other, one)):
                most = before[b] + np.maximum(ground[a] - ground[b], 0) + step
                out[a] = np.where(before[b] > DRY, np.minimum(out[a], most), out[a])
    return np.where(surface > DRY, np.maximum(out, np.minimum(surface, ground)), surface)
