"""Beds of different hardness."""

from __future__ import annotations

import math

import numpy as np

from .bands import kernel, over_rows
from .noise import hash2, unit


@kernel
def _bed_rows(h, beds, out, bed, row0, row1, thickness, contrast, irregularity, seed):
    for r in range(row0, row1):
        for c in range(h.shape[1]):
            t = (h[r, c] + beds[r, c]) / thickness
            k = math.floor(t)
            f = t - k
            a = (unit(hash2(int(k), 23, seed)) - 0.5) * 0.62 * irregularity
            b = (unit(hash2(int(k) + 1, 23, seed)) - 0.5) * 0.62 * irregularity
            s = f * f * (3.0 - 2.0 * f)
            v = t + a + (b - a) * s
            k = math.floor(v)
            f = v - k
            hard = unit(hash2(int(k), 41, seed))
            after = unit(hash2(int(k) + 1, 41, seed))
            gain = 1.0 + contrast * 5.0 * hard
            up, down = f**gain, (1.0 - f) ** (1.0 + contrast * 1.5 * hard)
            out[r, c] = h[r, c] + contrast * (up / max(up + down, 1e-9) - f) * thickness
            edge = min(1.0, max(0.0, (f - 0.85) / 0.15))
            bed[r, c] = hard + (after - hard) * 0.5 * edge if f > 0.85 else hard


def cut_beds(
    h: np.ndarray, beds: np.ndarray, thickness: float, contrast: float, irregularity: float, seed: int, stop=None
):
    """Beds of different hardness laid bare.

    Parameters
    ----------
    h :
        (rows, columns) float32, heights in metres.
    beds :
        metres added before cutting: dip and wave.
    thickness :
        mean of a bed, metres.
    contrast, irregularity :
        0 to 1.
    seed :
        whole number; another one gives another result of the same kind.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (height in metres, hardness 0 to 1), float32.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    out, bed = np.empty(h.shape, np.float32), np.empty(h.shape, np.float32)
    beds = np.ascontiguousarray(np.broadcast_to(beds, h.shape), np.float32)
    over_rows(
        lambda a, b: _bed_rows(
            h, beds, out, bed, a, b, float(thickness), float(contrast), float(irregularity), int(seed)
        ),
        h.shape[0],
        stop,
    )
    return out, bed
