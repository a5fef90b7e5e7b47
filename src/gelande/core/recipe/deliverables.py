"""What a recipe delivers: files ordered of outputs, and what all files of a delivery have in common.

These are values of the recipe like any other. Edits of the graph lead them to the outputs that take the place of
others, by ``remap_sources``.

"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace

from ..errors import RecipeError

#: Where the ends of 16-bit heights come from: each file's own extremes, those of all at 129 samples with a margin, or
#: given heights.
OWN, FOUND, GIVEN = "own", "found", "given"
SPANS = (OWN, FOUND, GIVEN)
#: Sizes of tiles that are offered, in samples a side.
TILES = (257, 505, 513, 1009, 1017, 1025, 2017, 2049, 4033, 4097)
#: Samples along the long side that programs ask for beside powers of two plus one.
SIZES = (505, 1009, 2017, 4033, 8129)
#: Words that a pattern of names may hold.
WORDS = ("site", "seed", "what", "detail", "x", "y")
LARGEST_SHIFT = 1e8

Source = tuple[str, str]


@dataclass(frozen=True)
class Deliverable:
    """One file of a delivery: which output of which node, in which format. options: of the format, by name, where they
    are not its defaults; more: other outputs that go into the file, as (slot, node, port)."""

    name: str
    node: str
    port: str
    format: str
    options: tuple[tuple[str, bool | int | float | str], ...] = ()
    more: tuple[tuple[str, str, str], ...] = ()

    @property
    def source(self) -> Source:
        """The output that the file is made from first of all."""
        return self.node, self.port

    @property
    def sources(self) -> dict[str, Source]:
        """All outputs that go into the file, by slot, "" for the first."""
        return {"": self.source, **{slot: (node, port) for slot, node, port in self.more}}

    def other(self, slot: str) -> Source | None:
        """The output in a slot, or None."""
        return next(((node, port) for s, node, port in self.more if s == slot), None)


def remap_sources(orders: Iterable[Deliverable], new: Callable[[Source], Source | None]) -> tuple[Deliverable, ...]:
    """Deliverables whose outputs were replaced: new gives what takes the place of an output, or None when nothing
    does. One that has lost its first output is gone; another that it lost leaves its slot empty."""
    found = []
    for d in orders:
        source = new(d.source)
        if source is None:
            continue
        rest = ((slot, new((node, port))) for slot, node, port in d.more)
        more = tuple((slot, *other) for slot, other in rest if other is not None)
        same = source == d.source and more == d.more
        found.append(d if same else replace(d, node=source[0], port=source[1], more=more))
    return tuple(found)


@dataclass(frozen=True)
class Delivery:
    """Common options of all files of a delivery.

    pattern: of their names, made of words in braces; tile: samples a side of a tile, 0 for no tiles; shared: whether
    neighbouring tiles both hold the samples of their common edge; span: where the ends of 16-bit heights come from,
    with low and high in metres when they are given; margin: share of the range that is added on both sides when it is
    found; size: samples along the long side of every file, 0 for those of the detail; epsg: code of the reference
    system of GeoTIFF and GeoPackage files, 0 for local metres, with east and north of the site's south-west corner in
    it."""

    pattern: str = "{site}_{what}"
    tile: int = 0
    shared: bool = True
    span: str = OWN
    low: float = 0.0
    high: float = 1000.0
    margin: float = 0.08
    size: int = 0
    epsg: int = 0
    east: float = 0.0
    north: float = 0.0

    def checked(self) -> Delivery:
        """The same when all of it can be used. Raises RecipeError naming the setting, the value and the range."""
        left = self.pattern
        for word in WORDS:
            left = left.replace("{" + word + "}", "")
        odd = next((c for c in left if c in '{}/\\:*?"<>|' or ord(c) < 32), "")
        if odd or not self.pattern.strip() or len(self.pattern) > 200:
            words = ", ".join("{" + w + "}" for w in WORDS)
            raise RecipeError(
                f"Names of files cannot be made from {self.pattern[:60]!r}; it may hold letters, digits and {words}."
            )
        if self.tile and not 17 <= self.tile <= 16_385:
            raise RecipeError(f"Tiles of {self.tile} samples a side cannot be made; choose from 17 to 16385, or 0.")
        if self.size and not 17 <= self.size <= 16_385:
            raise RecipeError(f"Files of {self.size} samples a side cannot be made; choose from 17 to 16385, or 0.")
        if self.span not in SPANS:
            raise RecipeError(
                f"The ends of 16-bit heights cannot be {self.span!r}; they are one of {', '.join(SPANS)}."
            )
        if not (-100_000 <= self.low < self.high <= 100_000):
            raise RecipeError(
                f"16-bit heights cannot run from {self.low:g} to {self.high:g} m; the highest count must stand for "
                "more than the lowest, and both lie within 100 km of zero."
            )
        if not 0 <= self.margin <= 1:
            raise RecipeError(f"The margin of the heights is {self.margin:g}; it must be from 0 to 1.")
        if not 0 <= self.epsg <= 999_999:
            raise RecipeError(f"{self.epsg} is no EPSG code; it must be from 1024 to 999999, or 0 for local metres.")
        if max(abs(self.east), abs(self.north)) > LARGEST_SHIFT:
            raise RecipeError(
                "The site's south-west corner must lie within 100 000 km of the reference system's origin."
            )
        return self
