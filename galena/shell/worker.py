"""Heavy work in processes of its own, so that it never holds up the live feed.

A PDF in a thread of the server would delay the readings on everyone's screen more than tenfold.
"""

import multiprocessing
import os
import threading
import time
from collections.abc import Callable
from multiprocessing.connection import Connection
from typing import Any

from galena.core.errors import GalenaError

PATIENCE = 40.0  # seconds of the processor that a piece of work may take
BUSY, MOST_LATER = 6.0, 300.0  # by the clock so many times as long, and so many s at most later
WAIT = 20.0  # seconds for a worker to be free
MOST_WORKERS = 2
_STARTING = 15.0  # a worker imports what it needs
_MOMENT = 0.05
_LATE = 75  # how a process ends whose work took too long
_TOO_LONG = "This took too long and was given up."


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

    def do(self, work: Callable[..., Any], arguments: tuple, patience: float) -> Any:
        """Do a piece of work. Raises _LostError where it took too long or the process died."""
        try:
            self._pipe.send((patience, work, arguments))
            self._answer(_STARTING)  # it has begun
            done, result = self._answer(patience)
        except (EOFError, OSError) as error:
            self._process.join(1.0)
            is_late = self._process.exitcode == _LATE
            raise _LostError(_TOO_LONG if is_late else "The work broke off.") from error
        if not done:
            raise result
        return result

    def _answer(self, patience: float) -> Any:
        if not self._pipe.poll(min(BUSY * patience, patience + MOST_LATER)):
            raise _LostError(_TOO_LONG)
        return self._pipe.recv()

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

        `patience` is in seconds of the processor, so that a computer that is busy with a class
        gives up nothing that it could do; by the clock work may take some times as long.
        Raises WorkerError where it takes longer, and where no worker is free.
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
            patience, work, arguments = pipe.recv()
        except (EOFError, OSError):
            return
        pipe.send(None)
        done = threading.Event()
        threading.Thread(target=_end_late, args=(done, patience), daemon=True).start()
        try:
            answer = (True, work(*arguments))
        except Exception as error:
            answer = (False, error)
        done.set()
        try:
            pipe.send(answer)
        except Exception:  # what cannot be handed over is told in words
            pipe.send((False, WorkerError(f"{type(answer[1]).__name__} cannot be handed over.")))


def _end_late(done: threading.Event, patience: float) -> None:
    """End this process once its work has taken too long, by the processor and by the clock."""
    end, spent = time.monotonic() + patience, time.process_time() + patience
    while not done.wait(max(end - time.monotonic(), spent - time.process_time(), _MOMENT)):
        if time.monotonic() >= end and time.process_time() >= spent:
            os._exit(_LATE)


WORKERS = Workers()
