"""A request for a result: the recipe as it stood, its stop, and where progress goes."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np

from ..errors import Stopped
from ..recipe.model import Recipe
from ..regenerate.kept_ground import with_kept_ground

#: Grids of up to this many samples are evaluated whole.
LARGEST_WHOLE = 4097 * 4097
#: And of so many while a larger level is computed in strips: what it is refined from is needed for every strip, and
#: must not crowd out the rest.
WHOLE_BESIDE_STRIPS = 2049 * 2049


class Stop:
    """A request to stop. ``flag`` is shared with kernels, which look at it while they run."""

    def __init__(self) -> None:
        self.flag = np.zeros(1, np.uint8)

    def set(self) -> None:
        self.flag[0] = 1

    def __bool__(self) -> bool:
        return bool(self.flag[0])

    def check(self) -> None:
        """Raises Stopped when a stop was asked for."""
        if self.flag[0]:
            raise Stopped


@dataclass
class Job:
    """One request: a recipe as it stood, drawn out where it keeps ground, its stop, and where progress goes.

    progress: called with (share done 0-1, what is being worked on, seconds left or None); whole: samples up to which a
    level is evaluated whole."""

    recipe: Recipe
    folder: Path = field(default_factory=Path)
    stop: Stop = field(default_factory=Stop)
    progress: Callable[[float, str, float | None], None] | None = None
    whole: int = LARGEST_WHOLE
    total: float = 0.0
    done: float = 0.0
    began: float = field(default_factory=time.perf_counter)
    last: float = 0.0
    highest: float = 0.0
    current: tuple = ("", 0.0, 0.0)  # the node at work, since when, and how many seconds it is thought to take

    def __post_init__(self) -> None:
        self.recipe = with_kept_ground(self.recipe)

    def report(self, current: float, label: str, force: bool = False) -> None:
        """Tells progress, at most every 50 ms."""
        now = time.perf_counter()
        if self.progress is None or (now - self.last < 0.05 and not force):
            return
        self.last = now
        fraction = min(1.0, (self.done + current) / self.total) if self.total > 0 else 1.0
        fraction = self.highest = max(fraction, self.highest)
        spent = now - self.began
        left = spent * (1 - fraction) / fraction if fraction > 0.02 and spent > 0.3 else None
        self.progress(fraction, label, left)
