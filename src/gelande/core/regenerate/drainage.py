"""Figures of drainage that real land has, to judge eroded land by.

All are measured on the flooded surface (Barnes et al. 2014) with each cell draining to its steepest neighbour.
"""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from gelande.kernels.flow import network, pit_count


@dataclass(frozen=True)
class Drainage:
    """hack: exponent of stream length over drainage area (Hack 1957; Rigon et al. 1996); concavity: exponent of
    slope over drainage area along channels (Flint 1974); pits: share of interior cells below all eight neighbours;
    exceedance: exponent of the share of cells that drain more than an area (Rodriguez-Iturbe et al. 1992)."""

    hack: float
    concavity: float
    pits: float
    exceedance: float

    #: name, low and high of what land has, format
    BOUNDS = (
        ("Hack's exponent", "hack", 0.5, 0.65),
        ("Slope-area concavity", "concavity", 0.35, 0.6),
        ("Pits", "pits", 0.0, 0.001),
        ("Area exceedance exponent", "exceedance", 0.38, 0.48),
    )

    def rows(self) -> list[tuple[str, str, str, bool]]:
        """(name, value, what land has, inside) of every figure."""
        found = []
        for name, key, low, high in self.BOUNDS:
            value = getattr(self, key)
            text = f"{value * 100:.3f} %" if key == "pits" else f"{value:.2f}"
            land = f"under {high * 100:g} %" if key == "pits" else f"{low:g} to {high:g}"
            found.append((name, text, land, low <= value <= high))
        return found


def _slope_of(x: np.ndarray, y: np.ndarray, bins: int = 14) -> float:
    """Slope of the straight line through the means of y in equal steps of x, each bin counting once."""
    edges = np.linspace(x.min(), x.max() + 1e-9, bins + 1)
    which = np.digitize(x, edges) - 1
    count = np.bincount(which, minlength=bins)[:bins]
    good = count >= 8
    if good.sum() < 3:
        return float("nan")
    mx = np.bincount(which, x, bins)[:bins][good] / count[good]
    my = np.bincount(which, y, bins)[:bins][good] / count[good]
    return float(np.polyfit(mx, my, 1)[0])


def drainage_of(height: np.ndarray, dx: float, grain: float | None = None) -> Drainage:
    """Figures of a height in metres with samples dx metres apart.

    Measured within the basins that fill at least a twentieth of the site each, as land is: the scraps along a
    square's edge are no basins. Channels are cells that drain at least 60 squares of a grain (metres, dx when left
    out): with the grain of a coarser grid, the same channels are measured at every detail, and none of the rills
    and slopes that only a finer one shows."""
    area, length, slope, outlet = network(np.ascontiguousarray(height, np.float32), dx)
    fine = (dx / (grain or dx)) ** 2
    cells = area / (dx * dx) * fine
    basins, size = np.unique(outlet, return_counts=True)
    basins = basins[size >= 0.05 * height.size] if (size >= 0.05 * height.size).any() else basins[size.argsort()[-3:]]
    exceedances = []
    for basin in basins:
        own = cells[outlet == basin]
        at = np.geomspace(10, max(0.1 * own.size * fine, 20), 20)
        fraction = np.array([(own >= a).mean() for a in at])
        if (fraction > 0).sum() > 3:
            exceedances.append(-float(np.polyfit(np.log(at[fraction > 0]), np.log(fraction[fraction > 0]), 1)[0]))
    channel = np.isin(outlet, basins) & (cells >= 60)
    steep = channel & (slope > 1e-5)
    if channel.sum() < 50 or steep.sum() < 50:
        return Drainage(float("nan"), float("nan"), _pits(height), float("nan"))
    return Drainage(
        _slope_of(np.log(area[channel]), np.log(length[channel])),
        -_slope_of(np.log(area[steep]), np.log(slope[steep])),
        _pits(height),
        float(np.mean(exceedances)) if exceedances else float("nan"),
    )


def _pits(height: np.ndarray) -> float:
    interior = max(1, (height.shape[0] - 2) * (height.shape[1] - 2))
    return pit_count(np.ascontiguousarray(height, np.float32)) / interior
