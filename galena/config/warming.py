"""What is needed only now and then is loaded once the server has been up for a while.

A library that finds spectra and filters takes half a second to load, in which nothing else is
answered: neither the start of the server waits for it, nor the class that asks for its first line.
"""

import importlib
import threading

from galena.config.memory import keep_what_is_loaded

AFTER = 15.0  # seconds from the start: a run that a killed server had goes on before
LATER = ("scipy.signal",)


def load_later(after: float = AFTER) -> threading.Timer:
    """Load what is needed only now and then, so many seconds from now."""
    timer = threading.Timer(after, load)
    timer.daemon = True
    timer.start()
    return timer


def load() -> None:
    """Load it now."""
    for name in LATER:
        importlib.import_module(name)
    keep_what_is_loaded()
