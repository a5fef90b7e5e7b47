"""The plan of an evaluation: what is asked for, as units in the order in which they can be computed.

A unit is one stage of one node at one level, on one window. Planning computes nothing and changes nothing: the same
question gives the same plan. Levels up to the mapped one, and all that are small enough, are evaluated whole; of
finer ones only the window that somebody needs, so that what a build holds at once does not grow with its level.

"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Iterator, Mapping
from functools import reduce
from types import MappingProxyType
from typing import NamedTuple

from gelande.kernels.coarse import on_level
from gelande.kernels.grid_window import GridWindow

from ..recipe import group, kinds, walk
from ..recipe.footprint import EACH, FINER, GLOBAL_ONLY, Footprint
from ..recipe.model import NodeState, Recipe
from ..recipe.node import GROUP, WHERE_ALL, WHERE_MASK
from ..recipe.raster import HEIGHT
from ..recipe.site import COARSEST, FIGURES_LEVEL, GLOBAL_LEVEL, Site
from ..regenerate.kept_ground import original
from .job import LARGEST_WHOLE
from .restrict import BY_RISE, needs_range, rise_over

#: The half of a node's own computation that goes block by block on fine levels; all of it; and that restricted by Where
#: and Amount, and finished.
SIMULATED, RAW, FINAL = "simulated", "raw", "final"
#: Samples that interpolation looks at beyond what a node says that it needs.
BESIDE = 2
#: Radii of a wide filter that it looks at.
FILTER = 6.5


class Unit(NamedTuple):
    """One stage of one node at one level, on one window of it."""

    node: str
    level: int
    stage: str
    window: GridWindow

    @property
    def place(self) -> tuple[str, int, str]:
        """Node, level and stage of the unit, whatever the window."""
        return self[:3]


class Plan(NamedTuple):
    """Units in an order in which each comes after all that it needs. rest: of units whose upper rows are there already,
    the window that is missing, or None when nothing is."""

    units: tuple[Unit, ...]
    needs: dict[Unit, tuple[Unit, ...]]
    targets: tuple[Unit, ...]
    rest: dict[Unit, GridWindow | None]

    def lines(self, recipe: Recipe) -> Iterator[str]:
        """The plan for people, one line a unit."""
        for unit in self.units:
            f, name = unit.window, recipe.nodes[original(unit.node)].name
            part = (
                ""
                if f.whole
                else f", rows {f.top} to {f.top + f.height - 1}, columns {f.left} to {f.left + f.width - 1}"
            )
            yield f"{recipe.site.samples(unit.level):>6}  {unit.stage:<9}  {unit.node}  {name}{part}"


def is_whole(site: Site, level: int, limit: int = LARGEST_WHOLE) -> bool:
    """True when a level is evaluated whole. limit: samples up to which it is."""
    rows, columns = site.shape(level)
    return level <= GLOBAL_LEVEL or rows * columns <= limit


def window_on(site: Site, level: int, window: GridWindow | None, limit: int = LARGEST_WHOLE) -> GridWindow:
    """The window on which a level is evaluated so that ``window`` is there."""
    return GridWindow.of(site.shape(level)) if window is None or is_whole(site, level, limit) else window


def working_window(reads: Footprint, site: Site, unit: Unit) -> GridWindow:
    """The window that a node computes on to be right on the window that was asked for."""
    level, asked = unit.level, unit.window
    if asked.whole:
        return asked
    if reads.blocks is not None and unit.stage == RAW:
        # Even rows and columns begin it, where the coarser level has samples too.
        return asked.grown(reads.beside).blocks(2, 2)
    if reads.working is not None:
        return reads.working(level, asked)
    return asked.grown(math.ceil(reads.halo / site.spacing(level)) + BESIDE) if reads.halo > 0 else asked


def own_links(state: NodeState) -> dict[str, str]:
    """Source nodes of the inputs that a node's own computation may ask for, by input."""
    spec = state.declared
    ports = {p.id for p in spec.inputs} if spec.restrictable else state.inputs
    return {port: source for port, (source, _) in state.inputs.items() if port in ports}


def passes(recipe: Recipe, node_id: str) -> tuple[str, str] | None:
    """The source whose data a node passes on unchanged when it is off or its Amount is 0; None when there is none."""
    state = recipe.nodes[node_id]
    spec = state.spec
    if spec is None or spec.main is None:
        return None
    main, kind = spec.main, kinds.kind_at(recipe, node_id, spec.main.id)
    kind = HEIGHT if kind == "any" else kind
    source = state.inputs.get(spec.base)
    # only what its output depends on anyway: else its key would not know, and links could make circles
    if state.role == GROUP:
        inside = walk.upstream(recipe, state.inputs[main.id][0]) if main.id in state.inputs else set()
        ways = (recipe.nodes[n].inputs.get("through") for n in group.entries(recipe, node_id) if n in inside)
        source = next((s for s in ways if s and kinds.kind_at(recipe, *s) == kind), None)
    return source if source and kinds.kind_at(recipe, *source) == kind else None


def has_no_part(state: NodeState) -> bool:
    """True when none of a node is mixed in, so that it gives its base input."""
    return state.declared.restrictable and state.params.get("amount") == 0.0 and bool(state.declared.base)


def is_restricted(state: NodeState) -> bool:
    """True when Where or Amount change what the node gives."""
    values = state.params
    return state.declared.restrictable and (
        values.get("where", WHERE_ALL) != WHERE_ALL or values.get("amount", 1.0) != 1.0
    )


def ground_source(recipe: Recipe, state: NodeState) -> tuple[str, str] | None:
    """Output of the ground that Where looks at: the first height that is linked."""
    linked = (state.inputs[p.id] for p in state.declared.all_inputs if p.id in state.inputs)
    return next((s for s in linked if kinds.kind_at(recipe, *s) == HEIGHT), None)


def ground_window(values: dict, site: Site, level: int, window: GridWindow) -> GridWindow:
    """The window of ground that Where looks at for a window."""
    if values.get("where") not in BY_RISE or window.whole:
        # height is looked at in the sample itself; only slope and facing look around
        return window
    return window.grown(math.ceil(rise_over(values, site) / 2 / site.spacing(level)) + BESIDE)


def covering(windows: Iterable[GridWindow]) -> GridWindow:
    """The smallest window that covers all of some."""
    return reduce(GridWindow.union, windows)


class Planner:
    """Finds what each unit needs. limit: samples up to which a level is evaluated whole."""

    def __init__(
        self,
        recipe: Recipe,
        limit: int = LARGEST_WHOLE,
        kept: Callable[[Unit], bool] = lambda unit: False,
    ) -> None:
        """kept: tells of single blocks of nodes that compute in blocks."""
        self.recipe, self.site, self.limit, self.kept = recipe, recipe.site, limit, kept
        self._footprints: dict[str, Footprint] = {}
        self.in_blocks = False  # whether what computes in blocks is planned in whole ones

    def reads(self, node: str) -> Footprint:
        """Footprint of a node as it is set; looked up once."""
        found = self._footprints.get(node)
        if found is None:
            found = self._footprints[node] = self.recipe.nodes[node].reads(self.site)
        return found

    def on_blocks(self, unit: Unit) -> Unit:
        """A unit that is computed in blocks, on all of the blocks it needs; any other as it is."""
        blocks = self.reads(unit.node).blocks if unit.stage == SIMULATED and not unit.window.whole else None
        return unit if blocks is None else unit._replace(window=unit.window.blocks(*blocks(unit.level)))

    def unit(self, node: str, level: int, stage: str = FINAL, window: GridWindow | None = None) -> Unit:
        """The unit that gives a window of a stage, or all of it."""
        return Unit(node, level, stage, window_on(self.site, level, window, self.limit))

    def tiles(self, unit: Unit) -> list[Unit]:
        """The blocks that a unit is put together from that is computed in blocks."""
        blocks = self.reads(unit.node).blocks
        if blocks is None:
            return [unit]
        return [unit._replace(window=window) for window in unit.window.tiles(*blocks(unit.level))]

    def needs(self, unit: Unit) -> list[Unit]:
        """The units that a unit asks for."""
        state = self.recipe.nodes[unit.node]
        if state.spec is None:
            return []
        if unit.stage == FINAL:
            found = self._final(unit, state)
        elif unit.stage == SIMULATED:
            found = self._simulated(unit, state)
        else:
            found = self._raw(unit, state)
        return [u for u in found if u.node in self.recipe.nodes]

    def _final(self, unit: Unit, state: NodeState) -> list[Unit]:
        if state.off:
            source = passes(self.recipe, unit.node)
            return [self.unit(source[0], unit.level, FINAL, unit.window)] if source else []
        if state.bake is not None:
            return []
        found = self._blend(unit.node, state, unit.level, unit.window)
        if state.declared.main and needs_range(state.params):
            found += self._blend(unit.node, state, min(unit.level, FIGURES_LEVEL))
        return found

    def _blend(self, node: str, state: NodeState, level: int, window: GridWindow | None = None) -> list[Unit]:
        """Units that a node's result before Finish is made from."""
        window = window_on(self.site, level, window, self.limit)
        if has_no_part(state):
            source = passes(self.recipe, node)
            return [self.unit(source[0], level, FINAL, window)] if source else []
        found = [self.unit(node, level, RAW, window)]
        if not is_restricted(state):
            return found
        where, base = state.params.get("where", WHERE_ALL), state.declared.base
        if base in state.inputs:
            found.append(self.unit(state.inputs[base][0], level, FINAL, window))
        if "mask" in state.inputs and where != WHERE_ALL:
            found.append(self.unit(state.inputs["mask"][0], level, FINAL, window))
        source = ground_source(self.recipe, state)
        if source and where not in (WHERE_ALL, WHERE_MASK):
            found.append(self.unit(source[0], level, FINAL, ground_window(state.params, self.site, level, window)))
        return found

    def _raw(self, unit: Unit, state: NodeState) -> list[Unit]:
        reads, level = self.reads(unit.node), unit.level
        window = working_window(reads, self.site, unit)
        if reads.blocks is None or unit.window.whole:
            return self._fed(unit.node, reads, state, level, window)
        return [Unit(unit.node, level, SIMULATED, window), *self._coarser(unit.node, reads, {}, level, window)]

    def _simulated(self, unit: Unit, state: NodeState) -> list[Unit]:
        reads = self.reads(unit.node)
        if not unit.window.whole:
            # blocks that are there need none of their inputs
            missing = [tile for tile in self.tiles(unit) if not self.kept(tile)]
            if not missing:
                return []
            unit = unit._replace(window=covering(tile.window for tile in missing))
        return self._fed(unit.node, reads, state, unit.level, working_window(reads, self.site, unit))

    def _fed(self, node: str, reads: Footprint, state: NodeState, level: int, window: GridWindow) -> list[Unit]:
        """All that a node asks for to compute on a window."""
        linked = own_links(state)
        return [
            *self._inputs(reads, linked, level, window),
            *self._coarser(node, reads, linked, level, window),
            *self._wider(reads, linked, level, window),
        ]

    def _inputs(self, reads: Footprint, linked: dict[str, str], level: int, window: GridWindow) -> list[Unit]:
        """Inputs at the node's own level."""
        seen = reads.looks(level, window) if reads.looks and not window.whole else window
        asked = reads.asks(level) if reads.asks else linked
        return [self.unit(source, level, FINAL, seen) for port, source in linked.items() if port in asked]

    def _coarser(
        self, node: str, reads: Footprint, linked: dict[str, str], level: int, window: GridWindow
    ) -> Iterator[Unit]:
        """The node's own coarser results, and inputs there."""
        if reads.own == EACH and level > COARSEST or reads.own == FINER and level > GLOBAL_LEVEL:
            yield self.unit(node, level - 1, RAW, window.coarser())
            for port in reads.below:
                if port in linked:
                    yield self.unit(linked[port], level - 1, FINAL, window.coarser())
        if reads.own == GLOBAL_ONLY and level > GLOBAL_LEVEL:
            yield self.unit(node, GLOBAL_LEVEL, RAW)

    def _wider(self, reads: Footprint, linked: dict[str, str], level: int, window: GridWindow) -> Iterator[Unit]:
        """Inputs at the figures level for their range, and at the level where filters on them are done."""
        for port in reads.ranged:
            if port in linked:
                yield self.unit(linked[port], min(level, FIGURES_LEVEL))
        for port, radius in reads.filters():
            if port in linked:
                at = on_level(level, COARSEST, self.site.spacing, radius)
                margin = math.ceil(FILTER * radius / self.site.spacing(at)) + BESIDE
                yield self.unit(linked[port], at, FINAL, window.coarser(level - at).grown(margin))


def missing_below(held: GridWindow, wanted: GridWindow) -> GridWindow | None:
    """The part of a window below another that begins no lower; None when that is nothing, and all of it when the other
    does not reach into it or is narrower."""
    within = held.left <= wanted.left and held.left + held.width >= wanted.left + wanted.width
    end = held.top + held.height
    if not within or held.top > wanted.top or end <= wanted.top:
        return wanted
    bottom = wanted.top + wanted.height
    return None if end >= bottom else wanted._replace(top=end, height=bottom - end)


def plan(
    planner: Planner,
    targets: Iterable[Unit],
    known: Callable[[Unit], bool] = lambda unit: False,
    carried: Mapping[tuple, GridWindow] = MappingProxyType({}),
) -> Plan:
    """The units that have to be computed for the targets, in order; those that are known already are left out, and
    what only they need. Works without recursion, however long the chain. known: tells of units on whole levels
    only; carried: windows, by place, that an earlier plan leaves, of which only what is below is computed."""
    targets = tuple(targets)
    order, asked = _in_order(planner, targets, known)
    windows: dict[tuple, GridWindow] = {}
    for target in targets:
        # what is asked for twice is computed once, on a window that covers both
        windows[target.place] = windows[target.place].union(target.window) if target.place in windows else target.window
    needs: dict[Unit, tuple[Unit, ...]] = {}
    rest: dict[Unit, GridWindow | None] = {}
    units = []
    # what asks comes before what is asked for, so that windows are complete when they are handed on
    for place in reversed(order):
        node, level, stage = place
        # it was only asked for by what is there already
        if place not in windows:
            continue  # all that asked for it is there already
        unit = Unit(node, level, stage, windows[place])
        if planner.in_blocks:
            unit = planner.on_blocks(unit)
        left = missing_below(carried[place], unit.window) if place in carried else unit.window
        if left is None or left != unit.window:
            rest[unit] = left
            needs[unit] = tuple(planner.needs(unit._replace(window=left))) if left else ()
        else:
            needs[unit] = asked[unit] if unit in asked else tuple(planner.needs(unit))
        units.append(unit)
        for need in needs[unit]:
            known_window = windows.get(need.place)
            windows[need.place] = need.window if known_window is None else known_window.union(need.window)
    return Plan(tuple(reversed(units)), needs, targets, rest)


def _in_order(
    planner: Planner, targets: tuple[Unit, ...], known: Callable[[Unit], bool]
) -> tuple[list[tuple], dict[Unit, tuple[Unit, ...]]]:
    """Places of what has to be computed, each after all that it needs; and what the units that were looked at need."""
    order: list[tuple] = []
    asked: dict[Unit, tuple[Unit, ...]] = {}
    done: set[tuple] = set()
    for target in targets:
        todo = [(target, False)]
        while todo:
            unit, opened = todo.pop()
            if opened:
                # second visit: all that it needs is in the order by now
                order.append(unit.place)
            elif unit.place not in done and not known(unit):
                done.add(unit.place)
                todo.append((unit, True))
                asked[unit] = tuple(planner.needs(unit))
                todo.extend((need, False) for need in reversed(asked[unit]))
    return order, asked
