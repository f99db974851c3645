"""Heavy work in processes of its own, so that it never holds up the live feed.

A PDF in a thread of the server would delay the readings on everyone's screen more than tenfold.
"""

import multiprocessing
import os
import threading
from collections.abc import Callable
from multiprocessing.connection import Connection
from typing import Any

from galena.core.errors import GalenaError

PATIENCE = 40.0  # seconds that a piece of work may take
WAIT = 20.0  # seconds for a worker to be free
MOST_WORKERS = 2
_STARTING = 15.0  # a worker imports what it needs


class WorkerError(GalenaError, RuntimeError):
    """Work could not be done in time, or at all."""


class _LostError(WorkerError):
    """A worker hangs or has died."""


class _Worker:
    """One process at low priority that does one piece of work at a time."""

    def __init__(self) -> None:
        context = multiprocessing.get_context("spawn")
        self._pipe, theirs = context.Pipe()
        self._process = context.Process(target=_work, args=(theirs,), daemon=True)
        self._process.start()
        theirs.close()
        self._is_fresh = True

    def do(self, work: Callable[..., Any], arguments: tuple, patience: float) -> Any:
        """Do a piece of work. Raises _LostError where it took too long or the process died."""
        patience += _STARTING if self._is_fresh else 0.0
        try:
            self._pipe.send((work, arguments))
            if not self._pipe.poll(patience):
                raise _LostError("This took too long and was given up.")
            self._is_fresh = False
            done, result = self._pipe.recv()
        except (EOFError, OSError) as error:
            raise _LostError("The work broke off.") from error
        if not done:
            raise result
        return result

    @property
    def is_alive(self) -> bool:
        return self._process.is_alive()

    def end(self) -> None:
        """End the process, whatever it is doing."""
        self._process.kill()
        self._process.join()
        self._pipe.close()


class Workers:
    """Workers that are started when they are first needed; one that hangs or dies is replaced."""

    def __init__(self, workers: int = MOST_WORKERS) -> None:
        self._most = workers
        self._idle: list[_Worker] = []
        self._busy = 0
        self._changed = threading.Condition()

    def do(self, work: Callable[..., Any], *arguments: Any, patience: float = PATIENCE) -> Any:
        """Do work in a worker and give its result, or raise what it has raised.

        Raises WorkerError where it takes longer than `patience`, and where no worker is free.
        """
        worker = self._take()
        try:
            result = worker.do(work, arguments, patience)
        except _LostError:
            worker.end()
            raise
        finally:
            self._give_back(worker)
        return result

    def _take(self) -> _Worker:
        with self._changed:
            free = self._changed.wait_for(lambda: self._busy < self._most, WAIT)
            if not free:
                raise WorkerError("Too much is being made at once. Try again in a minute.")
            self._busy += 1
            while self._idle:
                worker = self._idle.pop()
                if worker.is_alive:
                    return worker
                worker.end()
        try:
            return _Worker()
        except BaseException:
            self._give_back(None)
            raise

    def _give_back(self, worker: _Worker | None) -> None:
        with self._changed:
            self._busy -= 1
            if worker is not None and worker.is_alive:
                self._idle.append(worker)
            self._changed.notify()

    def close(self) -> None:
        """End the workers that have nothing to do."""
        with self._changed:
            idle, self._idle = self._idle, []
        for worker in idle:
            worker.end()


def _work(pipe: Connection) -> None:
    """Do what comes through a pipe, until it is closed."""
    if hasattr(os, "nice"):  # not on Windows
        os.nice(10)
    while True:
        try:
            work, arguments = pipe.recv()
        except (EOFError, OSError):
            return
        try:
            answer = (True, work(*arguments))
        except Exception as error:
            answer = (False, error)
        try:
            pipe.send(answer)
        except Exception:  # what cannot be handed over is told in words
            pipe.send((False, WorkerError(f"{type(answer[1]).__name__} cannot be handed over.")))


WORKERS = Workers()
