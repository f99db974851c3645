"""Wait for a condition instead of sleeping."""

from galena.shell import waiting


def until(condition, what, seconds=180.0):
    """Give the condition's first true value; fail with `what` if it does not come."""
    return waiting.until(condition, what, seconds)
