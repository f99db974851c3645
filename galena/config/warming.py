"""What is needed only now and then is loaded once the server has been up for a while.

SciPy and what converts units take a second to load: neither the start of the server waits for them,
nor the class that asks for its first line.
"""

import importlib
import threading
from functools import partial

from galena.config.memory import keep_what_is_loaded, take_room_to_compute
from galena.core import units
from galena.core.loading import LATER

AFTER = 15.0  # seconds from the start: a run that a killed server had goes on before


def load_later(after: float = AFTER) -> threading.Timer:
    """Load what is needed only now and then, so many seconds from now."""
    timer = threading.Timer(after, load)
    timer.daemon = True
    timer.start()
    return timer


def load() -> None:
    """Load it now."""
    units.in_base_units("m")  # has all units be read
    for name in sorted(LATER.copy()):  # one that is loaded may name more
        importlib.import_module(name)
    take_room_to_compute(partial(importlib.import_module("scipy.linalg.blas").dgemm, 1.0))
    keep_what_is_loaded()
