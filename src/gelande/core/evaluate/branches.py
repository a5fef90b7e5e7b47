"""A second thread for one plan: works on units that the first is not at, so that branches that do not depend on
each other run at once. Results are the same whoever computes them; the cache and its locks see to it that nobody
does so twice.

"""

from __future__ import annotations

import threading
from collections.abc import Callable

from ..errors import Stopped
from .plan import Plan, Unit

#: Samples a side beyond which each node keeps both cores busy by itself, and two at once were measured to be slower.
LARGEST_SIDE = 1000
#: Below this many samples a node takes a millisecond or two, and a second thread only fights the first for the
#: interpreter: the first picture of the demo came 100 ms sooner without it.
SMALLEST_SIDE = 200


class Companion:
    """While it is open, performs units of a plan that are ready: all they need is there and nobody is at them.

    side: samples of the finest result's long side; is_done, is_busy: whether a unit needs no work, or another thread is
    at it; perform: computes one."""

    def __init__(
        self,
        todo: Plan | None,
        side: int,
        is_done: Callable[[Unit], bool],
        is_busy: Callable[[Unit], bool],
        perform: Callable[[Unit], None],
    ) -> None:
        self._plan, self._side = todo or Plan((), {}, (), {}), side
        self._is_done, self._is_busy, self._perform = is_done, is_busy, perform
        # From the end: the caller begins with the first units, so the two meet in the middle.
        self._todo = list(reversed(self._plan.units))
        self._over = threading.Event()
        self._thread: threading.Thread | None = None

    def __enter__(self) -> Companion:
        if len(self._todo) > 2 and SMALLEST_SIDE < self._side <= LARGEST_SIDE:
            self._thread = threading.Thread(target=self._work, name="branches", daemon=True)
            self._thread.start()
        return self

    def __exit__(self, *_) -> None:
        self._over.set()
        if self._thread is not None:
            self._thread.join()

    def _ready(self) -> Unit | None:
        """A unit that can be computed now, or None; units that are done are struck off."""
        self._todo = [u for u in self._todo if not self._is_done(u)]
        missing = {unit.place for unit in self._todo}
        for unit in self._todo:
            if not self._is_busy(unit) and not any(n.place in missing for n in self._plan.needs[unit]):
                return unit
        return None

    def _work(self) -> None:
        while not self._over.is_set() and self._todo:
            unit = self._ready()
            if unit is None:
                self._over.wait(0.002)
                continue
            try:
                self._perform(unit)
            except Stopped:
                return
