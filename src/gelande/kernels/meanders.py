"""Meanders: how a river's line wanders over its plain, and what it leaves there."""

from __future__ import annotations

from typing import NamedTuple

import numpy as np

from .bands import check, kernel
from .kept import Kept

#: Points of the line to a width of the river.
CLOSE = 2.0
#: How much a place's own curvature counts for how fast its bank is worn, and how much the curvature above it
#: (Howard and Knutson 1984), and over how many widths that fades: it makes bends of about eleven widths.
HERE, ABOVE, FADES = -1.0, 2.5, 1.7
#: Widths that the fastest place of the line moves in a step, and steps at most.
STRIDE, MOST_STEPS = 0.14, 400
#: Steps between two looks for bends that are cut off.
OFTEN = 3
#: Steps after which a river that has not become longer will not.
PATIENCE = 70
#: Widths between two arms of the river at which it breaks through, and along it between them at least.
NECK, LEAST_LOOP, LONGEST_LOOP = 1.3, 5.0, 60.0
#: Widths by which the line reaches beyond both ends of what is asked for, so that bends grow there as elsewhere.
BEYOND = 14.0
#: Steps between two lines that are kept as old banks, and how many of the last are.
APART, KEPT = 9, 7
#: Below this it does not wind.
STRAIGHT = 1.02
#: Points of a line at most: a river that is narrower than they allow swings as a wider one would.
MOST_POINTS = 3600


class Meanders(NamedTuple):
    """line: (n, 2) metres along the valley and to its left, downstream; loops: old bends that were cut off, youngest
    first, as (n, 2) and a share of how old they are; banks: earlier lines, youngest first, alike."""

    line: np.ndarray
    loops: list[tuple[np.ndarray, float]]
    banks: list[tuple[np.ndarray, float]]


#: Rivers that were worn lately: each level of a recipe asks for the same one.
_worn: Kept[Meanders] = Kept(16 << 20)


@kernel
def _push(x, y, width, fades, belt, out_x, out_y):
    """Where each point of a line would move, before it is scaled: outward where the bend above and at it is sharp.
    Returns the longest move."""
    n, most, above, weight = len(x), 0.0, 0.0, 0.0
    out_x[:], out_y[:] = 0.0, 0.0
    for k in range(1, n - 1):
        ax, ay, bx, by = x[k] - x[k - 1], y[k] - y[k - 1], x[k + 1] - x[k], y[k + 1] - y[k]
        la, lb = max(np.hypot(ax, ay), 1e-9), max(np.hypot(bx, by), 1e-9)
        turn = np.arctan2(ax * by - ay * bx, ax * bx + ay * by) / (0.5 * (la + lb))
        sharp = turn * width / (1.0 + (1.5 * turn * width) ** 2)  # the sharpest bends are worn no faster
        fade = np.exp(-la / fades)
        above, weight = above * fade + sharp * la, weight * fade + la
        move = HERE * sharp + ABOVE * above / weight
        cx, cy = x[k + 1] - x[k - 1], y[k + 1] - y[k - 1]
        length = max(np.hypot(cx, cy), 1e-9)
        # to the right where it turns left: away from the middle of the bend
        px, py = move * cy / length, -move * cx / length
        if py * y[k] > 0.0:  # the sides of the plain hold it
            room = min(1.0, max(0.0, (belt - abs(y[k])) / (0.3 * belt)))
            px, py = px * room, py * room
        out_x[k], out_y[k] = px, py
        most = max(most, np.hypot(px, py))
    return most


@kernel
def _neck(x, y, least, longest, near):
    """The first two points of a line that come nearer to each other than `near`, with `least` to `longest` points
    between; (-1, -1) when there are none."""
    n = len(x)
    for k in range(n):
        for j in range(k + least, min(k + longest, n)):
            if (x[j] - x[k]) ** 2 + (y[j] - y[k]) ** 2 < near * near:
                # the nearest of those that follow: the neck itself
                best, end = (x[j] - x[k]) ** 2 + (y[j] - y[k]) ** 2, j
                for m in range(j + 1, min(j + least, n)):
                    d = (x[m] - x[k]) ** 2 + (y[m] - y[k]) ** 2
                    if d < best:
                        best, end = d, m
                return k, end
    return -1, -1


@kernel
def _slackest(x, y, least, longest):
    """The two points of a line between which it makes the longest way round, with `least` to `longest` points between,
    and how many times as long as straight ahead that is."""
    n, best, first, last = len(x), 0.0, -1, -1
    way = np.zeros(n)
    for k in range(1, n):
        way[k] = way[k - 1] + np.hypot(x[k] - x[k - 1], y[k] - y[k - 1])
    for k in range(0, n, 2):
        for j in range(k + least, min(k + longest, n), 2):
            # squares: a root for each pair would be most of the work
            far = max((x[j] - x[k]) ** 2 + (y[j] - y[k]) ** 2, 1e-12)
            if (way[j] - way[k]) ** 2 > best * far:
                best, first, last = (way[j] - way[k]) ** 2 / far, k, j
    best = best**0.5
    return first, last, best


def _even(line: np.ndarray, apart: float) -> np.ndarray:
    """A line with points at even distances, on a curve through the ones it has."""
    from scipy.interpolate import CubicSpline  # heavy to import

    steps = np.hypot(*np.diff(line, axis=0).T)
    kept = np.concatenate([[True], steps > 1e-3 * apart])
    line = line[kept]
    at = np.concatenate([[0.0], np.cumsum(np.hypot(*np.diff(line, axis=0).T))])
    return CubicSpline(at, line)(np.linspace(0.0, at[-1], max(8, round(at[-1] / apart) + 1)))


def length(line: np.ndarray) -> float:
    """Length of a line.

    Parameters
    ----------
    line :
        (n, 2), metres.

    Returns
    -------
    metres.
    """
    return float(np.hypot(*np.diff(line, axis=0).T).sum())


def sinuosity(line: np.ndarray) -> float:
    """How many times as long as its valley a river is.

    Parameters
    ----------
    line :
        (n, 2), metres along the valley and to its side.

    Returns
    -------
    1 or more.
    """
    return length(line) / max(1e-9, float(line[-1, 0] - line[0, 0]))


def wavelength(line: np.ndarray) -> float:
    """Length of a pair of bends along the valley: by how often the line's turning changes its side (Leopold and
    Wolman 1960).

    Parameters
    ----------
    line :
        (n, 2), metres along the valley and to its side, points at even distances.

    Returns
    -------
    metres; that of the whole line where it does not bend twice.
    """
    heading = np.unwrap(np.arctan2(*np.diff(line, axis=0).T[::-1]))
    turn = np.diff(heading)
    wide = np.convolve(turn, np.ones(5) / 5, "same")
    bends, last = 0, 0.0
    for value in wide[np.abs(wide) > 0.15 * np.abs(wide).max()]:
        if value * last < 0:
            bends += 1
        last = value
    return 2 * float(line[-1, 0] - line[0, 0]) / max(bends, 1)


def _first_line(reach: float, width: float, draw: np.random.Generator) -> np.ndarray:
    """A nearly straight line from -BEYOND widths to as far behind the reach, with small swings of all kinds."""
    x = np.arange(-BEYOND * width, reach + BEYOND * width, width / CLOSE)
    y = np.zeros_like(x)
    for _ in range(14):
        size = width * draw.uniform(7, 20)
        y += np.sin(2 * np.pi * (x / size + draw.random())) * np.interp(
            x, np.linspace(x[0], x[-1], 9), draw.uniform(0, 1, 9)
        )
    ends = np.minimum(1, np.minimum(x - x[0], x[-1] - x) / (4 * width))
    return np.stack([x, 0.12 * width * y * ends], 1)


def _cut(line: np.ndarray, first: int, last: int) -> tuple[np.ndarray, np.ndarray]:
    """A line without the loop between two of its points, and the loop."""
    loop = line[first : last + 1].copy()
    joined = np.concatenate([line[: first + 1], line[last:]])
    for _ in range(4):  # the break through is rounded off
        a, b = max(1, first - 4), min(len(joined) - 1, first + 6)
        joined[a:b] = (joined[a - 1 : b - 1] + 2 * joined[a:b] + joined[a + 1 : b + 1]) / 4
    return joined, loop


def meander(
    reach: float, width: float, wound: float, belt: float, old: float, seed: int, stop: np.ndarray | None = None
) -> Meanders:
    """The line of a river that has wandered over its plain for long.

    Parameters
    ----------
    reach :
        metres along the valley.
    width :
        metres, of the river.
    wound :
        how many times as long as its valley it becomes, 1 to 2.6.
    belt :
        metres from the valley's middle that it keeps to.
    old :
        bends cut off to ten widths of the valley, about: 0 for none.
    seed :
        whole number; another one gives another result of the same kind.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    Meanders.

    Raises
    ------
    Stopped :
        when a stop was asked for.

    References
    ----------
    Howard, A. D. and Knutson, T. R. (1984): Sufficient conditions for river meandering.
    """
    key = (reach, width, wound, belt, old, seed)
    found = _worn.get(key)
    if found is None:
        found = _grown(*key, stop)
        _worn.put(key, found, 64 * len(found.line) * (1 + KEPT))
    return found


def _grown(
    reach: float, width: float, wound: float, belt: float, old: float, seed: int, stop: np.ndarray | None
) -> Meanders:
    """The line grown from a nearly straight one; as meander."""
    width = max(width, reach * 2.6 * CLOSE / MOST_POINTS)
    belt, apart = max(belt, 1.2 * width), width / CLOSE
    line = _first_line(reach, width, np.random.default_rng(seed))
    if wound < STRAIGHT:
        return Meanders(line * (1, 0), [], [])
    wanted, grown = old * reach / (10 * width), False
    loops: list[tuple[np.ndarray, int]] = []
    banks: list[tuple[np.ndarray, int]] = []
    step, longest, since = 0, 0.0, 0
    for step in range(MOST_STEPS):
        check(stop)
        x, y = line[:, 0].copy(), line[:, 1].copy()
        moves = np.empty_like(x), np.empty_like(y)
        most = _push(x, y, width, FADES * width, belt, *moves)
        line = line + np.stack(moves, 1) * (STRIDE * width / max(most, 0.02))
        line = _even(line, apart)
        now = sinuosity(line)
        if step % OFTEN == 0:
            line = _broken_through(line, width, loops, step)
            if now > wound:
                grown = True
                first, last, slack = _slackest(line[:, 0].copy(), line[:, 1].copy(), *_loops())
                # it takes the short way over the inside of its longest bend in a flood
                if slack > 1.5 and len(loops) < 4 * wanted + 4:
                    line, loop = _cut(line, first, last)
                    loops.append((loop, step))
                    line = _even(line, apart)
        if step % APART == 0:
            banks = [*banks[1 - KEPT :], (line, step)]
        if now > 1.005 * longest:
            longest, since = now, step
        if step - since > PATIENCE:  # its plain is too narrow for more
            break
        if grown and len(loops) >= wanted and 0.93 * wound < sinuosity(line):
            break
    line = _no_longer_than(line, wound)
    span = max(step, 1)
    # what is older than the plain remembers is gone
    aged = [(loop, (span - when) / span) for loop, when in reversed(loops)][: int(np.ceil(wanted))]
    return Meanders(line, aged, [(bank, (span - when) / (APART * KEPT)) for bank, when in reversed(banks[:-1])])


def _broken_through(line: np.ndarray, width: float, loops: list[tuple[np.ndarray, int]], step: int) -> np.ndarray:
    """A line without the bends that have come too near to themselves, which are added to the loops."""
    while True:
        first, last = _neck(line[:, 0].copy(), line[:, 1].copy(), *_loops(), NECK * width)
        if first < 0:
            return line
        line, loop = _cut(line, first, last)
        loops.append((loop, step))


def _loops() -> tuple[int, int]:
    """Points of a loop at least and at most."""
    return int(LEAST_LOOP * CLOSE), int(LONGEST_LOOP * CLOSE)


def _no_longer_than(line: np.ndarray, wound: float) -> np.ndarray:
    """A line with its swings made smaller, as far as it is longer than wound times its valley."""
    low, high = 0.0, 1.0
    if sinuosity(line) <= wound:
        return line
    for _ in range(30):
        middle = (low + high) / 2
        low, high = (middle, high) if sinuosity(line * (1, middle)) <= wound else (low, middle)
    return line * (1, low)
