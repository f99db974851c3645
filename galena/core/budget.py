"""How long a calculation may take: it looks at the time itself, and gives up with words.

Counted is what its thread has of the processor: beside a class that asks much it takes longer by
the clock, and is not given up for what others do.
"""

from __future__ import annotations

import math
import time
from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar

from galena.core.errors import GalenaError

_until: ContextVar[float] = ContextVar("when a calculation has to be done", default=math.inf)


class TookTooLongError(GalenaError, RuntimeError):
    """A calculation was given up; no other start or way of solving is tried."""


@contextmanager
def allowed(seconds: float) -> Iterator[None]:
    """Allow what this thread works out inside so many seconds of the processor.

    Inside of another it is at most what that has left.
    """
    token = _until.set(min(_until.get(), time.thread_time() + seconds))
    try:
        yield
    finally:
        _until.reset(token)


def spend() -> None:
    """Raise TookTooLongError where the time is over; called at each round of what may be long."""
    if time.thread_time() > _until.get():
        raise TookTooLongError(
            "This fit took too long: mark off less, hold a parameter, or take a simpler model."
        )
