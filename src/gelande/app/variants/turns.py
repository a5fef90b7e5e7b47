"""Whose turn it is: the large picture waits for the first tiles."""

from __future__ import annotations

import threading
from collections.abc import Iterable

#: How many tiles the large picture waits for.
FIRST = 9


class Turns:
    """A level of the large picture may be computed once the first tiles are there at the level before it."""

    def __init__(self, levels: tuple[int, ...]):
        """levels: of the tiles."""
        self._lock = threading.Lock()
        self._left: dict[int, set[int]] = {}
        self._open = {level: threading.Event() for level in levels}
        self.let()

    def let(self) -> None:
        """The large picture need not wait."""
        for event in self._open.values():
            event.set()

    def hold(self) -> None:
        """The large picture waits for tiles that are about to be asked for."""
        for event in self._open.values():
            event.clear()

    def begin(self, todo: Iterable[tuple[int, int]]) -> None:
        """What is to be computed, as (tile, level), the first first."""
        found, work = {}, list(todo)
        for level, event in self._open.items():
            found[level] = {k for k, at in [w for w in work if w[1] == level][:FIRST]}
            event.clear() if found[level] else event.set()
        with self._lock:
            self._left = found

    def done(self, tile: int, level: int) -> None:
        """A tile is there at a level."""
        with self._lock:
            left = self._left.get(level, set())
            left.discard(tile)
            if not left:
                self._open[level].set()

    def come(self, level: int, seconds: float) -> bool:
        """Waits until the large picture's level may be computed. Returns whether it may."""
        event = self._open.get(level - 1)
        return event is None or event.wait(seconds)
