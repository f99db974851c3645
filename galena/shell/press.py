"""Heavy work in a process of its own, so that it never holds up the live feed.

A PDF in a thread of the server would delay the readings on everyone's screen more than tenfold.
"""

import multiprocessing
import os
import threading
from collections.abc import Callable
from concurrent.futures import ProcessPoolExecutor
from concurrent.futures.process import BrokenProcessPool
from typing import Any

PATIENCE = 60.0


class Press:
    """One worker process at low priority, started when it is first needed."""

    def __init__(self) -> None:
        self._pool: ProcessPoolExecutor | None = None
        self._lock = threading.Lock()

    def do(self, work: Callable[..., Any], *arguments: Any) -> Any:
        """Do the work there and give its result; a worker that died is replaced once."""
        try:
            return self._ready().submit(work, *arguments).result(timeout=PATIENCE)
        except BrokenProcessPool:
            self.close()
            return self._ready().submit(work, *arguments).result(timeout=PATIENCE)

    def _ready(self) -> ProcessPoolExecutor:
        with self._lock:
            if self._pool is None:
                context = multiprocessing.get_context("spawn")
                self._pool = ProcessPoolExecutor(1, mp_context=context, initializer=_step_back)
            return self._pool

    def close(self) -> None:
        """End the worker."""
        with self._lock:
            pool, self._pool = self._pool, None
        if pool is not None:
            pool.shutdown(wait=True, cancel_futures=True)


def _step_back() -> None:
    os.nice(10)


PRESS = Press()
