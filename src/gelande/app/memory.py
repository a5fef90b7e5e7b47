"""The process's own memory, kept from spreading."""

from __future__ import annotations

import ctypes

#: glibc's mallopt number for the most arenas (malloc.h, M_ARENA_MAX), and how many Gelande's threads share. Every
#: thread would else fill one of its own, and a large array that ends in one of them cannot be used by the others.
M_ARENA_MAX, ARENAS = -8, 2


def share_arenas() -> bool:
    """Lets all threads share few arenas. To be called before threads begin. Returns whether this C library knows it."""
    try:
        return bool(ctypes.CDLL("libc.so.6").mallopt(M_ARENA_MAX, ARENAS))
    except (OSError, AttributeError):
        return False
