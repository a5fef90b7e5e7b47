"""Evaluation of a level from north to south, strip after strip.

Where a node looks far around itself, what it is fed with is needed on much more than the strip. Rows that the next
strip needs again are carried over to it, so that each is computed once; what strips need of coarser levels is held
until the last one that needs it. Results are the same bytes as those of the whole.

"""

from __future__ import annotations

from collections.abc import Iterable, Iterator

import numpy as np

from gelande.kernels.grid_window import GridWindow

from ..errors import NodeError
from .context import Arrays, cut_to
from .executor import Evaluator, Run
from .job import Job
from .plan import FINAL, Plan, Unit, has_no_part, is_restricted, plan
from .restrict import needs_finish


def carries(unit: Unit, recipe) -> bool:
    """True when a unit's rows are worth carrying over: what only hands its raw result on is there again at no cost."""
    state = recipe.nodes[unit.node]
    if unit.window.whole or state.spec is None:
        return False
    if unit.stage != FINAL:
        return True
    if state.off or has_no_part(state):
        return False
    return state.bake is not None or is_restricted(state) or needs_finish(state.params)


class Rolling(Run):
    """A request for several windows of one level that follow each other from north to south."""

    def __init__(self, engine: Evaluator, job: Job) -> None:
        super().__init__(engine, job)
        self.planner.in_blocks = True  # so that none is cut through by a strip and computed twice
        self._carried: dict[tuple, tuple[GridWindow, Arrays]] = {}  # from strips before
        self._carrying: dict[tuple, tuple[GridWindow, Arrays]] = {}  # to the next
        self._now = Plan((), {}, (), {})
        self._next: dict[tuple, GridWindow] = {}

    def sweep(self, nodes: list[str], level: int, windows: Iterable[GridWindow]) -> Iterator[list[Arrays | NodeError]]:
        """Results of the nodes on each of the windows, one after the other; the error where one of them fails. Raises
        Stopped."""
        plans = self.plans(nodes, level, list(windows))
        # of each strip, the window on which a unit is needed again, in the next strip or in one after it
        again: list[dict[tuple, GridWindow]] = []
        for todo in reversed(plans):
            after = again[-1] if again else {}
            again.append({**after, **{unit.place: unit.window for unit in todo.units}})
        again.reverse()
        for k, todo in enumerate(plans):
            self._now, self._next = todo, again[k + 1] if k + 1 < len(plans) else {}
            yield self._strip(todo)
            plans[k] = Plan((), {}, (), {})

    def plans(self, nodes: list[str], level: int, windows: list[GridWindow]) -> list[Plan]:
        """The plans of all strips. Counts what they need of whole levels, and holds what is known of that."""
        plans: list[Plan] = []
        carried: dict[tuple, GridWindow] = {}
        whole: set[tuple] = set()
        for window in windows:
            targets = [self.planner.unit(node, level, FINAL, window) for node in nodes]
            todo = plan(self.planner, targets, self.known, carried)
            plans.append(self._counted(todo, whole))
            carried.update((unit.place, unit.window) for unit in todo.units if carries(unit, self.job.recipe))
        return plans

    def _counted(self, todo: Plan, whole: set[tuple]) -> Plan:
        """A plan without the units on whole levels that an earlier one has, after their uses were counted."""
        units = [unit for unit in todo.units if not (unit.window.whole and unit.place in whole)]
        there = {unit.place for unit in todo.units}
        for unit in units:
            for need in todo.needs[unit]:
                if need.window.whole:
                    self._uses[need.place] = self._uses.get(need.place, 0) + 1
                    if need.place not in there and need.place not in self.held:
                        entry = self.engine.cache.get(self.key(need))
                        if entry is not None:
                            self.held[need.place] = need.window, entry[0]
        whole.update(unit.place for unit in units if unit.window.whole)
        return todo._replace(units=tuple(units))

    def _strip(self, todo: Plan) -> list[Arrays | NodeError]:
        for unit in (*todo.targets, *(need for u in todo.units for need in todo.needs[u])):
            if not unit.window.whole:
                self._uses[unit.place] = self._uses.get(unit.place, 0) + 1
        with self.engine.telling(self, todo, True):
            for unit in todo.units:
                self.perform(unit)
                self.release(todo.needs[unit])
        found: list[Arrays | NodeError] = []
        for unit in todo.targets:
            try:
                found.append(self._taken(unit))
            except NodeError as error:
                found.append(error)
        self.release(unit for unit in todo.targets if not unit.window.whole)
        # what this strip did not need may be needed by a later one: blocks of a simulation are taller than strips
        self._carried |= self._carrying
        self._carrying = {}
        return found

    def perform(self, unit: Unit) -> None:
        """Computes a unit, or what the strip before did not leave of it."""
        if unit in self._now.rest and unit.place in self._carried:
            self._complete(unit)
        else:
            super().perform(unit)
        wanted, held = self._next.get(unit.place), self.held.get(unit.place)
        if wanted is not None and held is not None and carries(unit, self.job.recipe):
            self._carrying[unit.place] = self._upper(wanted, *held)

    def _upper(self, wanted: GridWindow, window: GridWindow, arrays: Arrays) -> tuple[GridWindow, Arrays]:
        """The rows of a result that the next strip begins with."""
        top = min(max(wanted.top, window.top), window.top + window.height - 1)
        keep = window._replace(top=top, height=window.top + window.height - top)
        few = 2 * keep.height < window.height  # a view would keep all of it in memory
        cut = {
            k: (a[top - window.top :].copy() if few else a[top - window.top :]) if a.shape[:2] == window.shape else a
            for k, a in arrays.items()
        }
        return keep, cut

    def _complete(self, unit: Unit) -> None:
        """Puts a unit together from what was carried over and what is computed now."""
        window, above = self._carried.pop(unit.place)
        left = self._now.rest[unit]
        if left is None:
            self.held[unit.place] = unit.window, cut_to(above, unit.window, window)
            return
        if unit.place in self.failed:
            return
        try:
            below = self.engine.staged(self, unit._replace(window=left))
        except NodeError as error:
            self.failed[unit.place] = error
            return
        made: Arrays = {}
        for name, rows in below.items():
            if rows.shape[:2] != left.shape:
                made[name] = rows  # no raster: the same in all strips
                continue
            made[name] = np.empty((*unit.window.shape, *rows.shape[2:]), rows.dtype)
            unit.window.paste(made[name], above[name], window)
            unit.window.paste(made[name], rows, left)
            made[name].flags.writeable = False
        if self._uses.get(unit.place, 0) > 0:
            self.held[unit.place] = unit.window, made
