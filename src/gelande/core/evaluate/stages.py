"""What is done for one unit: a node's own computation, then Where and Amount, then Finish."""

from __future__ import annotations

import logging
import time
from collections.abc import Callable

import numpy as np

from gelande.kernels.grid_window import GridWindow
from gelande.kernels.water import DRY

from ..errors import GelandeError, NodeError, Stopped
from ..recipe import kinds
from ..recipe.model import Bake, NodeState
from ..recipe.node import INDEX, WHERE_ALL, Port
from ..recipe.raster import COLOUR, HEIGHT, MASK, checked, expected_shape
from ..recipe.site import FIGURES_LEVEL
from ..words import clean
from . import bake, restrict
from .context import Arrays, Context, Source, cut_to
from .plan import FINAL, RAW, Unit, ground_source, ground_window, has_no_part, is_restricted, passes, window_on

#: Name under which a node that leaves water standing gives the water's height, beside its outputs.
SURFACE = "_surface"


def kind_of(source: Source, node_id: str, port: Port) -> str:
    """The kind of data of an output; what passes on anything carries heights as long as nothing is linked to it."""
    kind = port.kind if port.kind != "any" else kinds.kind_at(source.job.recipe, node_id, port.id)
    return HEIGHT if kind == "any" else kind


#: Faults inside nodes that are in the log already: each comes again with every picture.
_logged: set[tuple[str, str]] = set()
log = logging.getLogger("gelande")


def _told(state: NodeState) -> tuple[str, str, int, str]:
    """Name, kind, version and settings of a node for the log; of what is drawn only how much there is."""
    spec = state.declared
    settings = {p.id: p.text(state.params[p.id]) for p in spec.params if p.id in state.params}
    return clean(state.name), state.kind, spec.version, clean(str(settings), 2000)


def simulated(source: Source, unit: Unit, weight: float = 0.0) -> Arrays:
    """The half of a node's computation that goes block by block. Raises NodeError or Stopped."""

    def made(context: Context) -> Arrays:
        assert context.spec.simulate is not None
        arrays = cut_to(context.spec.simulate(context), unit.window, context.window)
        source.job.stop.check()
        for a in arrays.values():
            a.flags.writeable = False
        return arrays

    return _guarded(source, unit, weight, made)


def raw(source: Source, unit: Unit, weight: float = 0.0) -> Arrays:
    """Outputs before Where, Amount and Finish, with what the node keeps for itself (ids that begin with _). Raises
    NodeError or Stopped."""

    def made(context: Context) -> Arrays:
        spec = context.spec
        found = spec.compute(context)
        source.job.stop.check()  # a kernel that was stopped leaves rows unwritten: they must not be judged
        found = cut_to(found, unit.window, context.window)
        arrays = {p.id: checked(kind_of(source, unit.node, p), found[p.id], unit.window.shape) for p in spec.outputs}
        for name, a in found.items():
            if name.startswith("_"):
                a.flags.writeable = False  # others read it, too
                arrays[name] = a
        return arrays

    return _guarded(source, unit, weight, made)


def _guarded(source: Source, unit: Unit, weight: float, made: Callable[[Context], Arrays]) -> Arrays:
    """What a node's computation gives for its context; whatever it raises becomes a NodeError."""
    job, state = source.job, source.job.recipe.nodes[unit.node]
    if state.spec is None:
        why = f"this version of Gelande does not know the node kind {state.kind}; {state.lacking}"
        raise NodeError(unit.node, state.name, why)
    context = Context(source, unit, weight)
    job.current = (state.name, time.perf_counter(), weight)
    try:
        return made(context)
    except (Stopped, NodeError):
        raise
    except GelandeError as error:
        raise NodeError(unit.node, state.name, str(error)) from error
    except MemoryError:
        why = "there is not enough memory at this detail; choose a smaller one"
        raise NodeError(unit.node, state.name, why) from None
    except Exception as error:
        if job.stop:  # computing on with rows that were never written can raise anything
            raise Stopped from None
        # The program never dies of a node: whatever it was is told on the card, and once with its place in the log.
        if (state.kind, repr(error)) not in _logged:
            _logged.add((state.kind, repr(error)))
            log.error("%s (%s, version %s) failed; settings: %s", *_told(state), exc_info=error)
        raise NodeError(unit.node, state.name, f"failed inside: {error}") from error


def final(source: Source, unit: Unit) -> Arrays:
    """Outputs restricted and finished. Raises NodeError or Stopped."""
    job = source.job
    state = job.recipe.nodes[unit.node]
    if state.spec is not None and state.off:
        return _passed(source, unit)
    if state.spec is not None and state.bake is not None:
        return _baked(source, unit, state.bake)
    arrays = _blended(source, unit)
    spec = state.declared
    if spec.main and restrict.needs_finish(state.params):
        main = spec.result.id
        low, high = _extremes(source, unit, arrays) if restrict.needs_range(state.params) else (0.0, 1.0)
        kind = kind_of(source, unit.node, spec.result)
        done = restrict.finish(kind, state.params, arrays[main], low, high)
        arrays = {**arrays, main: checked(kind, done, unit.window.shape)}
    return arrays


def _extremes(source: Source, unit: Unit, arrays: Arrays) -> tuple[float, float]:
    """Lowest and highest sample of a node's main output at the figures level, before Finish."""
    main, level = source.job.recipe.nodes[unit.node].declared.result.id, min(unit.level, FIGURES_LEVEL)
    if unit.level != level or not unit.window.whole:
        arrays = _blended(source, Unit(unit.node, level, FINAL, window_on(source.job.recipe.site, level, None)))
    return float(arrays[main].min()), float(arrays[main].max())


def _baked(source: Source, unit: Unit, stored: Bake) -> Arrays:
    """Stored result of a node."""
    job = source.job
    state, site = job.recipe.nodes[unit.node], job.recipe.site
    spec = state.declared
    kinds = [kind_of(source, unit.node, p) for p in spec.outputs]
    whole = site.shape(unit.level)
    try:
        found = bake.read(stored, job.folder, unit.level, spec.outputs, kinds, whole, site.samples)
    except GelandeError as error:
        raise NodeError(unit.node, state.name, str(error)) from error
    return cut_to(found, unit.window, GridWindow.of(whole))


def _passed(source: Source, unit: Unit) -> Arrays:
    """A node that is off: its base input passes through; other outputs are empty."""
    recipe = source.job.recipe
    spec, arrays = recipe.nodes[unit.node].declared, {}
    way = passes(recipe, unit.node)
    for port in spec.outputs:
        if way and port is spec.main:
            arrays[port.id] = source.fetch(way[0], unit.level, FINAL, unit.window)[way[1]]
            continue
        kind = kind_of(source, unit.node, port)
        empty = np.full(expected_shape(kind, unit.window.shape), restrict.GREY if kind == COLOUR else 0, np.float32)
        arrays[port.id] = checked(kind, empty, unit.window.shape)
    return arrays


def _fraction(source: Source, unit: Unit) -> np.ndarray | np.floating:
    """Weight of a node at each sample of a window, by Where and Amount."""
    recipe, level, window = source.job.recipe, unit.level, unit.window
    state = recipe.nodes[unit.node]

    def linked(at: tuple[str, str] | None, on: GridWindow) -> np.ndarray | None:
        return source.fetch(at[0], level, FINAL, on)[at[1]] if at else None

    held = ground_window(state.params, recipe.site, level, window)
    where = state.params.get("where", WHERE_ALL)
    ground = linked(ground_source(recipe, state), held) if where in restrict.BY_GROUND else None
    mask = linked(state.inputs.get("mask"), window) if where != WHERE_ALL else None
    try:
        return restrict.weight(state.params, ground, mask, recipe.site, level, window, held)
    except GelandeError as error:
        raise NodeError(unit.node, state.name, str(error)) from error


def _blended(source: Source, unit: Unit) -> Arrays:
    """Raw outputs restricted by Where and Amount."""
    state = source.job.recipe.nodes[unit.node]
    if state.spec is not None and has_no_part(state):
        return _passed(source, unit)  # none of it is mixed in, so none of it is computed
    made = source.fetch(unit.node, unit.level, RAW, unit.window)
    arrays = {k: made[k] for k in made if not k.startswith("_") or k == SURFACE}
    if not is_restricted(state):
        return arrays
    fraction, spec = _fraction(source, unit), state.declared
    at = state.inputs.get(spec.base)
    base = source.fetch(at[0], unit.level, FINAL, unit.window)[at[1]] if at else None
    for port in spec.outputs:
        kind = kind_of(source, unit.node, port)
        if port is spec.main:
            same = at is not None and spec.entry(spec.base).kind == port.kind
            mixed = restrict.blend(kind, arrays[port.id], base if same else None, fraction)
        elif kind == MASK and port.role != INDEX:
            mixed = arrays[port.id] * fraction
        else:
            continue
        arrays[port.id] = checked(kind, mixed, unit.window.shape)
    # a surface half way to the ground would not be level: water stands where most of the node applies
    if SURFACE in arrays:
        arrays[SURFACE] = np.where(fraction >= 0.5, arrays[SURFACE], np.float32(DRY))
    return arrays
