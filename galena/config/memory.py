"""Keeps the process's memory together.

The GNU C library gives each thread that allocates a heap of its own, up to eight a core. Only one
thread computes at a time here, so they would only scatter what is free: over a lesson the process
grew by half of its size without holding more.
"""

import contextlib
import ctypes
import gc
import sys
import threading
from collections.abc import Callable

import numpy as np
from numpy.typing import NDArray

Floats = NDArray[np.float64]
M_ARENA_MAX = -8  # malloc.h
HEAPS = 2
GIVES_BACK_EVERY = 60.0  # s
COMPUTE_AT_ONCE = 4  # a page, a second look, and the clocks of two instruments
_SIDE, _TIMES = 200, 5  # of the matrices that are multiplied, and how often


def share_heaps() -> None:
    """Have all threads share few heaps; called before there are threads. Elsewhere than with the
    GNU C library nothing is done."""
    if not sys.platform.startswith("linux"):
        return
    with contextlib.suppress(OSError, AttributeError):  # another C library
        ctypes.CDLL(None).mallopt(M_ARENA_MAX, HEAPS)


def give_back(every: float = GIVES_BACK_EVERY) -> threading.Event:
    """Give what is free in the heaps back to the system, every so many seconds until the event that
    this gives is set. The library itself keeps it: each rush of a class would leave the process as
    large as it was then. Elsewhere than with the GNU C library nothing is done."""
    over = threading.Event()
    trim = getattr(ctypes.CDLL(None), "malloc_trim", None) if sys.platform == "linux" else None

    def trim_now_and_then() -> None:
        while trim is not None and not over.wait(every):
            trim(0)

    threading.Thread(target=trim_now_and_then, name="give back", daemon=True).start()
    return over


def load_undisturbed() -> None:
    """Have the collector of cycles wait until all is loaded: while modules only come, it would look
    them through again and again for nothing, for a tenth of the start."""
    gc.disable()


def take_room_to_compute(multiply: Callable[[Floats, Floats], object]) -> None:
    """Have a library of linear algebra take its room to work in while there is some. It takes it
    for each computation that goes on beside others when that first happens, and where it gets none
    it ends the whole process, in the midst of a run.

    multiply: its product of two matrices. NumPy and SciPy each bring a library of their own.
    """
    square = np.ones((_SIDE, _SIDE))
    at_once = threading.Barrier(COMPUTE_AT_ONCE)

    def compute() -> None:
        for _ in range(_TIMES):
            at_once.wait()
            multiply(square, square)

    threads = [threading.Thread(target=compute) for _ in range(COMPUTE_AT_ONCE)]
    for thread in threads:
        thread.start()
    for thread in threads:
        thread.join()


def keep_what_is_loaded() -> None:
    """Have the collector of cycles pass by what was loaded at the start: nothing of it ever goes,
    and to look it through holds everything up for a tenth of a second, in the midst of a page."""
    gc.collect()
    gc.freeze()
    gc.enable()
