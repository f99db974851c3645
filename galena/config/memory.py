"""Keeps the process's memory together.

The GNU C library gives each thread that allocates a heap of its own, up to eight a core. Only one
thread computes at a time here, so they would only scatter what is free: over a lesson the process
grew by half of its size without holding more.
"""

import contextlib
import ctypes
import gc
import sys

M_ARENA_MAX = -8  # malloc.h
HEAPS = 2


def share_heaps() -> None:
    """Have all threads share few heaps; called before there are threads. Elsewhere than with the
    GNU C library nothing is done."""
    if not sys.platform.startswith("linux"):
        return
    with contextlib.suppress(OSError, AttributeError):  # another C library
        ctypes.CDLL(None).mallopt(M_ARENA_MAX, HEAPS)


def load_undisturbed() -> None:
    """Have the collector of cycles wait until all is loaded: while modules only come, it would look
    them through again and again for nothing, for a tenth of the start."""
    gc.disable()


def keep_what_is_loaded() -> None:
    """Have the collector of cycles pass by what was loaded at the start: nothing of it ever goes,
    and to look it through holds everything up for a tenth of a second, in the midst of a page."""
    gc.collect()
    gc.freeze()
    gc.enable()
