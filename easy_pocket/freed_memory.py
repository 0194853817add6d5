"""Memory that is freed goes back to the system at once, where the C library would keep up to 64 MB of it."""

from __future__ import annotations

import ctypes

M_MMAP_THRESHOLD = -3  # of glibc's malloc.h
LARGE = 4 << 20  # bytes: an array from this size on gets pages of its own


def give_back_large_arrays() -> None:
    """For processes that hear or mix ten minutes and then wait, or do something else. Without glibc nothing happens."""
    mallopt = getattr(ctypes.CDLL(None), "mallopt", None)
    if mallopt is not None:
        mallopt(M_MMAP_THRESHOLD, LARGE)
