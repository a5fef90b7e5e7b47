"""Who is at work on a result: several threads that want the same one compute it once."""

from __future__ import annotations

import threading
from collections.abc import Callable, Hashable, Iterator
from contextlib import contextmanager


class KeyedLocks:
    """A lock for each result that somebody is at. It stays until nobody waits for it: let go of earlier, one who waits
    and one who comes new would hold two locks for one result, and compute it twice."""

    def __init__(self) -> None:
        self._guard = threading.Lock()
        self._locks: dict[Hashable, tuple[threading.Lock, int]] = {}

    def __contains__(self, key: Hashable) -> bool:
        """True when somebody is at a result, or waits for it."""
        return key in self._locks

    @contextmanager
    def held(self, key: Hashable, check: Callable[[], None]) -> Iterator[None]:
        """Waits until nobody else is at a result. check: called while waiting; may raise to give up."""
        with self._guard:
            lock, count = self._locks.get(key) or (threading.Lock(), 0)
            self._locks[key] = (lock, count + 1)
        try:
            while not lock.acquire(timeout=0.02):
                check()
            try:
                yield
            finally:
                lock.release()
        finally:
            with self._guard:
                lock, count = self._locks[key]
                if count > 1:
                    self._locks[key] = (lock, count - 1)
                else:
                    del self._locks[key]
