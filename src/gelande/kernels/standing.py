"""Standing water as it is seen: its colour by depth, its bed where it is shallow, its wet and foaming edge."""

from __future__ import annotations

import numpy as np

from .bands import kernel, over_rows

#: How fast light is lost with depth, for depths from 0 to 1; how much of it the bed gives back; how white foam is.
LOST, GIVEN, FOAM = 6.0, 0.7, 0.86
NOTHING = np.zeros((1, 1), np.float32)


@kernel
def _rows(ground, water, depth, has_depth, shore, has_shore, table, out, row0, row1, usual, clear, wet, foam):
    """Rows of ground as seen through water: darker with depth, with foam along the shore."""
    top = table.shape[0] - 1
    for r in range(row0, row1):
        for c in range(ground.shape[1]):
            edge = shore[r, c] if has_shore else 0.0
            dry = 1.0 - wet * edge
            w = water[r, c]
            if w <= 0.0:
                for k in range(3):
                    out[r, c, k] = max(0.0, ground[r, c, k] * dry)
                continue
            deep = depth[r, c] if has_depth else usual
            i = int(min(max(deep, 0.0), 1.0) * top + 0.5)
            seen = clear * np.exp(-LOST * deep)
            for k in range(3):
                bed = ground[r, c, k] * dry
                tone = table[i, k] + seen * (GIVEN * bed - table[i, k])
                tone += foam * edge * (FOAM - tone)
                out[r, c, k] = max(0.0, bed + w * (tone - bed))


def under_water(
    ground: np.ndarray,
    water: np.ndarray,
    depth: np.ndarray | None,
    shore: np.ndarray | None,
    table: np.ndarray,
    usual: float,
    clear: float,
    wet: float,
    foam: float,
    stop: np.ndarray | None = None,
) -> np.ndarray:
    """Colours of ground with water laid over it.

    Parameters
    ----------
    ground :
        (rows, columns, 3) float32, linear light.
    water :
        (rows, columns) float32, 0 to 1: where it stands.
    depth, shore :
        (rows, columns) float32, 0 to 1, or None: how deep it is, and how near the water's edge is.
    table :
        (size, 3) float32, linear light, from shallow to deep.
    usual :
        the depth where none is given.
    clear, wet, foam :
        0 to 1: how much of the bed is seen, how much darker ground is at the edge, how white the edge is.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    (rows, columns, 3) float32, linear light, 0 and more.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.

    References
    ----------
    The law of Bouguer (1729), Lambert and Beer, for the light that comes back from the bed.
    """
    out = np.empty(ground.shape, np.float32)
    maps = (depth if depth is not None else NOTHING, depth is not None)
    edge = (shore if shore is not None else NOTHING, shore is not None)
    how = (float(usual), float(clear), float(wet), float(foam))
    over_rows(lambda a, b: _rows(ground, water, *maps, *edge, table, out, a, b, *how), ground.shape[0], stop)
    return out
