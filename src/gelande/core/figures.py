"""Figures of a landscape that tell whether it works in a game: relief, walkable share, flat ground, water, streams."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from gelande.kernels.flow import longest_stream
from gelande.kernels.measure import slope_degrees

from .restrict import slope_baseline
from .site import Site

WALKABLE, FLAT = 30.0, 5.0


@dataclass(frozen=True)
class Figures:
    """relief: m; walkable: share of the land under 30°; flat: hectares under 5°; water: hectares of open water;
    stream: m."""

    relief: float
    walkable: float
    flat: float
    water: float
    stream: float

    def lines(self) -> list[tuple[str, str]]:
        """Names and values with units, in the order they are shown."""
        return [
            ("Relief", f"{self.relief:.0f} m"),
            (f"Walkable (under {WALKABLE:.0f}°)", f"{self.walkable * 100:.0f} %"),
            (f"Flat ground (under {FLAT:.0f}°)", f"{self.flat:.1f} ha"),
            ("Open water", f"{self.water:.1f} ha"),
            ("Longest stream", f"{self.stream / 1000:.1f} km"),
        ]


def figures_of(height: np.ndarray, site: Site, level: int, water: np.ndarray | None = None) -> Figures:
    """Figures of a height at a level; water: depth of lakes and streams over it in metres, or None. Slopes are
    measured over 1/128 of the site's long side."""
    dx = site.spacing(level)
    slope = slope_degrees(height, dx, slope_baseline(site))
    dry = height >= site.sea_level
    if water is not None:
        dry &= water < 0.05
    hectares = site.width * site.depth / 10_000
    land = max(int(dry.sum()), 1)
    return Figures(
        float(height.max() - height.min()),
        float((slope[dry] < WALKABLE).sum() / land),
        float((slope[dry] < FLAT).sum() / height.size * hectares),
        float((~dry).sum() / height.size * hectares),
        longest_stream(height, dx, site.width * site.depth / 400),
    )
