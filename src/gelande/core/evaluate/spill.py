"""What leaves memory and is worth keeping is written to disk, on a thread of its own."""

from __future__ import annotations

import threading
from concurrent.futures import ThreadPoolExecutor

from .shared import Shared
from .store import Store

#: Bytes that wait to be written at most: on a slow disk what leaves memory would otherwise stay in it.
WAITING = 200_000_000


class Spill:
    """Writes results to a store. What finds too much waiting before it is not kept: it only costs computing again."""

    def __init__(self, store: Store | Shared) -> None:
        self.store, self.waiting = store, 0
        self._pool = ThreadPoolExecutor(1, thread_name_prefix="spill")
        self._lock = threading.Lock()
        self._closed = False

    def put(self, key: tuple, arrays: dict, size: int) -> bool:
        """Has a result written when its turn comes. size: its bytes. Returns whether it will be."""
        with self._lock:
            if self._closed or self.waiting and self.waiting + size > WAITING:
                return False
            self.waiting += size
        self._pool.submit(self._write, key, arrays, size)
        return True

    def _write(self, key: tuple, arrays: dict, size: int) -> None:
        try:
            self.store.put(key, arrays)
        finally:
            with self._lock:
                self.waiting -= size

    def close(self) -> None:
        """Waits until what was taken is written, and makes room in the store."""
        with self._lock:
            self._closed = True
        self._pool.shutdown(wait=True)
        self.store.trim()
