"""What a node reads: one value that it gives for its settings and a site. The plan and the keys read it and nothing
else of a node."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field

from gelande.kernels.grid_window import GridWindow

#: Which of its own coarser results a node builds on.
EACH, FINER, GLOBAL_ONLY = "each", "finer", "mapped"


@dataclass(frozen=True, eq=False)
class Footprint:
    """Samples and fields that a node reads for its settings on a site. Nothing said: each sample of its inputs by
    itself, so that a newcomer's node is right before its author has read this.

    halo: metres around a sample that it looks at, on its inputs and on what it makes on the way.
    working: level, asked frame -> the frame to compute on, where metres do not say it.
    blocks: level -> rows and columns of the blocks that its simulate computes in, which lie fixed on the level; they
    are kept, so that neither a build in strips nor a region that moves on computes one twice. working is then the
    frame for whole blocks.
    beside: samples around a frame that it looks at when it finishes what it simulated in blocks.
    looks: level, working frame -> the frame of its inputs that it looks at, where that is another place
    (Context.sampled).
    asks: level -> inputs that it asks for there, where that is not all of them.
    low_passed: input -> radius in metres of the filter (or filters) on it that is done on a coarser level
    (nodes.shared.filtered).
    ranged: inputs whose range it asks for (Context.range).
    own: EACH: it asks for its own result one level coarser; FINER: on levels finer than the mapped one; MAPPED_ONLY: on
    these for that at the mapped level. below: inputs that it asks for one level coarser, too.
    site: fields of the site that it reads besides its size and grid, as sea_level.
    """

    halo: float = 0.0
    working: Callable[[int, GridWindow], GridWindow] | None = None
    blocks: Callable[[int], tuple[int, int]] | None = None
    beside: int = 0
    looks: Callable[[int, GridWindow], GridWindow] | None = None
    asks: Callable[[int], tuple[str, ...]] | None = None
    low_passed: Mapping[str, float | tuple[float, ...]] = field(default_factory=dict)
    ranged: tuple[str, ...] = ()
    own: str = ""
    below: tuple[str, ...] = ()
    site: tuple[str, ...] = ()

    def filters(self) -> list[tuple[str, float]]:
        """(input, radius) of every filter that is done on a coarser level."""
        found: list[tuple[str, float]] = []
        for port, some in self.low_passed.items():
            found += [(port, radius) for radius in (some if isinstance(some, tuple) else (some,))]
        return found
