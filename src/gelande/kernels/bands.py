"""Row bands on a thread pool. Kernels release the GIL and write disjoint rows, so the bytes do not depend on
threads."""

from __future__ import annotations

import os
import threading
from collections.abc import Callable, Sequence
from concurrent.futures import ThreadPoolExecutor
from contextlib import contextmanager

import numpy as np
from numba import njit

#: Grids of up to this many rows are done on the calling thread, unless the bands are narrow: then each row is much
#: work.
SMALL = 160
_pool: ThreadPoolExecutor | None = None
_here = threading.local()
_threads = max(1, min(16, os.cpu_count() or 1))


class Stopped(Exception):
    """The work was stopped because somebody asked for it or newer work replaced it. What it was filling in is
    unfinished: nobody may read it, so it is never returned."""


def check(stop: np.ndarray | None) -> None:
    """Looks for a stop.

    Parameters
    ----------
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    None.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    if stop is not None and stop[0]:
        raise Stopped


def kernel(function: Callable):
    """Compiles a function without the GIL and keeps the machine code on disk.

    Parameters
    ----------
    function :
        arithmetic on arrays and numbers that Numba can compile.

    Returns
    -------
    The compiled function.
    """
    return njit(function, nogil=True, cache=True)


def set_threads(count: int) -> None:
    """Sets on how many threads row bands run; the result is the same for any number.

    Parameters
    ----------
    count :
        1 or more.

    Returns
    -------
    None.
    """
    global _pool, _threads
    _threads = max(1, count)
    if _pool is not None:
        _pool.shutdown(wait=True)
    _pool = None


def threads() -> int:
    """On how many threads row bands run.

    Returns
    -------
    Their number.
    """
    return _threads


def over_rows(run: Callable, rows: int, stop: np.ndarray | None = None, height: int = 64) -> None:
    """Calls run(first row, row after the last) for bands of rows, which depend on ``height`` alone, not on the
    number of threads.

    Parameters
    ----------
    run :
        called once for every band; writes rows of its own.
    rows :
        how many there are.
    stop :
        uint8[1] or None; set when a stop is asked for.
    height :
        rows of a band.

    Returns
    -------
    None.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    bands = [(a, min(a + height, rows)) for a in range(0, rows, height)]

    def one(band: tuple[int, int]) -> None:
        if stop is None or not stop[0]:
            run(*band)

    if rows <= SMALL and height >= 64:  # handing small work to a thread takes longer than doing it
        for band in bands:
            one(band)
    else:
        _run_all(one, bands)
    check(stop)


def by_rows(
    run: Callable[..., np.ndarray], shape: tuple[int, int], stop: np.ndarray | None, *arrays: np.ndarray
) -> np.ndarray:
    """run(*arrays) for bands of rows, on all cores and stoppable: for arithmetic that looks at each sample alone.

    Parameters
    ----------
    run :
        called with the rows of a band of each array; those with one row are handed on whole.
    shape :
        (rows, columns) of the result.
    stop :
        uint8[1] or None; set when a stop is asked for.
    arrays :
        with as many rows as the result, or one.

    Returns
    -------
    (rows, columns) float32.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    out = np.empty(shape, np.float32)

    def band(a: int, b: int) -> None:
        out[a:b] = run(*(x[a:b] if x.shape[0] == shape[0] else x for x in arrays))

    over_rows(band, shape[0], stop)
    return out


@contextmanager
def on_this_thread():
    """While it is open, what this thread does in bands it does alone: for threads that have enough work each.

    Returns
    -------
    A context manager.
    """
    before, _here.alone = getattr(_here, "alone", False), True
    try:
        yield
    finally:
        _here.alone = before


@contextmanager
def on_own_threads():
    """While it is open, what this thread does in bands it does on threads of its own: pictures do not wait until long
    work of others has let go of one.

    Returns
    -------
    A context manager.
    """
    with ThreadPoolExecutor(_threads, thread_name_prefix="own bands") as pool:
        _here.pool = pool
        try:
            yield
        finally:
            _here.pool = None


def alone(rows: int) -> bool:
    """True when bands of so many rows would all be done by the calling thread.

    Parameters
    ----------
    rows :
        of a grid.

    Returns
    -------
    True if so.
    """
    return rows <= SMALL or _threads == 1 or getattr(_here, "alone", False)


def _run_all(one: Callable, items: list) -> None:
    global _pool
    if _threads == 1 or len(items) == 1 or getattr(_here, "alone", False):
        for item in items:
            one(item)
        return
    pool = getattr(_here, "pool", None)
    if pool is None:
        if _pool is None:
            _pool = ThreadPoolExecutor(_threads, thread_name_prefix="bands")
        pool = _pool
    for _ in pool.map(one, items):
        pass


def over_items(run: Callable, items: Sequence, stop=None) -> None:
    """Calls run(item) for every item on the pool.

    Parameters
    ----------
    run :
        called once for every item, on any thread.
    items :
        what to run it for.
    stop :
        uint8[1] or None; set when a stop is asked for.

    Returns
    -------
    None.

    Raises
    ------
    Stopped :
        when a stop was asked for; what was being filled in is never returned.
    """
    _run_all(lambda item: None if stop is not None and stop[0] else run(item), list(items))
    check(stop)
