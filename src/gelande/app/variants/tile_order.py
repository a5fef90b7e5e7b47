"""Whose turn it is: the large picture waits for the first tiles."""

from __future__ import annotations

import threading
from collections.abc import Iterable

#: How many tiles the large picture waits for.
FIRST = 9


class TileOrder:
    """A level of the large picture may be computed once the first tiles are there at the level before it."""

    def __init__(self, levels: tuple[int, ...]) -> None:
        """levels: of the tiles."""
        self._lock = threading.Lock()
        self._left: dict[int, set[int]] = {}
        self._open = {level: threading.Event() for level in levels}
        self.release()

    def release(self) -> None:
        """The large picture need not wait."""
        for event in self._open.values():
            event.set()

    def hold(self) -> None:
        """The large picture waits for tiles that are about to be asked for."""
        for event in self._open.values():
            event.clear()

    def begin(self, todo: Iterable[tuple[int, int]]) -> dict[int, set[int]]:
        """Takes up what is to be computed, as (tile, level), the first first. Returns what done() is told of."""
        work = list(todo)
        with self._lock:
            self._left = {level: {k for k, _ in [w for w in work if w[1] == level][:FIRST]} for level in self._open}
            for level, event in self._open.items():
                event.clear() if self._left[level] else event.set()
            return self._left

    def done(self, begun: dict[int, set[int]], tile: int, level: int) -> None:
        """A tile is there at a level; of what has been replaced since it began nobody waits for it."""
        with self._lock:
            begun[level].discard(tile)
            if begun is self._left and not begun[level]:
                self._open[level].set()

    def wait_for(self, level: int, seconds: float) -> bool:
        """Waits until the large picture's level may be computed. Returns whether it may."""
        event = self._open.get(level - 1)
        return event is None or event.wait(seconds)
