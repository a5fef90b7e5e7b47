"""Row bands on a thread pool. Kernels release the GIL and write disjoint rows, so the bytes do not depend on threads."""

from __future__ import annotations

import os
from concurrent.futures import ThreadPoolExecutor

from numba import njit

#: Grids of up to this many rows are done on the calling thread, unless the bands are narrow: then each row is much work.
SMALL = 160
_pool: ThreadPoolExecutor | None = None
_threads = max(1, min(16, os.cpu_count() or 1))


class Stopped(Exception):
    """The work was stopped because somebody asked for it or newer work replaced it. What it was filling in is unfinished: nobody may
    read it, so it is never returned."""


def check(stop) -> None:
    """Raises Stopped when stop (uint8[1] or None) is set."""
    if stop is not None and stop[0]:
        raise Stopped


def kernel(function):
    """Compiles a function without the GIL and keeps the machine code on disk."""
    return njit(function, nogil=True, cache=True)


def set_threads(count: int) -> None:
    """How many threads row bands run on (the result is the same for any number)."""
    global _pool, _threads
    _threads = max(1, count)
    if _pool is not None:
        _pool.shutdown(wait=True)
    _pool = None


def threads() -> int:
    return _threads


def over_rows(run, rows: int, stop=None, height: int = 64) -> None:
    """Calls run(first row, last row) for bands of ``height`` rows. Raises Stopped when stop (uint8[1]) was set, whatever was done by then.

    The bands depend on ``height`` alone, not on the number of threads."""
    bands = [(a, min(a + height, rows)) for a in range(0, rows, height)]

    def one(band):
        if stop is None or not stop[0]:
            run(*band)

    if rows <= SMALL and height >= 64:  # handing small work to a thread takes longer than doing it
        for band in bands:
            one(band)
    else:
        _run_all(one, bands)
    check(stop)


def _run_all(one, items) -> None:
    global _pool
    if _threads == 1 or len(items) == 1:
        for item in items:
            one(item)
        return
    if _pool is None:
        _pool = ThreadPoolExecutor(_threads, thread_name_prefix="bands")
    for _ in _pool.map(one, items):
        pass


def over_items(run, items, stop=None) -> None:
    """Calls run(item) for every item on the pool. Raises Stopped when stop was set."""
    _run_all(lambda item: None if stop is not None and stop[0] else run(item), list(items))
    check(stop)
