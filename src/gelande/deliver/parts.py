"""The parts that a delivery is cut into: the whole of it, or tiles in rows from the north and columns from the west."""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from gelande.core.errors import DeliveryError
from gelande.core.recipe.deliverables import Delivery
from gelande.core.recipe.site import Site
from gelande.kernels.grid_window import GridWindow

from .grid import Grid

#: Rows of a strip, for levels up to 6145 samples wide; wider ones have lower strips, so that a strip holds no more.
STRIP, WIDE = 1024, 6145


@dataclass(frozen=True)
class Part:
    """A tile, counted from the west and from the north; window: its samples on the delivery's grid."""

    x: int
    y: int
    window: GridWindow

    @property
    def words(self) -> str:
        """Name of the part, for people."""
        return f"column {self.x}, row {self.y}"


def parts_of(
    site: Site,
    level: int,
    delivery: Delivery,
    columns: Iterable[int] | None = None,
    rows: Iterable[int] | None = None,
) -> list[Part]:
    """The parts of a delivery at a level, row by row; columns, rows: only these, where they are given. Raises
    DeliveryError when there is none of those."""
    shape = Grid.of(site, level, delivery).shape
    if not delivery.tile or delivery.tile >= max(shape):
        return [Part(0, 0, GridWindow.of(shape))]
    tall, broad = (_cuts(count, delivery.tile, delivery.shared) for count in shape)
    for what, wanted, there in (("columns", columns, broad), ("rows", rows, tall)):
        odd = [k for k in wanted or () if not 0 <= k < len(there)]
        if odd:
            raise DeliveryError(f"There is no tile in {what[:-1]} {odd[0]}; {what} run from 0 to {len(there) - 1}.")
    return [
        Part(x, y, GridWindow.between(top, bottom, left, right, shape))
        for y, (top, bottom) in enumerate(tall)
        if rows is None or y in set(rows)
        for x, (left, right) in enumerate(broad)
        if columns is None or x in set(columns)
    ]


def _cuts(count: int, tile: int, shared: bool) -> list[tuple[int, int]]:
    """First and one beyond the last sample of the tiles along a side. With shared edges a tile begins with the last
    sample of the one before. Where they do not come out even the last is shorter; a single sample that would be left is
    left out when edges are not shared, since tiles without it make the site's other edge as well."""
    step = tile - 1 if shared else tile
    ends = [(k, min(k + tile, count)) for k in range(0, max(count - 1, 1), step)]
    return [e for e in ends if e[1] - e[0] > 1] or ends


def strips_of(windows: Iterable[GridWindow], margin: int = 0) -> list[GridWindow]:
    """Frames from north to south that cover all of some with a margin around each; where there is nothing between
    two there is no strip."""
    grown = sorted((window.grown(margin) if margin else window for window in windows), key=lambda f: f.top)
    left = min(window.left for window in grown)
    right = max(window.left + window.width for window in grown)
    runs: list[list[int]] = []
    for window in grown:
        if runs and window.top <= runs[-1][1]:
            runs[-1][1] = max(runs[-1][1], window.top + window.height)
        else:
            runs.append([window.top, window.top + window.height])
    found: list[GridWindow] = []
    tall = max(STRIP // 16, min(STRIP, STRIP * WIDE // (right - left) // 64 * 64))
    for top, bottom in runs:
        while top < bottom:
            # a few rows that would be left over go with the strip before them
            end = bottom if top + tall + tall // 8 >= bottom else top + tall
            found.append(GridWindow.between(top, end, left, right, grown[0].grid))
            top = end
    return found
