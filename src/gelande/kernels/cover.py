"""Ground in layers: how much of it each covers, what colour that makes, and shares that stay whole when rounded.

Layers are taken from the top down; each takes its amount of what those above it leave, and the lowest takes the
rest. Weights are whole numbers of 2^-24, which float32 holds and adds up exactly, so their sum is 1 and not nearly 1.

"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from .bands import kernel, over_rows

#: What a weight of 1 is counted as.
ONE = 1 << 24
#: How hard an edge is that is wholly broken by noise: the rest of it fades.
HARD = 0.85
#: Degrees over which a layer thins out towards steeper ground.
THINS_OVER = 12.0
#: Colours of a layer's table, and what stands for a map that is not there.
COLOURS = 1024
NOTHING = np.zeros((1, 1), np.float32)


@dataclass
class Layer:
    """Data of one layer. Maps are (rows, columns) float32, or None.

    amount: 0 to 1. mask: 0 to 1, what it is restricted to. by, band: a map and (low, high, falloff) in its unit,
    between which it lies. slope, steep, thins: degrees, from which it thins out, and by how much. rough, broken: noise
    0 to 1, and how far its edge is broken by it. table: (COLOURS, 3) float32, linear. along, span: the map that the
    table runs along from one value to another; its middle when there is none. grain, grainy: noise 0 to 1, and how far
    that moves the colour. colour: (rows, columns, 3) float32, linear, in place of the table.

    """

    amount: float = 1.0
    mask: np.ndarray | None = None
    by: np.ndarray | None = None
    band: tuple[float, float, float] = (0.0, 1.0, 0.0)
    slope: np.ndarray | None = None
    steep: float = 90.0
    thins: float = 0.0
    rough: np.ndarray | None = None
    broken: float = 0.0
    table: np.ndarray | None = None
    along: np.ndarray | None = None
    span: tuple[float, float] = (0.0, 1.0)
    grain: np.ndarray | None = None
    grainy: float = 0.0
    colour: np.ndarray | None = None


@kernel
def _eased(t):
    t = min(1.0, max(0.0, t))
    return t * t * (3.0 - 2.0 * t)


@kernel
def _amount_rows(
    out, row0, row1, amount, mask, has_mask, by, has_by, band, slope, has_slope, steep, thins, rough, broken
):
    """Rows of how much a layer would cover: its slider, mask and map, less where it is too steep or lies on broken
    ground."""
    low, high, falloff = band
    left = 1.0 - HARD * broken
    for r in range(row0, row1):
        for c in range(out.shape[1]):
            a = mask[r, c] if has_mask else 1.0
            if has_by:
                d = max(low - by[r, c], by[r, c] - high)
                a *= 1.0 if d <= 0.0 else (0.0 if falloff <= 0.0 else _eased(1.0 - d / falloff))
            if has_slope:
                a *= 1.0 - thins * _eased((slope[r, c] - steep) / THINS_OVER)
            if broken > 0.0:
                a = (a - HARD * broken * rough[r, c]) / left
            out[r, c] = amount * min(1.0, max(0.0, a))


@kernel
def _weight_rows(amount, rest, weight, most, first, number, lowest, row0, row1):
    """Rows of what a layer takes of the rest that those above it left, and of the strongest layer so far."""
    for r in range(row0, row1):
        for c in range(weight.shape[1]):
            w = rest[r, c] if lowest else int(amount[r, c] * rest[r, c] + 0.5)
            rest[r, c] -= w
            weight[r, c] = w / ONE
            if w >= most[r, c]:
                most[r, c], first[r, c] = w, number


@kernel
def _table_rows(out, weight, row0, row1, table, along, has_along, low, scale, grain, grainy):
    """Rows of a layer's colour, added by its weight: along its ramp by a map, with grain."""
    top = table.shape[0] - 1
    for r in range(row0, row1):
        for c in range(out.shape[1]):
            w = weight[r, c]
            if w > 0.0:
                t = (along[r, c] - low) * scale if has_along else 0.5
                if grainy > 0.0:
                    t += grainy * (grain[r, c] - 0.5)
                i = int(min(max(t, 0.0), 1.0) * top + 0.5)
                for k in range(3):
                    out[r, c, k] += w * table[i, k]


@kernel
def _colour_rows(out, weight, row0, row1, colour):
    for r in range(row0, row1):
        for c in range(out.shape[1]):
            for k in range(3):
                out[r, c, k] += weight[r, c] * colour[r, c, k]


def amount_of(layer: Layer, shape: tuple[int, int], stop: np.ndarray | None = None) -> np.ndarray:
    """Fraction of the ground that a layer covers if none lies on it.

    Parameters
    ----------
    layer :
        the layer.
    shape :
        rows and columns.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (rows, columns) float32, 0 to 1.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    out, one = np.empty(shape, np.float32), layer
    thins = one.thins if one.slope is not None else 0.0
    maps = [
        *(one.mask if one.mask is not None else NOTHING, one.mask is not None),
        *(one.by if one.by is not None else NOTHING, one.by is not None),
        tuple(float(v) for v in one.band),
        *(one.slope if one.slope is not None else NOTHING, thins > 0),
    ]
    rough, broken = (one.rough, float(one.broken)) if one.rough is not None else (NOTHING, 0.0)
    more = (float(one.steep), float(thins), rough, broken)
    over_rows(lambda a, b: _amount_rows(out, a, b, float(one.amount), *maps, *more), shape[0], stop)
    return out


def covered(
    layers: Sequence[Layer], shape: tuple[int, int], stop: np.ndarray | None = None
) -> tuple[np.ndarray, np.ndarray, list[np.ndarray]]:
    """Ground covered by layers.

    Parameters
    ----------
    layers :
        from the ground up, at least one; the lowest takes what the others leave.
    shape :
        rows and columns.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (colour, first, weights): (rows, columns, 3) float32, linear; (rows, columns) int32, the place in the list of the
    layer that covers most, the lower one of two alike; and of each layer (rows, columns) float32, multiples of 2^-24
    that are 1 together.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    rest, most, first = np.full(shape, ONE, np.int32), np.full(shape, -1, np.int32), np.zeros(shape, np.int32)
    out, weights = np.zeros((*shape, 3), np.float32), []
    for number in reversed(range(len(layers))):
        one, weight = layers[number], np.empty(shape, np.float32)
        amount = amount_of(one, shape, stop) if number else NOTHING
        place = (rest, weight, most, first, number, number == 0)
        over_rows(lambda a, b, amount=amount, p=place: _weight_rows(amount, *p, a, b), shape[0], stop)
        _colour(out, weight, one, stop)
        weights.append(weight)
    return out, first, weights[::-1]


def _colour(out: np.ndarray, weight: np.ndarray, one: Layer, stop: np.ndarray | None) -> None:
    """Adds a layer's colour by its weight."""
    if one.colour is not None:
        over_rows(lambda a, b: _colour_rows(out, weight, a, b, one.colour), len(out), stop)
        return
    low, high = (float(v) for v in one.span)
    scale = 1.0 / (high - low) if abs(high - low) > 1e-6 else 1.0
    along = one.along if one.along is not None else NOTHING
    grain, grainy = (one.grain, float(one.grainy)) if one.grain is not None else (NOTHING, 0.0)
    how = (one.table, along, one.along is not None, low, scale, grain, grainy)
    over_rows(lambda a, b: _table_rows(out, weight, a, b, *how), len(out), stop)


@kernel
def _apportion_rows(weights, counts, row0, row1, total):
    """Rows of whole counts that make up a total together (largest remainders)."""
    n = weights.shape[0]
    rest = np.empty(n, np.float64)
    for r in range(row0, row1):
        for c in range(weights.shape[2]):
            together, given = 0.0, 0
            for k in range(n):
                exact = float(weights[k, r, c]) * total
                together += exact
                counts[k, r, c] = int(exact)
                given += int(exact)
                rest[k] = exact - int(exact)
            for _ in range(int(together + 0.5) - given):
                best = 0
                for k in range(1, n):
                    if rest[k] > rest[best]:
                        best = k
                counts[best, r, c] += 1
                rest[best] = -1.0


def apportioned(weights: np.ndarray, total: int, stop: np.ndarray | None = None) -> np.ndarray:
    """Shares as whole counts that are the total together wherever the shares are 1 together, each less than one count
    from what it was.

    Parameters
    ----------
    weights :
        (layers, rows, columns) float32, 0 to 1.
    total :
        the count that 1 stands for, up to 65535.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (layers, rows, columns) int32.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    The method of the largest remainder (Hamilton 1792); the lower layer first where two are alike.
    """
    counts = np.empty(weights.shape, np.int32)
    over_rows(lambda a, b: _apportion_rows(weights, counts, a, b, int(total)), weights.shape[1], stop)
    return counts
