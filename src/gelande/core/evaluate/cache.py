"""Results in memory, bounded in bytes."""

from __future__ import annotations

import threading
from collections import OrderedDict
from collections.abc import Callable


class Cache:
    """Results by key, bounded in bytes; the least recently used goes first."""

    def __init__(self, limit: int = 1_500_000_000) -> None:
        self.limit, self.size = limit, 0
        self.spill: Callable[[tuple, tuple], None] | None = None  # called with (key, entry) of what makes room
        self._entries: OrderedDict = OrderedDict()
        self._held: dict[int, int] = {}
        self._lock = threading.Lock()

    def get(self, key: tuple) -> tuple[dict, float, int] | None:
        with self._lock:
            if key not in self._entries:
                return None
            self._entries.move_to_end(key)
            return self._entries[key]

    def peek(self, key: tuple) -> bool:
        return key in self._entries

    def put(self, key: tuple, arrays: dict, seconds: float) -> None:
        """Keeps a result. An array that several results hold counts once."""
        with self._lock:
            if key in self._entries:
                self._drop(self._entries.pop(key))
            self._entries[key] = (arrays, seconds, sum(a.nbytes for a in arrays.values()))
            for a in arrays.values():
                self._held[id(a)] = self._held.get(id(a), 0) + 1
                if self._held[id(a)] == 1:
                    self.size += a.nbytes
            self._make_room()

    def set_limit(self, limit: int) -> None:
        """Bounds the cache in bytes from now on."""
        with self._lock:
            self.limit = limit
            self._make_room()

    def _make_room(self) -> None:
        while self.size > self.limit and len(self._entries) > 1:
            key, entry = self._entries.popitem(last=False)
            self._drop(entry)
            if self.spill is not None:
                self.spill(key, entry)

    def forget(self, key) -> None:
        """Drops one result."""
        with self._lock:
            if key in self._entries:
                self._drop(self._entries.pop(key))

    def entries(self) -> list:
        """(key, (arrays, seconds, bytes)) of everything that is kept, as it is now."""
        with self._lock:
            return list(self._entries.items())

    def _drop(self, entry: tuple[dict, float, int]) -> None:
        for a in entry[0].values():
            self._held[id(a)] -= 1
            if not self._held[id(a)]:
                del self._held[id(a)]
                self.size -= a.nbytes

    def clear(self) -> None:
        with self._lock:
            self._entries.clear()
            self._held.clear()
            self.size = 0
