"""Waiting for something that other threads bring about."""

import time
from collections.abc import Callable


def until(condition: Callable[[], object], what: str, seconds: float) -> object:
    """Give the condition's first true value; TimeoutError names what did not come."""
    deadline = time.monotonic() + seconds
    while time.monotonic() < deadline:
        if value := condition():
            return value
        time.sleep(0.01)
    raise TimeoutError(f"waited {seconds:.0f} s in vain for {what}")
