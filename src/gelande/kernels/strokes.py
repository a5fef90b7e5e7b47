"""Brush strokes as sampled land or as a mask: each stroke counts once however often it crosses itself."""

from __future__ import annotations

from collections import OrderedDict
from threading import Lock

import numpy as np

from .bands import kernel, over_rows
from .grid_window import GridWindow
from .outlines import clear, near

#: Samples of a window up to which what earlier strokes left is remembered, and how many such states there may be.
REMEMBERED, STATES = 1_100_000, 8


@kernel
def _pressed(best, line, first, last, y, x):
    """The pen's pressure on the line's place that is nearest to a sample."""
    px, py, pp = line
    for k in range(first, max(first + 1, last - 1)):
        n = min(k + 1, last - 1)
        ax, ay = px[n] - px[k], py[n] - py[k]
        t = ((x - px[k]) * ax + (y - py[k]) * ay) * (1.0 / max(ax * ax + ay * ay, 1e-9))
        t = min(1.0, max(0.0, t))
        qx, qy = px[k] + t * ax - x, py[k] + t * ay - y
        if qx * qx + qy * qy <= best * 1.0000001 + 1e-12:
            return pp[k] + t * (pp[n] - pp[k])
    return pp[last - 1]


@kernel
def _stroke_rows(kept, laid, cover, starts, line, shapes, pressure, row0, row1, place):
    """All strokes on rows row0 .. row1 - 1 of a window. cover: towards white or black, else they are added up."""
    top, left, depth, dx = place
    best, xs = np.empty((row1 - row0, laid.shape[1])), (left + np.arange(laid.shape[1])) * dx
    for s in range(len(starts) - 1):
        radius, amount, hardness = shapes[s, 0], shapes[s, 1], shapes[s, 2]
        r0 = max(row0, int((depth - shapes[s, 6] - radius) / dx) - top)
        r1 = min(row1, int((depth - shapes[s, 5] + radius) / dx) + 2 - top)
        c0 = max(0, int((shapes[s, 3] - radius) / dx) - left)
        c1 = min(laid.shape[1], int((shapes[s, 4] + radius) / dx) + 2 - left)
        if r0 >= r1 or c0 >= c1:
            continue
        clear(best, r0 - row0, r1 - row0, c0, c1, 1e30)
        near(best, xs, line, starts[s], starts[s + 1], radius, (row0, row1), place)
        for r in range(r0, r1):
            for c in range(c0, c1):
                d = best[r - row0, c]
                if d >= radius * radius:
                    continue
                t = d**0.5 / radius
                t = 1.0 if t <= hardness else (1.0 - t) / (1.0 - hardness)
                a = amount * t * t * (3.0 - 2.0 * t)
                if pressure:
                    a *= _pressed(d, line, starts[s], starts[s + 1], depth - (top + r) * dx, (left + c) * dx)
                if cover:
                    rest = 1.0 - min(1.0, abs(a))
                    kept[r, c] *= rest
                    laid[r, c] = laid[r, c] * rest + (1.0 - rest if a > 0 else 0.0)
                else:
                    laid[r, c] += a


def _lay(
    kept: np.ndarray,
    laid: np.ndarray,
    cover: bool,
    strokes: tuple,
    window: GridWindow,
    depth: float,
    dx: float,
    stop: np.ndarray | None,
) -> None:
    """Lays strokes on arrays of a window, in bands of rows; a band takes all strokes in their order."""
    if not strokes:
        return
    points = [np.asarray(stroke[3], np.float64) for stroke in strokes]
    starts = np.cumsum([0] + [len(p) for p in points])
    pressure = any(p.shape[1] > 2 for p in points)
    line = np.ones((3, int(starts[-1])))
    for a, p in zip(starts, points):
        line[: p.shape[1], a : a + len(p)] = p.T
    shapes = np.array(
        [
            (radius, amount, min(hardness, 0.999), p[:, 0].min(), p[:, 0].max(), p[:, 1].min(), p[:, 1].max())
            for (radius, amount, hardness, _), p in zip(strokes, points)
        ],
        np.float64,
    )
    place = (window.top, window.left, float(depth), float(dx))
    all_strokes = (starts, (line[0], line[1], line[2]), shapes, pressure)
    over_rows(lambda a, b: _stroke_rows(kept, laid, cover, *all_strokes, a, b, place), window.height, stop, 32)


def brushed(
    strokes: tuple, window: GridWindow | tuple[int, int], depth: float, dx: float, stop: np.ndarray | None = None
) -> np.ndarray:
    """Sum of brush strokes; each counts once however often it crosses itself, at its full amount within ``hardness``
    of its radius, fading smoothly to its edge.

    Parameters
    ----------
    strokes :
        (radius m, amount, hardness 0 to 1, points) each; a point is (east, north) in metres, and may have the pen's
        pressure, 0 to 1, besides.
    window :
        GridWindow, or the shape (rows, columns) of a whole grid.
    depth :
        metres from north to south of the site, where rows begin.
    dx :
        metres between samples.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    float32 of the window's shape, in the amounts' unit.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    window = GridWindow.of(window)
    out = np.zeros(window.shape, np.float32)
    _lay(out, out, False, tuple(strokes), window, depth, dx, stop)
    return out


class _Memory:
    """Memory of what the newest strokes left, so that one stroke more costs one stroke. It changes no result."""

    def __init__(self) -> None:
        self._states: OrderedDict = OrderedDict()
        self._lock = Lock()

    def begun(self, place: tuple[GridWindow, float, float], strokes: tuple) -> tuple[int, np.ndarray, np.ndarray]:
        """(how many of these strokes are done, kept, laid), as copies; the longest beginning that is known."""
        with self._lock:
            state = self._states.get(place)
        # Without the newest stroke, too: it grows while it is drawn.
        for known, kept, laid in state or ():
            if len(known) <= len(strokes) and known == strokes[: len(known)]:
                return len(known), kept.copy(), laid.copy()
        return 0, np.ones(place[0].shape, np.float32), np.zeros(place[0].shape, np.float32)

    def keep(self, place: tuple[GridWindow, float, float], states: list[tuple]) -> None:
        """Remembers states of a place, the one with most strokes first."""
        if place[0].height * place[0].width > REMEMBERED:
            return
        with self._lock:
            self._states[place] = states
            self._states.move_to_end(place)
            while len(self._states) > STATES:
                self._states.popitem(last=False)


_memory = _Memory()


def covered(
    strokes: tuple, window: GridWindow | tuple[int, int], depth: float, dx: float, stop: np.ndarray | None = None
) -> tuple[np.ndarray, np.ndarray]:
    """Brush strokes on a mask, one after the other: each leads towards white, or towards black where its amount is
    below zero, by its amount within ``hardness`` of its radius and less towards its edge.

    Parameters
    ----------
    strokes :
        (radius m, amount -1 to 1, hardness 0 to 1, points) each, as for brushed.
    window :
        GridWindow, or the shape (rows, columns) of a whole grid.
    depth :
        metres from north to south of the site, where rows begin.
    dx :
        metres between samples.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (kept, laid), float32 of the window's shape: a mask m below the strokes becomes m * kept + laid.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    window, strokes = GridWindow.of(window), tuple(strokes)
    place = (window, float(depth), float(dx))
    done, kept, laid = _memory.begun(place, strokes)
    states = []
    for part in (strokes[done:-1], strokes[max(done, len(strokes) - 1) :]):
        _lay(kept, laid, True, part, window, depth, dx, stop)
        done += len(part)
        states.append((strokes[:done], kept.copy(), laid.copy()))
    _memory.keep(place, states[::-1])
    return kept, laid
