"""Wait for a condition instead of sleeping."""

import time


def until(condition, what, seconds=20.0):
    """Give the condition's first true value; fail with `what` if it does not come."""
    deadline = time.monotonic() + seconds
    while time.monotonic() < deadline:
        if value := condition():
            return value
        time.sleep(0.01)
    raise AssertionError(f"waited {seconds:.0f} s in vain for {what}")
