"""How long something takes."""

import time
from collections.abc import Callable


def best(action: Callable[[], object], times: int = 5) -> float:
    """Give the least of several times, in seconds."""
    taken = []
    for _ in range(times):
        began = time.perf_counter()
        action()
        taken.append(time.perf_counter() - began)
    return min(taken)
