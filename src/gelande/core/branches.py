"""A second thread for one evaluation: works on nodes that the first is not at, so that branches that do not depend on each
other run at once. Results are the same whoever computes them; the cache and its locks see to it that nobody does so twice.
"""

from __future__ import annotations

import threading

from . import graph
from .errors import GelandeError, Stopped

#: Samples a side beyond which each node keeps both cores busy by itself, and two at once were measured to be slower.
LARGEST_SIDE = 1000
#: Below this many samples a node takes a millisecond or two, and a second thread only fights the first for the interpreter:
#: the first picture of the demo came 100 ms sooner without it.
SMALLEST_SIDE = 200


class Companion:
    """While it is open, evaluates what a result needs and is ready: all its inputs are there and nobody is at it."""

    def __init__(self, engine, job, node_id: str, level: int):
        self._engine, self._job, self._level = engine, job, level
        needed = graph.upstream(job.recipe, node_id)
        keys = engine.keys(job.recipe, job.folder)
        # From the end: the caller begins with the first inputs, so the two meet in the middle.
        self._todo = [(n, (keys[n], level, "final")) for n in reversed(graph.in_order(job.recipe)) if n in needed and n != node_id]
        self._over = threading.Event()
        self._thread = None

    def __enter__(self):
        waiting = [n for n, key in self._todo if not self._engine.cache.peek(key)]
        if len(waiting) > 1 and SMALLEST_SIDE < self._job.recipe.site.samples(self._level) <= LARGEST_SIDE:
            self._thread = threading.Thread(target=self._run, name="branches", daemon=True)
            self._thread.start()
        return self

    def __exit__(self, *_):
        self._over.set()
        if self._thread is not None:
            self._thread.join()

    def _ready(self):
        """A node that can be computed now, or None; nodes that are done are struck off."""
        engine, recipe = self._engine, self._job.recipe
        self._todo = [(n, key) for n, key in self._todo if not engine.cache.peek(key)]
        missing = {n for n, _ in self._todo}
        for node_id, key in self._todo:
            state = recipe.nodes[node_id]
            if not engine.at_work(key) and not any(s in missing for s, _ in state.inputs.values()):
                return node_id
        return None

    def _run(self):
        while not self._over.is_set() and self._todo:
            node_id = self._ready()
            if node_id is None:
                self._over.wait(0.002)
                continue
            try:
                self._engine.result(self._job, node_id, self._level)
            except Stopped:
                return
            except GelandeError:
                # Whoever needs this node meets the same error and tells it.
                self._todo = [(n, key) for n, key in self._todo if n != node_id]
