"""Standing water: the hollows of a land and how full they are, and the sea."""

from __future__ import annotations

import numpy as np

from .bands import Stopped, kernel, over_rows
from .flow import DX, DY, FAR, flood

#: Height that stands for "no water here", metres.
DRY = -1e9
#: Samples from the water up to which a gap in a shore is closed, and how steeply what closes it falls off.
DAM, FALL = 6, 0.35


@kernel
def _label(h, level, lake, queue):
    """Numbers the connected waters (eight neighbours) from 0; -1 on dry ground. Returns how many there are."""
    rows, columns = h.shape
    count = 0
    for r0 in range(rows):
        for c0 in range(columns):
            if lake[r0, c0] != -2:
                continue
            if level[r0, c0] <= h[r0, c0]:
                lake[r0, c0] = -1
                continue
            lake[r0, c0] = count
            queue[0], n, done = r0 * columns + c0, 1, 0
            while done < n:
                r, c = queue[done] // columns, queue[done] % columns
                done += 1
                for k in range(8):
                    y, x = r + DY[k], c + DX[k]
                    if 0 <= y < rows and 0 <= x < columns and lake[y, x] == -2:
                        if level[y, x] > h[y, x]:
                            lake[y, x] = count
                            queue[n] = y * columns + x
                            n += 1
                        else:
                            lake[y, x] = -1
            count += 1
    return count


def filled_depressions(h: np.ndarray, stop: np.ndarray | None = None) -> tuple[np.ndarray, np.ndarray]:
    """Water surface of filled depressions.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (spill level in metres, number of each cell's lake or -1 on dry ground), of h's shape.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    Barnes, R., Lehman, C. and Mulla, D. (2014): Priority-flood.
    """
    stop = np.zeros(1, np.uint8) if stop is None else stop
    h = np.ascontiguousarray(h, np.float32)
    order, parent = (np.empty(h.size, np.int32) for _ in range(2))
    level, lake = h.copy(), np.full(h.shape, -2, np.int32)
    if not flood(h, level, order, parent, False, stop):
        raise Stopped
    _label(h, level, lake, order)
    return level, lake


@kernel
def _measure(h, level, lake, spill, bottom, cells):
    """Lowest spill, lowest ground and size of every lake. The flood rounds a lake's level to a bucket; its lowest
    one counts."""
    flat, water, which = h.ravel(), level.ravel(), lake.ravel()
    for i in range(len(flat)):
        n = which[i]
        if n >= 0:
            spill[n], bottom[n] = min(spill[n], water[i]), min(bottom[n], flat[i])
            cells[n] += 1


def measured(
    h: np.ndarray, dx: float, stop: np.ndarray | None = None
) -> tuple[np.ndarray, np.ndarray, np.ndarray, np.ndarray]:
    """The hollows of a land, how high they can fill and how large they are.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    dx :
        metres between samples.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (number of each cell's hollow or -1; then of each hollow: spill and lowest ground in metres, area in m²).

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    As filled_depressions.
    """
    h = np.ascontiguousarray(h, np.float32)
    level, lake = filled_depressions(h, stop)
    count = max(1, int(lake.max()) + 1)
    spill, bottom, cells = np.full(count, 1e9), np.full(count, 1e9), np.zeros(count, np.int64)
    _measure(h, level, lake, spill, bottom, cells)
    return lake, spill, bottom, cells * dx * dx


def surfaces(
    h: np.ndarray,
    dx: float,
    fraction: float,
    top: float | None,
    least_depth: float,
    least_area: float,
    stop: np.ndarray | None = None,
    holds: np.ndarray | None = None,
) -> np.ndarray:
    """Water surfaces over the hollows that hold water, flat over each lake.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    dx :
        metres between samples.
    fraction :
        how full, of a lake's greatest depth, 0 to 1.
    top :
        a height that water rises to instead, metres, or None.
    least_depth, least_area :
        lakes that are shallower (m) or smaller (m²) when full are left out.
    stop :
        uint8[1] or None; set when a stop is asked for.
    holds :
        mask of h's shape: hollows where it is under one half on the whole are left out; None: none is.

    Returns
    -------
    (rows, columns) float32, metres, DRY where there is none.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    As hollows.
    """
    lake, spill, bottom, area = measured(h, dx, stop)
    surface = np.minimum(spill, top) if top is not None else spill - (1.0 - fraction) * (spill - bottom)
    surface[(spill - bottom < least_depth) | (area < least_area)] = DRY
    if holds is not None:
        inside = lake >= 0
        white = np.bincount(lake[inside], holds[inside], len(spill)) / np.maximum(
            np.bincount(lake[inside], None, len(spill)), 1
        )
        surface[white < 0.5] = DRY
    return standing(h, lake, surface)


def standing(h: np.ndarray, lake: np.ndarray, surface: np.ndarray) -> np.ndarray:
    """Water surfaces over a land.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    lake :
        number of each cell's hollow or -1, of h's shape.
    surface :
        of each hollow, metres or DRY.

    Returns
    -------
    (rows, columns) float32, metres, DRY where there is none.
    """
    out = np.where(lake >= 0, surface[np.maximum(lake, 0)], DRY).astype(np.float32)
    return np.where(out > h, out, np.float32(DRY))


@kernel
def _dam_rows(h, surface, crest, out, row0, row1, fall, first):
    """Crests around water, then around crests: dry ground that lies lower takes the highest one's height beside it,
    less the fall."""
    rows, columns = h.shape
    for r in range(row0, row1):
        for c in range(columns):
            top = crest[r, c]
            if surface[r, c] <= h[r, c]:
                for k in range(8):
                    y, x = r + DY[k], c + DX[k]
                    if 0 <= y < rows and 0 <= x < columns:
                        if first:
                            beside = surface[y, x] if surface[y, x] > h[y, x] else np.float32(DRY)
                        else:
                            beside = crest[y, x] - np.float32(fall * FAR[k])
                        if beside > h[r, c] and beside > top:
                            top = beside
            out[r, c] = top


def dammed(h: np.ndarray, surface: np.ndarray, dx: float, stop=None) -> np.ndarray:
    """Ground that holds its water: a finer grid than the one on which surfaces were found may have gaps in a shore,
    which are raised to the water's surface, and fall off outwards.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    surface :
        of standing water, metres or DRY, of h's shape.
    dx :
        metres between samples.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (rows, columns) float32, metres. What is raised lies at most DAM samples from water.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    crest = np.full(h.shape, DRY, np.float32)
    for k in range(DAM):
        out = np.empty_like(crest)
        over_rows(lambda a, b, s=crest, t=out, f=k == 0: _dam_rows(h, surface, s, t, a, b, FALL * dx, f), len(h), stop)
        crest = out
    return np.maximum(h, crest)


@kernel
def _spread_rows(surface, h, out, row0, row1):
    """Rows of a water surface, carried on one sample over the dry ground beside it."""
    rows, columns = surface.shape
    for r in range(row0, row1):
        for c in range(columns):
            s = surface[r, c]
            if s < -1e8:
                for k in range(8):
                    y, x = r + DY[k], c + DX[k]
                    if 0 <= y < rows and 0 <= x < columns and surface[y, x] > s and h[r, c] >= surface[y, x]:
                        s = surface[y, x]
            out[r, c] = s


def spread(surface: np.ndarray, h: np.ndarray, cells: int = 2) -> np.ndarray:
    """Water surfaces carried over the shore onto higher ground, so that a finer grid can find its own waterline.

    Parameters
    ----------
    surface :
        (rows, columns) float32, metres or DRY.
    h :
        (rows, columns) float32, heights in metres.
    cells :
        how far.

    Returns
    -------
    (rows, columns) float32.
    """
    for _ in range(cells):
        out = np.empty_like(surface)
        over_rows(lambda a, b, s=surface: _spread_rows(s, h, out, a, b), h.shape[0])
        surface = out
    return surface


def _between(a: np.ndarray, b: np.ndarray) -> np.ndarray:
    """Surfaces half way between samples: dry beside a dry one, which is where water runs over a spill, and where two
    waters of different level would meet."""
    return np.where(a != b, np.float32(DRY), a)


def up_surface(surface: np.ndarray) -> np.ndarray:
    """Surfaces one level finer, so that each lake stays flat and two that are only parted by a sill stay two.

    Parameters
    ----------
    surface :
        (rows, columns) float32, metres or DRY.

    Returns
    -------
    (2 rows - 1, 2 columns - 1) float32.
    """
    out = np.empty((2 * surface.shape[0] - 1, 2 * surface.shape[1] - 1), np.float32)
    out[::2, ::2] = surface
    out[1::2, ::2] = _between(surface[:-1], surface[1:])
    out[:, 1::2] = _between(out[:, :-2:2], out[:, 2::2])
    return out


@kernel
def _edge_water(h, sea, wet, queue):
    """Marks all cells below the sea's level that water can reach from the site's edge (four neighbours)."""
    rows, columns = h.shape
    n = 0
    for r in range(rows):
        step = 1 if r == 0 or r == rows - 1 else columns - 1
        for c in range(0, columns, step):
            if h[r, c] < sea and not wet[r, c]:
                wet[r, c] = 1
                queue[n] = r * columns + c
                n += 1
    done = 0
    while done < n:
        r, c = queue[done] // columns, queue[done] % columns
        done += 1
        for k in range(8):
            y, x = r + DY[k], c + DX[k]
            if 0 <= y < rows and 0 <= x < columns and not wet[y, x] and h[y, x] < sea:
                wet[y, x] = 1
                queue[n] = y * columns + x
                n += 1


def open_water(h: np.ndarray, sea: float) -> np.ndarray:
    """Mask of the sea: below its level and joined to the site's edge.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    sea :
        its level, metres.

    Returns
    -------
    (rows, columns) uint8.
    """
    wet = np.zeros(h.shape, np.uint8)
    _edge_water(np.ascontiguousarray(h, np.float32), np.float32(sea), wet, np.empty(h.size, np.int64))
    return wet


@kernel
def _coast_rows(
    h, along, reach, out, water, depth, shore, surface, row0, row1, level, beach, cliff, broken, film, white_depth
):
    """One profile of the coast a sample: land within reach of the waves is worn to a beach, then rises in a cliff
    to where it stood."""
    near, columns = max(beach, 4.2 * film), h.shape[1]
    for r in range(row0, row1):
        for c in range(columns):
            here = h[r, c]
            out[r, c], water[r, c], depth[r, c], shore[r, c], surface[r, c] = here, 0.0, 0.0, 0.0, DRY
            if (reach[r, c] if reach.size > 1 else reach[0, 0]) <= 0.5:
                continue
            d = here - level
            uneven = min(2.0, max(0.0, 1.0 + (along[r, c] if along.size > 1 else along[0, 0]) * 2.2 * broken))
            top = max(beach, 1e-3) * min(1.7, max(0.3, 2.0 - uneven))
            foot = top + cliff * uneven  # land lower than this is in the sea's reach
            if 0.0 < d < foot:
                t = d / foot
                s, q = min(1.0, t / 0.6), max(0.0, (t - 0.6) / 0.4)  # beach up to six tenths of the way
                worn = 0.45 * top * s * s * (3.0 - 2.0 * s) * min(3.0 * t, 1.0) + (foot - 0.45 * top) * q * q * (
                    3.0 - 2.0 * q
                )
                out[r, c] = level + min(worn, d)
            elif -2.0 * top < d <= 0.0:  # the beach goes on below the water
                out[r, c] = level - 2.0 * top * (-d / (2.0 * top)) ** 1.4
            deep = level - out[r, c]
            shore[r, c] = max(0.0, 1.0 - abs(deep) / near)
            if deep > 0.0:
                water[r, c], depth[r, c], surface[r, c] = min(1.0, deep / film), min(1.0, deep / white_depth), level


def coast(
    h: np.ndarray,
    along: np.ndarray,
    reach: np.ndarray,
    level: float,
    beach: float,
    cliff: float,
    broken: float,
    film: float,
    white_depth: float,
    stop: np.ndarray | None = None,
) -> tuple:
    """Land at the sea, by a curve of height alone, so that every detail agrees.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    along :
        noise about -1 to 1 by which beach and cliff change, times broken; of h's shape or (1, 1).
    reach :
        above 0.5 where the sea can get to; of h's shape or (1, 1).
    level, beach, cliff :
        metres.
    broken :
        0 to 1.
    film, white_depth :
        depths at which water and the depth mask are drawn in full, metres.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (height, water, depth, shore, water surface), float32; surface is DRY on land.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    Sunamura, T. (1992): Geomorphology of rocky coasts.
    """
    outs = tuple(np.empty(h.shape, np.float32) for _ in range(5))
    over_rows(
        lambda a, b: _coast_rows(h, along, reach, *outs, a, b, level, beach, cliff, broken, film, white_depth),
        h.shape[0],
        stop,
    )
    return outs
