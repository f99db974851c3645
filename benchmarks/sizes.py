"""How large a benchmark measures: as it is meant, or so small that only its working is seen."""

import sys

SMALL = "--small" in sys.argv


def of(whole, small):
    """Give the size to measure at."""
    return small if SMALL else whole


def typed(place: int, whole: float, small: float) -> float:
    """Give a size as it was typed after the benchmark's name, or the usual one."""
    words = [one for one in sys.argv[1:] if not one.startswith("--")]
    return float(words[place]) if len(words) > place else of(whole, small)
