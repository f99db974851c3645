"""The recorder: one run at a time, from the links to the disk and to those who watch.

Readings are taken in the links' threads, committed by one writer thread at least every
`COMMIT_EVERY` seconds, and published from the event loop with the bench's own events.
"""

import logging
import threading
import time
from dataclasses import dataclass, field

from django.db import DatabaseError, close_old_connections, connections

from galena.bench.live import BENCH, Bench, Feed, packed
from galena.bench.models import Channel
from galena.core.plans import Limit, SteadyPlan
from galena.experiments.models import Experiment, Run
from galena.experiments.readings import seconds
from galena.instruments.errors import InstrumentError
from galena.recording import flows
from galena.recording.errors import AlreadyRecording, NothingToRecord
from galena.recording.taking import Batch, Taking

COMMIT_EVERY = 0.2
WAIT_FOR_FIRST = 2.0  # seconds that other instruments wait for the first one's first reading
WAIT_FOR_RETURN = 3.0  # seconds past the planned end that a lost instrument is waited for
log = logging.getLogger(__name__)


@dataclass
class RunInProgress:
    """The run that is being recorded, and its sources."""

    run: Run
    plan: SteadyPlan
    takings: list[Taking]
    stored: list[flows.StoredStream]
    started: float = field(default_factory=time.monotonic)
    stopped_by: str = ""
    trouble: str = ""

    @property
    def count(self) -> int:
        """The readings taken of each channel so far, by the instrument that gave most."""
        return max(taking.count for taking in self.takings)

    @property
    def written(self) -> int:
        """The readings of each channel that are on the disk, by the instrument that has most."""
        return max(stored.written for stored in self.stored)

    @property
    def is_over(self) -> bool:
        """Tell whether no further reading will come."""
        if self.stopped_by:
            return True
        pace = self.takings[0].link.stream.clock.pace
        lasts = self.plan.duration / pace + WAIT_FOR_RETURN
        late = time.monotonic() > self.started + lasts
        return all(
            taking.complete or (late and not taking.link.state.is_live) for taking in self.takings
        )

    @property
    def missing(self) -> list[str]:
        """Say which instruments are gone now."""
        return [
            f"{stored.stream.instrument}: {taking.link.state.reason}. {taking.link.state.advice} "
            "The run goes on when it is back; what was recorded is kept."
            for taking, stored in zip(self.takings, self.stored, strict=True)
            if not taking.link.state.is_live and taking.count + taking.lost < taking.planned
        ]


class Recorder:
    """Starts and stops runs on one bench."""

    def __init__(self, bench: Bench) -> None:
        self.bench = bench
        self.current: RunInProgress | None = None
        self._starting = threading.Lock()
        self._wake = threading.Event()
        self._stopping = threading.Event()
        self._thread: threading.Thread | None = None
        self._was_recording = False

    def open(self) -> None:
        """Begin to write; runs left unfinished by an earlier process are marked interrupted."""
        interrupted = flows.mark_interrupted()
        if interrupted:
            log.warning("%d run(s) were interrupted; their readings are kept.", interrupted)
        self._stopping.clear()
        self._thread = threading.Thread(target=self._write_forever, name="writer", daemon=True)
        self._thread.start()
        self.bench.after_publishing.append(self._publish)

    def close(self) -> None:
        """End a run in progress with what it has, and stop writing."""
        if self.current is not None:
            self.current.stopped_by = "Galena was shut down while this run was being recorded."
        self._stopping.set()
        self._wake.set()
        if self._thread is not None:
            self._thread.join(timeout=10)
        self.bench.after_publishing.clear()

    def start(
        self,
        experiment: Experiment,
        plan: SteadyPlan,
        channel_ids: list[int],
        conditions: dict[int, str],
        note: str,
        person,
    ) -> Run:
        """Start a run; its first reading is the first that each instrument gives from now on.

        Raises PlanError, RecordingError or InstrumentError, and then nothing is kept.
        """
        with self._starting:
            if self.current is not None:
                busy = self.current.run
                raise AlreadyRecording(
                    f"Run {busy.number} of “{busy.experiment}” is being recorded, started by "
                    f"{busy.started_by}. Wait for its end or stop it first."
                )
            sources = self._sources(channel_ids)
            known = self.bench.show(experiment)
            channels = [
                [known[feed.channels[one].pk] for one in columns] for feed, columns in sources
            ]
            plan.check(
                Limit(_name(one.channel), one.channel.max_rate)
                for group in channels
                for one in group
            )
            takings = [
                Taking(
                    feed.link,
                    columns,
                    [one.correction for one in group],
                    plan.readings,
                    plan.rate,
                )
                for (feed, columns), group in zip(sources, channels, strict=True)
            ]
            run, stored = flows.begin_run(experiment, plan, channels, conditions, note, person)
            try:
                for taking in takings:
                    taking.link.restart(plan.rate, taking)
            except InstrumentError:
                for taking in takings:
                    self._release(taking)
                run.delete()
                raise
            for other in takings[1:]:
                other.aligned_to = takings[0]
            self.current = RunInProgress(run, plan, takings, stored)
        return run

    def stop(self, run_id: int, by: str) -> bool:
        """Stop the run if it is the one in progress; returns when its last reading is stored."""
        current = self.current
        if current is None or current.run.pk != run_id:
            return False
        current.stopped_by = f"Stopped by {by}."
        self._wake.set()
        deadline = time.monotonic() + 10
        while self.current is current and time.monotonic() < deadline:
            time.sleep(0.01)
        return True

    def _sources(self, channel_ids: list[int]) -> list[tuple[Feed, list[int]]]:
        if not channel_ids:
            raise NothingToRecord("No channel is chosen. Tick at least one to record.")
        sources: dict[int, tuple[Feed, list[int]]] = {}
        for channel_id in dict.fromkeys(channel_ids):
            found = self.bench.feed_of(channel_id)
            if found is None:
                channel = Channel.objects.select_related("instrument").filter(pk=channel_id).first()
                name = _name(channel) if channel else "A channel"
                raise NothingToRecord(
                    f"{name} gives no readings now. Is its cable in? The Bench says more."
                )
            feed, column = found
            sources.setdefault(feed.key, (feed, []))[1].append(column)
        return list(sources.values())

    def _write_forever(self) -> None:
        while not self._stopping.is_set() or self.current is not None:
            self._wake.wait(COMMIT_EVERY)
            self._wake.clear()
            current = self.current
            if current is None:
                continue
            try:
                close_old_connections()
                if current.is_over:
                    for taking in current.takings:
                        taking.complete = True  # what comes later is not the run's
                    self._write(current)
                    if not current.trouble:
                        self._end(current)
                else:
                    self._write(current)
            except Exception:
                log.exception("The recorder stumbled; it goes on.")
                if self._stopping.is_set():
                    return
        connections.close_all()

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
            current.trouble = (
                f"Readings cannot be written to the disk ({error}). Make room on it; "
                "they are kept in memory and written as soon as there is."
            )

    def _end(self, current: RunInProgress) -> None:
        settled = [taking.settled_origin() for taking in current.takings]
        for taking in current.takings:
            self._release(taking)
        ending = current.stopped_by
        gone = [] if ending else current.missing
        if gone:
            ending = "An instrument was gone at the end. " + gone[0].split(" The run goes on")[0]
        ends = [
            flows.StreamEnd(stored, taking.lost, taking.garbled, *placed)
            for taking, stored, placed in zip(current.takings, current.stored, settled, strict=True)
        ]
        flows.end_run(current.run, ending, ends)
        self.current = None

    def _release(self, taking: Taking) -> None:
        taking.complete = True
        try:
            taking.link.release(taking)
        except InstrumentError:
            log.warning("%s did not go back to watching.", taking.link.address)

    def _publish(self) -> None:
        current = self.current
        if current is None:
            if self._was_recording:
                self._was_recording = False
                self.bench.hub.publish("runs", "run", {"recording": None})
            return
        topic = f"run:{current.run.experiment_id}"
        if not self._was_recording:
            self._was_recording = True
            self.bench.hub.publish("runs", "run", {"recording": current.run.pk})
        wanted = self.bench.hub.wanted(topic)
        for place, taking in enumerate(current.takings):
            batch = taking.take_for_feed() if taking.is_placed else None
            if batch is not None and wanted:
                t = seconds(batch.stamps, taking.origin())
                columns = [
                    correction.apply(batch.values[:, column])
                    for column, correction in enumerate(taking.corrections)
                ]
                head = {"run": current.run.pk, "stream": place, "first": batch.first}
                self.bench.hub.publish(topic, "run-readings", head | packed(t, columns))


def _name(channel: Channel) -> str:
    return f"{channel.name} ({channel.instrument.model} {channel.instrument.serial})"


RECORDER = Recorder(BENCH)
