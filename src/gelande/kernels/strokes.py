"""Brush strokes as sampled land: each stroke counts once however often it crosses itself."""

from __future__ import annotations

import numpy as np

from .bands import kernel, over_rows
from .frame import Frame


@kernel
def _stroke_rows(out, px, py, radius, amount, hardness, row0, row1, column0, column1, top, left, depth, dx):
    """Rows row0 .. row1 - 1 and columns column0 .. column1 - 1 of the whole grid; out begins at top, left."""
    for r in range(row0, row1):
        y = depth - r * dx
        for c in range(column0, column1):
            x = c * dx
            best = 1e30
            for k in range(max(1, len(px) - 1)):
                n = min(k + 1, len(px) - 1)
                ax, ay = px[n] - px[k], py[n] - py[k]
                t = ((x - px[k]) * ax + (y - py[k]) * ay) / max(ax * ax + ay * ay, 1e-9)
                t = min(1.0, max(0.0, t))
                qx, qy = px[k] + t * ax - x, py[k] + t * ay - y
                best = min(best, qx * qx + qy * qy)
            t = best**0.5 / radius
            if t < 1.0:
                t = 1.0 if t <= hardness else (1.0 - t) / (1.0 - hardness)
                out[r - top, c - left] += amount * t * t * (3.0 - 2.0 * t)


def brushed(strokes, frame, depth: float, dx: float, stop=None) -> np.ndarray:
    """Sum of brush strokes; each counts once however often it crosses itself, at its full amount within ``hardness``
    of its radius, fading smoothly to its edge.

    Parameters
    ----------
    strokes :
        (radius m, amount, hardness 0 to 1, points (east, north) m) each.
    frame :
        Frame, or the shape (rows, columns) of a whole grid.
    depth :
        metres from north to south of the site, where rows begin.
    dx :
        metres between samples.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    float32 of the frame's shape, in the amounts' unit.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    frame = Frame.of(frame)
    out = np.zeros(frame.shape, np.float32)
    bottom, right = frame.top + frame.height, frame.left + frame.width
    place = (frame.top, frame.left, float(depth), float(dx))
    for radius, amount, hardness, points in strokes:
        p = np.asarray(points, np.float64)
        low, high = p.min(axis=0) - radius, p.max(axis=0) + radius
        row0, row1 = max(frame.top, int((depth - high[1]) / dx)), min(bottom, int((depth - low[1]) / dx) + 2)
        column0, column1 = max(frame.left, int(low[0] / dx)), min(right, int(high[0] / dx) + 2)
        if row0 >= row1 or column0 >= column1:
            continue
        stroke = (out, p[:, 0].copy(), p[:, 1].copy(), float(radius), float(amount), min(float(hardness), 0.999))
        over_rows(lambda a, b: _stroke_rows(*stroke, row0 + a, row0 + b, column0, column1, *place), row1 - row0, stop)
    return out
