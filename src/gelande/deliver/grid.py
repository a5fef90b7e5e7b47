"""The grid of a delivery: that of its level, or one with another number of samples for programs that ask for it."""

from __future__ import annotations

from contextlib import suppress
from dataclasses import dataclass, replace
from math import gcd

import numpy as np

from gelande.core.errors import DeliveryError
from gelande.core.evaluate.context import Arrays
from gelande.core.evaluate.job import Stop
from gelande.core.recipe.deliverables import SIZES, Delivery
from gelande.core.recipe.site import Site
from gelande.kernels.grid_window import GridWindow
from gelande.kernels.resample import distance, resampled, source_of

from .samples import EXACT, Off


@dataclass(frozen=True)
class Grid:
    """size: samples along the long side, 0 for those of the level."""

    site: Site
    level: int
    size: int = 0

    @classmethod
    def of(cls, site: Site, level: int, delivery: Delivery) -> Grid:
        """The grid of a delivery at a level. Raises DeliveryError when its number of samples does not fit there."""
        n, there = delivery.size, site.samples(level)
        if not n or n == there:
            return cls(site, level)
        fits = level_for(site, n)
        if fits is None:
            most = site.samples(site.levels[-1])
            raise DeliveryError(
                f"Files of {n} samples a side are more than this site has; its finest detail is {most}."
            )
        if fits != level:
            raise DeliveryError(
                f"Files of {n} samples a side are made from a detail of {site.samples(fits)}; choose that."
            )
        cells = round(min(site.width, site.depth) / site.cell0)
        each = site.base // gcd(cells, site.base)
        if (n - 1) % each:
            near = [k for k in ((n - 1) // each * each + 1, -(-(n - 1) // each) * each + 1) if 1 < k <= there]
            raise DeliveryError(
                f"{n} samples along the long side do not come out even along the short one; this site can have "
                f"{' or '.join(map(str, near))}."
            )
        return cls(site, level, n)

    @property
    def resampled(self) -> bool:
        """True when its samples are not those of the level."""
        return self.size > 0

    @property
    def step(self) -> float:
        """The level's spacings from one sample to the next."""
        return (self.site.samples(self.level) - 1) / (self.size - 1) if self.size else 1.0

    @property
    def dx(self) -> float:
        """Metres between samples."""
        return self.site.long_side / (self.size - 1) if self.size else self.site.spacing(self.level)

    @property
    def shape(self) -> tuple[int, int]:
        """Rows and columns."""
        rows, columns = self.site.shape(self.level)
        return (
            (round((rows - 1) / self.step) + 1, round((columns - 1) / self.step) + 1) if self.size else (rows, columns)
        )

    @property
    def samples(self) -> int:
        """Along the long side."""
        return max(self.shape)

    def source(self, window: GridWindow) -> GridWindow:
        """The window of the level that a window is made from."""
        return source_of(window.grown(1), self.site.shape(self.level), self.step) if self.size else window

    def taken(
        self, made: Arrays, ports: dict[str, bool], window: GridWindow, stop: Stop
    ) -> tuple[Arrays, dict[str, Off]]:
        """A node's result on a window of this grid, and how far each output is from the level's own samples then.
        made: on the level's window that source gives for it; ports: whether each is to be taken by a cubic, which
        suits heights: shares and colours lie between those around them. Raises Stopped."""
        if not self.size:
            return {port: made[port] for port in ports}, dict.fromkeys(ports, EXACT)
        found: Arrays = {}
        off: dict[str, Off] = {}
        # with a sample around it, so that the cells between two strips are measured as well
        held, wide = self.source(window), window.grown(1)
        for port, cubic in ports.items():
            data: np.ndarray = made[port]
            more = resampled(data, held, wide, self.step, cubic, stop.flag)
            off[port] = Off(*distance(data, held, more, wide, self.step, stop.flag))
            found[port] = window.cut(more, wide)
        return found, off


def level_for(site: Site, size: int) -> int | None:
    """The coarsest level that has so many samples along the long side; None when there is none."""
    return next((level for level in site.levels if site.samples(level) >= size), None)


def offered(site: Site, delivery: Delivery) -> list[Grid]:
    """The grids that a site can be delivered on, the coarsest first: those of its levels, those that programs ask for
    and come out even, and the delivery's own."""
    found = [Grid(site, level) for level in site.levels]
    for size in {*SIZES, delivery.size} - {0}:
        level = level_for(site, size)
        with suppress(DeliveryError):
            grid = Grid.of(site, level or site.levels[-1], replace(delivery, size=size))
            found += [grid] if grid.resampled else []
    return sorted(found, key=lambda grid: grid.samples)
