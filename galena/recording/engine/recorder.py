"""The recorder: one run at a time, from the links to the disk and to those who watch.

Readings are taken in the links' threads, committed by one writer thread at least every
`COMMIT_EVERY` seconds, and published from the event loop with the bench's own events.
"""

import logging
import math
import sqlite3
import threading
import time

import numpy as np
from django.db import DatabaseError, close_old_connections, connections

from galena.bench.channel_display.display import Shown
from galena.bench.live.bench import BENCH, Bench
from galena.bench.live.in_use import Use
from galena.core import numbers, second_look
from galena.core.errors import GalenaError, PlanError
from galena.core.plans import ArmedPlan, SteadyPlan
from galena.core.trigger import CrossingFinder
from galena.experiments.models import Run
from galena.experiments.runs import judging
from galena.instruments.errors import InstrumentError
from galena.instruments.link import Link, Listener
from galena.recording import flows
from galena.recording.acquisition.arming import ArmedTaking
from galena.recording.acquisition.taking import Batch, SteadyTaking, Taking
from galena.recording.engine import sources
from galena.recording.engine.publishing import Publisher
from galena.recording.engine.state import RunInProgress, Stepping, Waiting, Wish
from galena.recording.errors import AlreadyRecording, NothingWaits

COMMIT_EVERY = 0.2
NOISES_CLEAR = 10.0  # so many noises a channel must come clear of a level between two events
WAIT_FOR_FIRST = 2.0  # seconds that other instruments wait for the first one's first reading
log = logging.getLogger(__name__)


class Recorder:
    """Starts and stops runs on one bench."""

    def __init__(self, bench: Bench) -> None:
        self.bench = bench
        self.current: RunInProgress | None = None
        self.waiting: Waiting | None = None
        self.stepping: Stepping | None = None
        self.starting = threading.RLock()
        self.troubles: dict[int, str] = {}  # by experiment: why no run is waited for any more
        self._wake = threading.Event()
        self._stopping = threading.Event()
        self._thread: threading.Thread | None = None
        self._publisher = Publisher(self)
        bench.uses = self.uses

    def open(self) -> None:
        """Begin to write; runs left unfinished by an earlier process are marked interrupted."""
        interrupted = flows.mark_interrupted()
        if interrupted:
            log.warning("%d run(s) were interrupted; their readings are kept.", len(interrupted))
        for run in interrupted:
            judging.look(run)
        self.begin_writing()

    def begin_writing(self) -> None:
        """Begin to write, beside other recorders perhaps, whose runs are none of its business."""
        self._stopping.clear()
        self.troubles.clear()
        self._thread = threading.Thread(target=self._write_forever, name="writer", daemon=True)
        self._thread.start()
        self.bench.after_publishing.append(self._publisher.publish)

    def close(self) -> None:
        """End a run in progress with what it has, and stop writing."""
        shut = "Galena was shut down while this run was being recorded."
        if self.waiting is not None:
            self.waiting.stopping = True
        if self.current is not None:
            self.current.next = None
            self.current.stopped_by = shut
        if self.stepping is not None:
            self._end_stepping(self.stepping, "Galena was shut down; the run can be continued.")
        self._stopping.set()
        self._wake.set()
        if self._thread is not None:
            self._thread.join(timeout=10)
        self.bench.after_publishing.clear()

    def uses(self) -> list[Use]:
        """List the runs that use instruments now, and who records them."""
        found = []
        for held in (self.current, self.stepping):
            if held is not None:
                run = held.run
                links = tuple(one.link for one in held.takings)
                found.append(
                    Use(links, run.started_by_id, str(run.started_by), f"run {run.number}")
                )
        if self.waiting is not None:
            links = tuple(one.link for one in self.waiting.takings)
            person = self.waiting.wish.person
            found.append(Use(links, person.pk, str(person), "an armed run"))
        return found

    @property
    def holder(self) -> Run | None:
        """The run that holds the instruments, if one does."""
        held = self.current or self.stepping
        return held.run if held is not None else None

    def start(self, wish: Wish, plan: SteadyPlan) -> Run:
        """Start a run; its first reading is the first that each instrument gives from now on.

        Raises PlanError, ConditionError, RecordingError or InstrumentError, and then nothing
        is kept.
        """
        with self.starting:
            self.refuse_busy()
            found = sources.find(self.bench, wish, plan)
            takings = [
                SteadyTaking(one.link, one.columns, one.corrections, plan.readings, plan.rate)
                for one in found
            ]
            shown = [one.shown for one in found]
            run, stored = flows.begin_run(
                wish.experiment, plan, shown, wish.conditions, wish.note, wish.person
            )
            try:
                self._restart(takings, plan.rate)
            except InstrumentError:
                run.delete()
                raise
            for other in takings[1:]:
                other.aligned_to = takings[0]
            scenes = sources.scenes(self.bench, [one.link for one in takings], plan.duration)
            self.current = RunInProgress(run, plan, list(takings), stored, scenes)
        return run

    def arm(self, wish: Wish, plan: ArmedPlan, watched: int | None) -> Waiting:
        """Wait for an event and record about it; watched: the channel that must pass the level.

        Raises as `start` does.
        """
        with self.starting:
            self.refuse_busy()
            self._refuse_conditions(wish)
            self.waiting = self._arm(wish, plan, watched)
        return self.waiting

    def _arm(self, wish: Wish, plan: ArmedPlan, watched: int | None) -> Waiting:
        found = sources.find(self.bench, wish, plan)
        takings = [
            ArmedTaking(
                one.link, one.columns, one.corrections, plan.rate, plan.before, plan.duration
            )
            for one in found
        ]
        shown = [one.shown for one in found]
        if plan.level is not None:
            place = next(
                (
                    (taking, column, one)
                    for taking, group in zip(takings, shown, strict=True)
                    for column, one in enumerate(group)
                    if one.channel.pk == watched
                ),
                None,
            )
            if place is None:
                raise PlanError("watched", "Choose the channel that starts the run, and tick it.")
            taking, column, one = place
            plan.check_level(one.name, one.lo, one.hi, one.unit)
            finder = CrossingFinder(plan.level, NOISES_CLEAR * self._scatter(one))
            taking.finder, taking.watched = finder, column
            taking.found = self._wake.set
        self._restart(takings, plan.rate)
        links = [one.link for one in takings]
        scenes = sources.scenes(self.bench, links, plan.duration, waiting=True)
        watched = watched if plan.level is not None else None
        return Waiting(wish, plan, watched, takings, shown, scenes)

    def _scatter(self, shown: Shown) -> float:
        """Give the noise of a channel now, in the unit shown; zero where it is not known."""
        feed, column = self.bench.feed_of(shown.channel.pk) or (None, 0)
        recent = np.empty(0) if feed is None else feed.recent()[:, column]
        noise = second_look.quiet_scatter(shown.correction.apply(recent))
        return noise if math.isfinite(noise) else 0.0

    def press(self, experiment_id: int) -> None:
        """Have the event of an armed run happen now. Raises NothingWaits."""
        waiting = self.waiting
        if waiting is None or waiting.wish.experiment.pk != experiment_id:
            raise NothingWaits("No run waits for a key now. Arm one first.")
        if waiting.event_us is None:
            waiting.event_us = time.monotonic_ns() / 1000
        self._wake.set()

    def stop(self, experiment_id: int, by: str) -> bool:
        """Stop whatever is recorded or waited for in an experiment; returns when it is stored."""
        deadline = time.monotonic() + 10
        waiting, current, stepping = self.waiting, self.current, self.stepping
        if waiting is not None and waiting.wish.experiment.pk == experiment_id:
            waiting.stopping = True
        elif current is not None and current.run.experiment_id == experiment_id:
            current.next = None
            current.stopped_by = f"Stopped by {by}."
        elif stepping is not None and stepping.run.experiment_id == experiment_id:
            self._end_stepping(stepping, "")
        else:
            self.troubles.pop(experiment_id, None)
            return False
        self._wake.set()
        while self._holds(waiting, current) and time.monotonic() < deadline:
            time.sleep(0.01)
        return True

    def _holds(self, waiting: Waiting | None, current: RunInProgress | None) -> bool:
        return (waiting is not None and self.waiting is waiting) or (
            current is not None and self.current is current and bool(current.stopped_by)
        )

    def refuse_busy(self) -> None:
        """Raise AlreadyRecording where the instruments are held."""
        waiting = self.waiting
        if waiting is not None:
            wish = waiting.wish
            raise AlreadyRecording(
                f"A run of “{wish.experiment}” is armed and waits, started by {wish.person}. "
                "Stop waiting first."
            )
        busy = self.holder
        if busy is not None:
            raise AlreadyRecording(
                f"Run {busy.number} of “{busy.experiment}” is being recorded, started by "
                f"{busy.started_by}. Wait for its end or stop it first."
            )

    def _refuse_conditions(self, wish: Wish) -> None:
        for condition in wish.experiment.conditions.all():
            condition.hold(wish.conditions.get(condition.pk, ""))

    def _restart(self, takings: list[SteadyTaking] | list[ArmedTaking], rate: float) -> None:
        try:
            for taking in takings:
                taking.link.restart(rate, taking)
        except InstrumentError:
            for taking in takings:
                taking.complete = True
                self.release(taking.link, taking)
            raise

    def _write_forever(self) -> None:
        while not self._stopping.is_set() or self.current is not None or self.waiting is not None:
            self._wake.wait(COMMIT_EVERY)
            self._wake.clear()
            try:
                close_old_connections()
                if self.waiting is not None:
                    self._attend(self.waiting)
                if self.current is not None:
                    self._carry_on(self.current)
            except Exception:
                log.exception("The recorder stumbled; it goes on.")
                if self._stopping.is_set():
                    return
        connections.close_all()

    def _attend(self, waiting: Waiting) -> None:
        """Begin the run if its event has come, or let it be if it is not wanted any more."""
        if waiting.stopping:
            waiting.scenes.end(float)
            for taking in waiting.takings:
                taking.complete = True
                self.release(taking.link, taking)
            self.waiting = None
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
            self.troubles[wish.experiment.pk] = (
                f"The event came, but the run could not be kept ({error}). Arm it again."
            )
            waiting.stopping = True
            self._wake.set()
            return
        for taking, origin_us in zip(waiting.takings, waiting.origin_us(), strict=True):
            taking.open(origin_us)
        for other in waiting.takings[1:]:
            other.aligned_to = waiting.takings[0]
        waiting.scenes.waiting = False
        following = waiting if waiting.plan.again else None
        self.current = RunInProgress(
            run, waiting.plan, list(waiting.takings), stored, waiting.scenes, following
        )
        self.waiting = None

    def _carry_on(self, current: RunInProgress) -> None:
        if not current.is_over:
            self._write(current)
            return
        for taking in current.takings:
            taking.complete = True  # what comes later is not the run's
        self._write(current)
        if not current.trouble:
            self._end(current)

    def _write(self, current: RunInProgress) -> None:
        waiting: list[tuple[Taking, flows.StoredStream, Batch]] = []
        for taking, stored in zip(current.takings, current.stored, strict=True):
            if not taking.is_placed:
                if time.monotonic() < current.started + WAIT_FOR_FIRST:
                    continue
                taking.aligned_to = None
            batch = taking.take_for_disk()
            if batch is not None:
                waiting.append((taking, stored, batch))
        if not waiting:
            return
        try:
            flows.write([(stored, taking.origin(), batch) for taking, stored, batch in waiting])
            current.trouble = ""
        except DatabaseError as error:
            for taking, _, batch in waiting:
                taking.put_back(batch)
            current.trouble = self._trouble(current, error)

    def _trouble(self, current: RunInProgress, error: DatabaseError) -> str:
        """Say why nothing can be written; on a full disk the run stops with what it has."""
        if not _is_full(error):
            return (
                f"Readings cannot be written to the disk ({error}). "
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

    def _end(self, current: RunInProgress) -> None:
        first = current.takings[0]
        clock, origin_us = first.link.clock.estimate(), first.origin_us or 0
        scenes = current.scenes.end(lambda host: (clock.device_at(host) - origin_us) / 1e6)
        settled = [taking.settled_origin() for taking in current.takings]
        drifts = [_drift(taking.link) for taking in current.takings]
        for taking in current.takings:
            taking.complete = True
            if current.next is None:
                self.release(taking.link, taking)
        ending = current.stopped_by
        gone = [] if ending else current.missing
        if gone:
            ending = "An instrument was gone at the end. " + gone[0].split(" The run goes on")[0]
        ends = [
            flows.StreamEnd(stored, taking.lost, taking.garbled, *placed, drift)
            for taking, stored, placed, drift in zip(
                current.takings, current.stored, settled, drifts, strict=True
            )
        ]
        flows.end_run(current.run, ending, ends)
        flows.keep_scenes(current.run, scenes)
        judging.look(current.run)
        following = current.next
        if following is not None:
            self._arm_again(following)
        self.current = None

    def _arm_again(self, before: Waiting) -> None:
        try:
            self.waiting = self._arm(before.wish, before.plan, before.watched)
        except GalenaError as error:
            self.troubles[before.wish.experiment.pk] = f"The next run is not waited for: {error}"

    def _end_stepping(self, stepping: Stepping, ending: str) -> None:
        with stepping.busy:
            if self.stepping is not stepping:
                return
            ends = [
                flows.StreamEnd(
                    stored, 0, 0, stored.stream.origin_us or 0, 1.0, _drift(taking.link)
                )
                for taking, stored in zip(stepping.takings, stepping.stored, strict=True)
            ]
            flows.end_run(stepping.run, ending, ends)
            judging.look(stepping.run)
            for taking in stepping.takings:
                self.release(taking.link, taking)
            self.stepping = None

    def release(self, link: Link, sink: Listener) -> None:
        """Have a link go back to watching."""
        try:
            link.release(sink)
        except InstrumentError:
            log.warning("%s did not go back to watching.", link.address)


def _is_full(error: DatabaseError) -> bool:
    cause = error.__cause__
    code = getattr(cause, "sqlite_errorcode", 0) & 0xFF
    return code == sqlite3.SQLITE_FULL


def _drift(link: Link) -> float | None:
    """How much faster the device's clock runs than this computer's; None if that is not known."""
    clock = link.clock.estimate()
    return clock.drift_ppm if clock.rate != clock.pace else None


RECORDER = Recorder(BENCH)
