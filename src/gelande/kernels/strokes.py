"""Brush strokes as sampled land: each stroke counts once however often it crosses itself."""

from __future__ import annotations

import numpy as np

from .bands import kernel, over_rows


@kernel
def _stroke_rows(out, px, py, radius, amount, hardness, row0, row1, column0, column1, depth, dx):
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
            t = best ** 0.5 / radius
            if t < 1.0:
                t = 1.0 if t <= hardness else (1.0 - t) / (1.0 - hardness)
                out[r, c] += amount * t * t * (3.0 - 2.0 * t)


def brushed(strokes, shape, depth: float, dx: float, stop=None) -> np.ndarray:
    """Sum of strokes (radius m, amount, hardness 0-1, points (east, north) m) on a grid: float32 of ``shape``.

    A stroke is at its full amount within ``hardness`` of its radius and fades out smoothly to its edge."""
    out = np.zeros(shape, np.float32)
    for radius, amount, hardness, points in strokes:
        p = np.asarray(points, np.float64)
        low, high = p.min(axis=0) - radius, p.max(axis=0) + radius
        row0, row1 = max(0, int((depth - high[1]) / dx)), min(shape[0], int((depth - low[1]) / dx) + 2)
        column0, column1 = max(0, int(low[0] / dx)), min(shape[1], int(high[0] / dx) + 2)
        if row0 >= row1 or column0 >= column1:
            continue
        px, py = p[:, 0].copy(), p[:, 1].copy()
        over_rows(lambda a, b: _stroke_rows(out, px, py, float(radius), float(amount), min(float(hardness), 0.999), row0 + a, row0 + b,
                                            column0, column1, float(depth), float(dx)), row1 - row0, stop)
    return out
