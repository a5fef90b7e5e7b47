"""Layered rock: hard and soft beds by turns, of random thickness, along a tilted and folded surface, the datum.

A bed bears a slope of its own. With it come heights that are even: S = ∫ dz / B, where B is how much steeper a bed
stands than rock on average. A hillside that is as steep as its rock bears is straight in S, whatever beds it crosses;
so land that is worked on in even height as if its rock were all alike has cliffs in hard beds and benches in soft ones
when it is brought back. Water's cut needs nothing else: dS/dt = K √A dS/dx is the law of streams in z (Howard and Kerby
1983) divided by B on both sides. And since S rises with z, rivers that fall in one fall in the other."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from .bands import kernel, over_rows

#: Share of the rock that is hard; hardness of hard beds and of soft ones, from and to.
HARD, HARDEST, SOFT = 0.42, (0.6, 1.0), (0.0, 0.25)
#: Spread of thicknesses (standard deviation of their logarithm), at most; metres from bed to bed as a share of the
#: mean.
SPREAD, EDGE = 0.55, 0.06
#: How much steeper the hardest bed stands than the softest at full contrast, times one.
STEEPER = 11.0
#: Beds of the table below and above its middle, after which it repeats nothing: land beyond is even rock.
BEDS, PER_BED = 160, 48
#: Rows of a table: hardness, even height.
HARDNESS, EVEN = 0, 1


class Table(NamedTuple):
    """Beds by height above the datum. rows: (2, n) float64 of hardness and even height at low + k / per metres; back:
    heights at even heights first + k / step."""

    rows: np.ndarray
    low: float
    per: float
    back: np.ndarray
    first: float
    step: float


def table_of(thickness: float, spread: float, contrast: float, seed: int, group: int = 1) -> Table:
    """The beds of a rock.

    Parameters
    ----------
    thickness :
        mean of a bed, metres.
    spread, contrast :
        0 to 1: how much beds differ in thickness, and hard ones from soft.
    seed :
        whole number; another one gives another result of the same kind.
    group :
        how many pairs of a soft and a hard bed are one pair, with what is hard of them on top: as steep ground has few
        high cliffs.

    Returns
    -------
    Table.
    """
    draw, count = np.random.default_rng(seed + 17), 2 * BEDS
    hard = np.arange(count) % 2 == 1
    sigma = SPREAD * spread
    thick = np.exp(sigma * draw.standard_normal(count) - sigma**2 / 2) * np.where(hard, HARD, 1 - HARD) * 2 * thickness
    strong = np.where(hard, draw.uniform(*HARDEST, count), draw.uniform(*SOFT, count))
    if group > 1:
        thick, strong = _grouped(thick, group), _grouped(thick * strong, group) / _grouped(thick, group)
        count = len(thick)
    tops = np.cumsum(thick)
    tops -= tops[count // 2]
    thickness *= group
    per, n = PER_BED / thickness, int((tops[-1] - tops[0]) * PER_BED / thickness)
    z = tops[0] + np.arange(n) / per
    # From bed to bed within EDGE of the thickness, or cliffs would have corners that no grid can show.
    edge = EDGE * thickness
    own = np.clip(np.searchsorted(tops, z), 0, count - 1)
    inside = np.minimum(z - tops[np.maximum(own - 1, 0)], tops[own] - z)
    other = np.where(
        z - tops[np.maximum(own - 1, 0)] < tops[own] - z, np.maximum(own - 1, 0), np.minimum(own + 1, count - 1)
    )
    fraction = 0.5 * np.clip(1 - inside / edge, 0, 1)
    hardness = strong[own] * (1 - fraction) + strong[other] * fraction
    bears = (1 + (STEEPER - 1) * contrast) ** hardness
    bears *= (1 / bears).mean()  # rock stands as steep on average as it did
    even = np.concatenate([[0.0], np.cumsum((1 / bears[1:] + 1 / bears[:-1]) / (2 * per))])
    even -= np.interp(0.0, z, even)
    step = 2 * per
    back = np.interp(even[0] + np.arange(int((even[-1] - even[0]) * step)) / step, even, z)
    return Table(np.array([hardness, even]), float(z[0]), float(per), back, float(even[0]), float(step))


def _grouped(values, group):
    """Sums over soft beds, and over hard ones, of so many pairs."""
    pairs = values.reshape(-1, group, 2).sum(axis=1)
    return pairs.reshape(-1)


@kernel
def _look(row, low, per, value):
    """A row of a table at a value between those of its ends, linear; and how far it lies beyond them."""
    t = (value - low) * per
    held = min(max(t, 0.0), len(row) - 1.001)
    k = int(held)
    return row[k] + (row[k + 1] - row[k]) * (held - k), (t - held) / per


@kernel
def _rows(a, datum, row, low, per, beyond, lifts, out, row0, row1):
    """A row of a table at heights over the datum; it goes on with a slope beyond its ends; lifts: 1 adds the datum."""
    tall, wide = min(1, datum.shape[0] - 1), min(1, datum.shape[1] - 1)
    for r in range(row0, row1):
        for c in range(a.shape[1]):
            d = datum[r * tall, c * wide]
            found, over = _look(row, low, per, a[r, c] - d)
            out[r, c] = found + beyond * over + lifts * d


class Layers:
    """Rock in beds under a map. datum: height of the surface that the beds lie along, (rows, columns) or (1, 1),
    metres."""

    def __init__(self, table: Table, datum: np.ndarray) -> None:
        self.table, self.datum = table, np.ascontiguousarray(datum, np.float32)

    def _at(self, a, row, low, per, beyond, lifts, stop):
        a, out = np.ascontiguousarray(a, np.float32), np.empty(a.shape, np.float32)
        with_ends = (row, low, per, float(beyond), float(lifts), out)
        over_rows(lambda r0, r1: _rows(a, self.datum, *with_ends, r0, r1), a.shape[0], stop)
        return out

    def even(self, h: np.ndarray, stop=None) -> np.ndarray:
        """Even heights of heights, metres."""
        t = self.table
        return self._at(h, t.rows[EVEN], t.low, t.per, 1, 1, stop)

    def height(self, even: np.ndarray, stop=None) -> np.ndarray:
        """Heights of even heights, metres."""
        t = self.table
        return self._at(even, t.back, t.first, t.step, 1, 1, stop)

    def hardness(self, h: np.ndarray, stop=None) -> np.ndarray:
        """Hardness of the bed at heights, 0 to 1."""
        t = self.table
        return self._at(h, t.rows[HARDNESS], t.low, t.per, 0, 0, stop)
