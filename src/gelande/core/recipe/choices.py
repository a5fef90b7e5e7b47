"""What is chosen in a recipe besides its graph: presets, ground that stays, seeds that stay, figures that
count."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from typing import Any

from .node import spec_of

#: Groups of nodes whose seeds can be locked, and the categories of nodes that each holds.
GROUPS = {
    "Landforms": ("Landforms", "Shape"),
    "Weather": ("Weather",),
    "Masks": ("Masks",),
    "Colour": ("Colour",),
}
#: Areas that can be kept at once: each is the land of a variant of its own, computed beside the rest.
MOST_KEEPS = 12
MOST_PRESETS = 200
#: What can be measured of a land; how is said in regenerate/figures.py.
FIGURE_IDS = ("walkable", "area", "flat", "water", "stream", "relief", "highest", "lowest", "steepest", "sight")

Locks = tuple[tuple[str, int], ...]


def group_of(category: str) -> str:
    """The seed group of a category of nodes, or "" when it has none."""
    return next((group for group, held in GROUPS.items() if category in held), "")


@dataclass(frozen=True)
class Preset:
    """Values of all controls under a name. seed: the recipe's; locks: (seed group, its own seed); values: (control's
    label, value as it is stored)."""

    name: str = ""
    seed: int = 0
    locks: Locks = ()
    values: tuple[tuple[str, Any], ...] = ()

    def renamed(self, old: str, new: str) -> Preset:
        """The same after a control has another label."""
        return replace(self, values=tuple((new if label == old else label, v) for label, v in self.values))


@dataclass(frozen=True)
class Keep:
    """Ground that stays as it is in a variant. outlines: pieces (curved, cut out, points) as the node Inset has them;
    width: metres over which it is blended; fade: metres over which the land around is bent to meet it; of: the seeds
    and controls of the variant that is kept."""

    name: str
    outlines: tuple
    of: Preset
    width: float
    fade: float
    on: bool = True


def checked_outlines(outlines: Any) -> tuple:
    """Outlines as Keep holds them: those of the node Inset. Raises ValueError."""
    spec = spec_of("inset")
    assert spec is not None
    return spec.param("outlines").check(outlines)


@dataclass(frozen=True)
class FigureChoice:
    """A figure that is shown of variants, and the limits outside which it is marked."""

    figure: str
    low: float | None = None
    high: float | None = None

    def fits(self, value: float | None) -> bool:
        """True when a value is within the limits."""
        if value is None:
            return self.low is None and self.high is None
        return (self.low is None or value >= self.low) and (self.high is None or value <= self.high)


@dataclass(frozen=True)
class Measures:
    """Limits that the figures go by. walkable, flat: degrees up to which ground can be walked and built on; pins: two
    places, metres east and north, from one of which the other is seen or not."""

    walkable: float = 30.0
    flat: float = 5.0
    pins: tuple[tuple[float, float], ...] = field(default=())
