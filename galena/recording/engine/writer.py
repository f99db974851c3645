"""The writer: one thread that commits what all runs have taken, and sees them to their end.

What came of all runs is committed at once, at least every `COMMIT_EVERY` seconds. The second look
on a run that has ended is taken in a thread of its own, so that the other runs do not wait for it.
"""

import logging
import sqlite3
import threading
import time
from collections.abc import Callable
from concurrent.futures import ThreadPoolExecutor

from django.db import DatabaseError, close_old_connections, connections

from galena.core import numbers
from galena.core.errors import GalenaError
from galena.experiments.data.cache import in_passing
from galena.experiments.models import Run
from galena.experiments.runs import judging
from galena.recording import flows
from galena.recording.acquisition.releasing import release
from galena.recording.acquisition.taking import Batch, Taking
from galena.recording.engine.ending import end
from galena.recording.engine.recordings import Recordings
from galena.recording.engine.state import RunInProgress, Waiting
from galena.shell import disk

COMMIT_EVERY = 0.15
WAIT_FOR_FIRST = 2.0  # seconds that other instruments wait for the first one's first reading
log = logging.getLogger(__name__)

Unwritten = tuple[Taking, flows.StoredStream, Batch]


class Writer:
    """Writes the runs of `recordings`; `arm_again` gives what waits for the next event."""

    def __init__(self, recordings: Recordings, arm_again: Callable[[Waiting], Waiting]) -> None:
        self.recordings, self.arm_again = recordings, arm_again
        self._wake = threading.Event()
        self._stopping = threading.Event()
        self._thread: threading.Thread | None = None
        self._judges: ThreadPoolExecutor | None = None

    def wake(self) -> None:
        """Have it look at once."""
        self._wake.set()

    def start(self) -> None:
        """Begin to write."""
        self._stopping.clear()
        self._judges = ThreadPoolExecutor(1, "second look")
        self._thread = threading.Thread(target=self._write_forever, name="writer", daemon=True)
        self._thread.start()

    def stop(self) -> None:
        """Write what there is, and end."""
        self._stopping.set()
        self.wake()
        if self._thread is not None:
            self._thread.join(timeout=10)
        if self._judges is not None:
            self._judges.shutdown()

    def _write_forever(self) -> None:
        while not self._stopping.is_set() or self._is_busy():
            self._wake.wait(COMMIT_EVERY)
            self._wake.clear()
            try:
                close_old_connections()
                self._look()
            except Exception:
                log.exception("The recorder stumbled; it goes on.")
                if self._stopping.is_set():
                    break
        connections.close_all()

    def _is_busy(self) -> bool:
        return any(
            isinstance(one, Waiting) or (isinstance(one, RunInProgress) and not one.has_ended)
            for one in self.recordings.all()
        )

    def _look(self) -> None:
        """Begin the runs whose event has come, write all, and end those that are over."""
        for recording in self.recordings.all():
            if isinstance(recording, Waiting):
                self._attend(recording)
        running = [
            one
            for one in self.recordings.all()
            if isinstance(one, RunInProgress) and not one.has_ended
        ]
        self._stop_before_full(running)
        over = [current for current in running if current.is_over]
        for current in over:
            for taking in current.takings:
                taking.complete = True  # what comes later is not the run's
        self._write(running)
        for current in over:
            if not current.trouble:
                self._end(current)

    def _stop_before_full(self, running: list[RunInProgress]) -> None:
        """Stop all runs while the disk has room to end them well."""
        if not running or disk.free() > disk.STOPS_AT:
            return
        for current in running:
            current.next = None
            current.stopped_by = current.stopped_by or (
                f"The disk had only {disk.in_words(disk.STOPS_AT)} left: the run was stopped with "
                "all that it had."
            )

    def _attend(self, waiting: Waiting) -> None:
        """Begin the run if its event has come, or let it be if it is not wanted any more."""
        if waiting.stopping:
            waiting.scenes.end(float)
            for taking in waiting.takings:
                taking.complete = True
                release(taking.link, taking)
            self.recordings.drop(waiting)
            return
        if not waiting.has_event:
            return
        wish = waiting.wish
        try:
            run, stored = flows.begin_run(
                wish.experiment, waiting.plan, waiting.shown, wish.conditions, wish.note,
                wish.person, waiting.details,
            )  # fmt: skip
        except (DatabaseError, GalenaError) as error:
            self.recordings.set_trouble(
                wish.experiment.pk,
                f"The event came, but the run could not be kept ({error}). Arm it again.",
            )
            waiting.stopping = True
            self.wake()
            return
        for taking, origin_us in zip(waiting.takings, waiting.origin_us(), strict=True):
            taking.open(origin_us)
        for other in waiting.takings[1:]:
            other.aligned_to = waiting.takings[0]
        waiting.scenes.waiting = False
        following = waiting if waiting.plan.again else None
        self.recordings.put(
            RunInProgress(
                run, waiting.plan, list(waiting.takings), stored, waiting.scenes, following
            )
        )

    def _write(self, running: list[RunInProgress]) -> None:
        """Commit what all runs have taken, at once; one by one where that cannot be."""
        waiting = {current: taken for current in running if (taken := _taken(current))}
        if len(waiting) > 1:
            try:
                _commit([one for taken in waiting.values() for one in taken])
            except (DatabaseError, MemoryError):
                log.warning("The runs are written one by one.", exc_info=True)
            else:
                for current in waiting:
                    current.trouble = ""
                return
        for current, taken in waiting.items():
            try:
                _commit(taken)
                current.trouble = ""
            except (DatabaseError, MemoryError) as error:
                _put_back(taken)
                current.trouble = _trouble(current, error)

    def _end(self, current: RunInProgress) -> None:
        end(current)
        current.has_ended = True
        following = current.next
        if following is None:
            self.judge(current.run, lambda: self.recordings.drop(current))
            return
        try:
            self.recordings.put(self.arm_again(following))
        except GalenaError as error:
            self.recordings.set_trouble(
                current.experiment_id, f"The next run is not waited for: {error}"
            )
            self.recordings.drop(current)
        self.judge(current.run)

    def judge(self, run: Run, then: Callable[[], object] = lambda: None) -> None:
        """Take a second look at a run that has ended, beside all others."""

        def look() -> None:
            try:
                with in_passing():  # whoever wants to see it reads it then
                    judging.look(run)
            except Exception:
                log.exception("No second look was taken at %s.", run)
            finally:
                then()
                connections.close_all()

        if self._judges is None:
            look()
        else:
            self._judges.submit(look)


def _taken(current: RunInProgress) -> list[Unwritten]:
    """Give what is not yet on the disk of the instruments whose t = 0 is known."""
    taken: list[Unwritten] = []
    for taking, stored in zip(current.takings, current.stored, strict=True):
        if not taking.is_placed:
            if time.monotonic() < current.started + WAIT_FOR_FIRST:
                continue
            taking.aligned_to = None
        try:
            batch = taking.take_for_disk()
        except MemoryError:  # it waits for the next time, and so does what goes with it
            _put_back(taken)
            return []
        if batch is not None:
            taken.append((taking, stored, batch))
    return taken


def _put_back(taken: list[Unwritten]) -> None:
    for taking, _, batch in taken:
        taking.put_back(batch)


def _commit(taken: list[Unwritten]) -> None:
    flows.write([(stored, taking.origin(), batch) for taking, stored, batch in taken])


def _trouble(current: RunInProgress, error: Exception) -> str:
    """Say why nothing can be written; on a full disk the run stops with what it has."""
    if not _is_full(error):
        return (
            f"Readings cannot be written to the disk ({str(error) or 'no memory is left'}). "
            "They are kept in memory and written as soon as that is possible."
        )
    current.next = None
    current.stopped_by = current.stopped_by or (
        "The disk was full: the run was stopped with what it had."
    )
    stored, left = current.written, current.count - current.written
    return (
        f"The disk is full: the run was stopped. {numbers.grouped(stored)} readings are "
        f"stored, {numbers.grouped(left)} are still in memory. Make room on it, then they are "
        "written too."
    )


def _is_full(error: Exception) -> bool:
    code = getattr(error.__cause__, "sqlite_errorcode", 0) & 0xFF
    return code == sqlite3.SQLITE_FULL
