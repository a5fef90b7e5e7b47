"""The site: how large the land is, and which grids it is sampled on.

The grid is vertex-centred. Level k has ``base * 2**k + 1`` samples along the long side, with samples
on the site's edges, so every sample of a level is also a sample of the next. Row 0 is the north edge,
column 0 the west edge. Cells are square; the short side is a whole number of level-0 cells.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property

from ..errors import RecipeError

#: Cells of the long side at level 0: level 1 has 129 samples, level 3 has 513.
DEFAULT_BASE = 64
#: Level at which global figures (minimum, maximum, quantiles) are taken, whatever is being looked at.
FIGURES_LEVEL = 1
#: Coarsest level that is delivered, and that simulations build finer ones on.
COARSEST = 1
#: Level of the quick picture while a slider moves: simulations only begin there, and nothing is built on it.
GLIMPSE = 0
#: Samples of the long side at most.
MOST_SAMPLES = 16385
#: What must be found on the whole site at once (streams, hollows, shade) is found on levels up to this one, 513 samples
#: with the default base; finer levels show the same on finer ground.
GLOBAL_LEVEL = 3
MIN_EXTENT, MAX_EXTENT = 10.0, 500_000.0
#: The long side is at most this many times the short one.
LONGEST = 64
#: Tones of land that has no colours.
BARE = ("grass", "sand", "ash", "snow")
#: Slope is measured over this share of the long side.
SLOPE_SHARE = 1 / 128
SEA_RANGE = (-20_000.0, 20_000.0)


@dataclass(frozen=True)
class Site:
    """A rectangular piece of land.

    width, depth: extent east-west and north-south in metres (10 m to 500 km).
    base: cells of the long side at level 0 (32 to 128).
    sea_level: metres; what Sea nodes count from. has_sea: whether there is a sea up to it, on all land that is shown;
    land below 0 m is land where the author says nothing else.
    name: the place's name, for titles and file names.
    bare: tones in which land without colours is shown, one of BARE.
    """

    name: str = "Untitled"
    width: float = 4096.0
    depth: float = 4096.0
    base: int = DEFAULT_BASE
    sea_level: float = 0.0
    has_sea: bool = False
    bare: str = BARE[0]

    def __post_init__(self) -> None:
        for label, value in (("width", self.width), ("depth", self.depth)):
            if not MIN_EXTENT <= value <= MAX_EXTENT:
                raise RecipeError(
                    f"Site: {label} is {value:g} m, outside {MIN_EXTENT:g} m to {MAX_EXTENT / 1000:g} km."
                )
        if not 32 <= self.base <= 128:
            raise RecipeError(f"Site: base sample count is {self.base}, outside 32 to 128.")
        if not (math.isfinite(self.sea_level) and SEA_RANGE[0] <= self.sea_level <= SEA_RANGE[1]):
            raise RecipeError(
                f"Site: sea level is {self.sea_level:g} m, outside {SEA_RANGE[0]:g} m to {SEA_RANGE[1]:g} m."
            )
        if self.bare not in BARE:
            raise RecipeError(f"Site: bare ground {self.bare!r} is not known; known are {', '.join(BARE)}.")
        cells = min(self.width, self.depth) / self.cell0
        if round(cells) < self.least_cells(self.base):
            raise RecipeError(f"Site: the long side is more than {LONGEST} times the short one; make it wider.")
        if abs(cells - round(cells)) > 1e-6 * self.base:
            fitted = round(cells) * self.cell0
            raise RecipeError(
                f"Site: the short side must be a whole number of {self.cell0:g} m cells; {fitted:g} m fits."
            )

    @classmethod
    def fitted(
        cls,
        name: str,
        width: float,
        depth: float,
        base: int = DEFAULT_BASE,
        sea_level: float = 0.0,
        has_sea: bool = False,
        bare: str = BARE[0],
    ) -> Site:
        """A site whose short side is moved to the nearest whole number of cells (at least a 64th)."""
        cell = max(width, depth) / base

        def fit(value: float) -> float:
            return value if value >= max(width, depth) else max(cls.least_cells(base), round(value / cell)) * cell

        return cls(name, fit(width), fit(depth), base, sea_level, has_sea, bare)

    @staticmethod
    def least_cells(base: int) -> int:
        """Level-0 cells that the short side has at least."""
        return -(-base // LONGEST)

    @property
    def sea(self) -> float | None:
        """Level of the site's sea in metres, or None when it has none."""
        return self.sea_level if self.has_sea else None

    @property
    def sea_text(self) -> str:
        """The site's sea for people."""
        return f"{self.sea_level:g} m" if self.has_sea else "none"

    @cached_property
    def long_side(self) -> float:
        return max(self.width, self.depth)

    @property
    def slope_baseline(self) -> float:
        """Distance in metres over which slope is measured where nobody says another one: a share of the long side, so
        that it says the same at every detail."""
        return self.long_side * SLOPE_SHARE

    @cached_property
    def cell0(self) -> float:
        """Sample spacing at level 0, metres."""
        return self.long_side / self.base

    def spacing(self, level: int) -> float:
        """Sample spacing of a level, metres."""
        return self.cell0 / 2**level

    def shape(self, level: int) -> tuple[int, int]:
        """Rows and columns of a level."""
        rows, columns = self._cells
        return rows * 2**level + 1, columns * 2**level + 1

    @cached_property
    def _cells(self) -> tuple[int, int]:
        """Cells from north to south and from west to east at level 0."""
        return round(self.depth / self.cell0), round(self.width / self.cell0)

    def samples(self, level: int) -> int:
        """Sample count of the long side at a level: 129 at level 1, 513 at level 3 with the default base."""
        return self.base * 2**level + 1

    @property
    def levels(self) -> range:
        """The levels that can be evaluated, coarsest first."""
        finest = COARSEST
        while self.samples(finest + 1) <= MOST_SAMPLES:
            finest += 1
        return range(COARSEST, finest + 1)

    def finest_within(self, samples: int) -> int:
        """The finest level that has no more samples along the long side than that; else the coarsest."""
        return max((k for k in self.levels if self.samples(k) <= samples), default=COARSEST)

    def level_of(self, samples: int) -> int:
        """The level whose long side has this many samples (its cell count is accepted too).

        Raises RecipeError naming the counts that exist when there is none."""
        for level in self.levels:
            if samples in (self.samples(level), self.samples(level) - 1):
                return level
        known = ", ".join(str(self.samples(k)) for k in self.levels)
        raise RecipeError(f"Detail {samples} does not exist for this site; choose one of {known}.")
