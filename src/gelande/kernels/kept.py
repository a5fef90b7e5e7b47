"""Results of functions that are asked for again and again with the same numbers, kept within a room."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Hashable
from typing import Generic, TypeVar

T = TypeVar("T")


class Kept(Generic[T]):
    """Values by key, of which those that were not asked for the longest go when there is no room left. Any thread may
    ask; what is kept is nobody's to change."""

    def __init__(self, room: int) -> None:
        """room: bytes."""
        self.room, self.held = room, 0
        self._found: OrderedDict[Hashable, tuple[T, int]] = OrderedDict()
        self._lock = threading.Lock()

    def get(self, key: Hashable) -> T | None:
        """The value, or None."""
        with self._lock:
            if key not in self._found:
                return None
            self._found.move_to_end(key)
            return self._found[key][0]

    def clear(self) -> None:
        """Forgets all."""
        with self._lock:
            self._found.clear()
            self.held = 0

    def put(self, key: Hashable, value: T, size: int) -> None:
        """Keeps a value of so many bytes."""
        with self._lock:
            self.held += size - self._found.pop(key, (value, 0))[1]
            self._found[key] = value, size
            while self.held > self.room:
                self.held -= self._found.popitem(last=False)[1][1]
