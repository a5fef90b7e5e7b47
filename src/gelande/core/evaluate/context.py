"""What a node's computation sees: its site, level and window, its parameters, its inputs, its own coarser results."""

from __future__ import annotations

import copy
from collections.abc import Callable
from pathlib import Path
from typing import Protocol

import numpy as np

from gelande.kernels.grid_window import GridWindow
from gelande.kernels.transfer import looked_at, sample, sample_all, up

from ..errors import GelandeError
from ..recipe import kinds
from ..recipe.model import NodeState
from ..recipe.node import Port, registry
from ..recipe.param import Values
from ..recipe.raster import MASK
from ..recipe.seeds import effective_seed
from ..recipe.site import FIGURES_LEVEL, Site
from ..recipe.walk import nearest_above
from .job import Job
from .plan import RAW, SIMULATED, Unit, working_window

Arrays = dict[str, np.ndarray]


class Source(Protocol):
    """Provider of a context's inputs."""

    job: Job

    def fetch(self, node: str, level: int, stage: str, window: GridWindow | None = None) -> Arrays: ...


class Context:
    """Everything a node's computation sees.

    asked: the window that the result is wanted on; window: the one to compute on, larger by what the node's
    declaration says that it looks at; shape: of the window; dx: metres between samples."""

    def __init__(self, source: Source, unit: Unit, weight: float = 0.0) -> None:
        job = source.job
        state = job.recipe.nodes[unit.node]
        self._source, self._job, self._id, self._weight = source, job, unit.node, weight
        self._state: NodeState = state
        self.spec = state.declared
        self.site: Site = job.recipe.site
        self.level, self.dx = unit.level, self.site.spacing(unit.level)
        self.p = Values(state.params)
        self.asked = unit.window
        self.window = working_window(state.reads(self.site), self.site, unit)
        self.shape = self.window.shape
        self.stop = job.stop.flag
        self.folder: Path = job.folder
        self.seed = effective_seed(job.recipe, unit.node)

    def within(self, window: GridWindow) -> Context:
        """The same on a smaller window, for work that does not look as far around as the rest."""
        inner = copy.copy(self)
        inner.window, inner.shape = window, window.shape
        return inner

    def laid_on_window(self, data: np.ndarray, window: GridWindow) -> np.ndarray:
        """Samples of a smaller window, laid on the context's own; what lies beyond is 0: nobody asked for it."""
        if window == self.window:
            return data
        out = np.zeros((*self.shape, *data.shape[2:]), data.dtype)
        self.window.paste(out, data, window)
        return out

    @property
    def outputs(self) -> tuple[Port, ...]:
        """The node's outputs."""
        return self.spec.outputs

    def has(self, port: str) -> bool:
        """True when an input is linked."""
        return port in self._state.inputs

    def window_at(self, level: int) -> GridWindow:
        """The samples of a coarser level that the window is refined from."""
        return self.window.coarser(self.level - level)

    def input(self, port: str, level: int | None = None, window: GridWindow | None = None) -> np.ndarray | None:
        """An input's samples on the window, or on what it is refined from at a coarser level, or on another window of
        that level; None when an optional input is not linked."""
        source = self._state.inputs.get(port)
        if source is None:
            if self.spec.entry(port).optional:
                return None
            raise self._not_linked(port)
        level = self.level if level is None else level
        return self._source.fetch(source[0], level, "final", window or self.window_at(level))[source[1]]

    def _not_linked(self, port: str) -> GelandeError:
        label = self.spec.entry(port).label
        return GelandeError(f"its input{'' if label == 'Input' else f' {label}'} is not linked; drag a link to it")

    def input_kind(self, port: str) -> str:
        """The kind of data that arrives at a port."""
        return kinds.kind_at(self._job.recipe, *self._state.inputs[port])

    def settings_above(self, port: str) -> Values | None:
        """Settings of the node that an input's declaration says it reads; None when nothing is linked there."""
        entry = self.spec.entry(port)
        if port not in self._state.inputs:
            return None
        found = nearest_above(self._job.recipe, self._state.inputs[port], entry.reads)
        if found is None:
            name = registry()[entry.reads].name
            raise GelandeError(f"its input {entry.label} must come from a node of the kind {name}")
        return Values(found.params)

    def sampled(self, port: str, ys: np.ndarray, xs: np.ndarray) -> np.ndarray:
        """An input at fractional rows ys and columns xs of the level's whole grid (arrays of one shape), mirrored
        beyond its edges; Catmull-Rom between samples. A mask stays within 0 and 1, a colour above 0."""
        held = looked_at(ys, xs, self.window.grid)
        if self.window.whole:
            held = self.window
        data = self.input(port, window=held)
        if data is None:
            raise self._not_linked(port)
        if data.ndim == 3:
            bands = [np.ascontiguousarray(data[..., k]) for k in range(data.shape[2])]
            return np.maximum(np.moveaxis(sample_all(bands, ys, xs, self.stop, held), 0, -1), 0)
        found = sample(data, ys, xs, self.stop, held)
        return np.clip(found, 0, 1) if self.input_kind(port) == MASK else found

    def own(self, level: int) -> Arrays:
        """The node's own raw result at a coarser level, before Where, Amount and Finish, on what the window is refined
        from."""
        if level >= self.level:
            raise ValueError("a node may ask only for its own coarser results")
        return self._source.fetch(self._id, level, RAW, self.window_at(level))

    def simulated(self) -> Arrays:
        """What the declaration's simulate gives on the window; on fine levels of blocks that are kept."""
        if self.window.whole:
            assert self.spec.simulate is not None
            return self.spec.simulate(self)
        return self._source.fetch(self._id, self.level, SIMULATED, self.window)

    def raised(self, a: np.ndarray, rise: Callable[..., np.ndarray] = up, **how) -> np.ndarray:
        """Samples of window_at(level - 1), one level coarser, brought up to the window. rise: up, up_kept or
        up_surface."""
        return self.window.cut(rise(a, **how), self.window_at(self.level - 1).finer())

    def range(self, port: str) -> tuple[float, float]:
        """Lowest and highest sample of an input at the figures level, the same at every detail (but for a glimpse)."""
        source = self._state.inputs.get(port)
        if source is None:
            raise self._not_linked(port)
        data = self._source.fetch(source[0], min(self.level, FIGURES_LEVEL), "final")[source[1]]
        return float(data.min()), float(data.max())

    def check(self) -> None:
        """Raises Stopped when a stop was asked for."""
        self._job.stop.check()

    def progress(self, fraction: float) -> None:
        """Tells how much of this node's work is done, and looks for a stop."""
        self._job.stop.check()
        self._job.report(fraction * self._weight, self._state.name)


def cut_to(arrays: dict[str, np.ndarray], asked: GridWindow, held: GridWindow) -> dict[str, np.ndarray]:
    """A result's rasters on the window that was asked for; what is no raster stays as it is."""
    if asked == held:
        return arrays
    return {k: asked.cut(a, held) if a.shape[:2] == held.shape else a for k, a in arrays.items()}
