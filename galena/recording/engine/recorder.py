"""The recorder: runs are started, armed and stopped here, several at once.

Each run holds the instruments that it uses and no other. Readings are taken in the links' threads,
committed by the writer's thread, and published from the event loop with the bench's own events.
"""

import logging
import math
import threading
import time
from collections.abc import Sequence
from datetime import timedelta

import numpy as np
from django.db import connections

from galena.bench.channel_display.display import Shown
from galena.bench.live.bench import BENCH, Bench
from galena.bench.live.in_use import Use
from galena.core.errors import PlanError
from galena.core.noise import quiet_scatter
from galena.core.plans import ArmedPlan, SteadyPlan
from galena.core.trigger import CrossingFinder
from galena.experiments.models import Run
from galena.instruments.errors import InstrumentError
from galena.recording import flows
from galena.recording.acquisition.arming import ArmedTaking
from galena.recording.acquisition.releasing import release
from galena.recording.acquisition.taking import OwnPaceTaking, SteadyTaking, Taking
from galena.recording.engine import sources
from galena.recording.engine.ending import end_stepping
from galena.recording.engine.publishing import Publisher
from galena.recording.engine.recordings import Recordings
from galena.recording.engine.sources import Source
from galena.recording.engine.state import Claim, RunInProgress, Stepping, Waiting, Wish
from galena.recording.engine.writer import Writer
from galena.recording.errors import NothingWaits, RecordingError
from galena.shell import disk

NOISES_CLEAR = 10.0  # so many noises a channel must come clear of a level between two events
WAIT_FOR_STOP = 10.0  # seconds in which a stopped run is stored
LOOKS_BACK_AFTER = 10.0  # s from the start, which what is recorded again has to itself
LOOKS_BACK_ON = timedelta(hours=1)
SHUT_DOWN = "Galena was shut down while this run was being recorded."
log = logging.getLogger(__name__)


class Recorder:
    """Starts and stops runs on one bench."""

    def __init__(self, bench: Bench) -> None:
        self.bench = bench
        self.recordings = Recordings()
        self._writer = Writer(self.recordings, self._arm_again)
        self._publisher = Publisher(self.recordings, bench)
        self._looking_back: threading.Timer | None = None
        bench.uses = self.uses

    def open(self) -> None:
        """Begin to write; runs left unfinished by an earlier process are marked interrupted."""
        interrupted = flows.mark_interrupted()
        if interrupted:
            log.warning("%d run(s) were interrupted; their readings are kept.", len(interrupted))
        self.begin_writing()
        self._looking_back = threading.Timer(LOOKS_BACK_AFTER, self._look_back)
        self._looking_back.daemon = True
        self._looking_back.start()

    def begin_writing(self) -> None:
        """Begin to write, beside other recorders perhaps, whose runs are none of its business."""
        self.recordings.clear_troubles()
        self._writer.start()
        self.bench.publisher.further.append(self._publisher.publish)

    def _look_back(self) -> None:
        """Take a second look at the runs that were interrupted, and those whose server was killed
        again before it could."""
        try:
            for run in flows.interrupted_lately(LOOKS_BACK_ON):
                self._writer.judge(run)
        finally:
            connections.close_all()

    def close(self) -> None:
        """End all runs in progress with what they have, and stop writing."""
        if self._looking_back is not None:
            self._looking_back.cancel()
        for recording in self.recordings.all():
            if isinstance(recording, Waiting):
                recording.stopping = True
            elif isinstance(recording, RunInProgress):
                recording.next = None
                recording.stopped_by = SHUT_DOWN
            elif isinstance(recording, Stepping):
                end_stepping(
                    self.recordings, recording, "Galena was shut down; the run can be continued."
                )
        self._writer.stop()
        self.bench.publisher.further.clear()

    def uses(self) -> list[Use]:
        """List the runs that use instruments now, and who records them."""
        return [recording.use for recording in self.recordings.all()]

    def in_use(self, experiment_id: int) -> dict[int, str]:
        """Say by whom the channels are used that runs of other experiments hold, by their keys."""
        others = [one for one in self.recordings.all() if one.experiment_id != experiment_id]
        feeds = list(self.bench.feeds.values())
        used = {
            channel.pk: recording.sentence()
            for recording in others
            for feed in feeds
            if feed.link in recording.links
            for channel in feed.channels
        }
        return self.bench.lent_from(experiment_id) | used

    def start(self, wish: Wish, plan: SteadyPlan) -> Run:
        """Start a run; its first reading is the first that each instrument gives from now on.

        Raises PlanError, ConditionError, RecordingError or InstrumentError, and then nothing
        is kept.
        """
        _refuse_full_disk()
        chosen = sources.find(self.bench, wish, plan)
        plan = sources.paced(plan, chosen)
        with self.recordings.claiming(claim_of(wish, chosen)):
            takings = [_steady_taking(one, plan) for one in chosen]
            shown = [one.shown for one in chosen]
            run, stored = flows.begin_run(
                wish.experiment, plan, shown, wish.conditions, wish.note, wish.person
            )
            try:
                _restart(takings, plan.rate)
            except InstrumentError:
                run.delete()
                raise
            for other in takings[1:]:
                other.aligned_to = takings[0]
            scenes = sources.scenes(self.bench, [one.link for one in takings], plan.duration)
            self.recordings.put(RunInProgress(run, plan, list(takings), stored, scenes))
        return run

    def arm(self, wish: Wish, plan: ArmedPlan, watched: int | None) -> Waiting:
        """Wait for an event and record about it; watched: the channel that must pass the level.

        Raises as `start` does.
        """
        _refuse_full_disk()
        chosen = sources.find(self.bench, wish, plan)
        with self.recordings.claiming(claim_of(wish, chosen)):
            _refuse_conditions(wish)
            waiting = self._arm(wish, plan, watched, chosen)
            self.recordings.put(waiting)
        return waiting

    def _arm_again(self, before: Waiting) -> Waiting:
        chosen = sources.find(self.bench, before.wish, before.plan)
        return self._arm(before.wish, before.plan, before.watched, chosen)

    def _arm(
        self, wish: Wish, plan: ArmedPlan, watched: int | None, chosen: list[Source]
    ) -> Waiting:
        plan = sources.paced(plan, chosen)
        takings = [
            ArmedTaking(
                one.link,
                one.columns,
                one.corrections,
                one.own_rate or plan.rate,
                plan.before,
                plan.duration,
            )
            for one in chosen
        ]
        shown = [one.shown for one in chosen]
        if plan.level is not None:
            self._watch(plan, watched, takings, shown)
        _restart(takings, plan.rate)
        links = [taking.link for taking in takings]
        scenes = sources.scenes(self.bench, links, plan.duration, waiting=True)
        watched = watched if plan.level is not None else None
        return Waiting(wish, plan, watched, takings, shown, scenes)

    def _watch(
        self, plan: ArmedPlan, watched: int | None, takings: list[ArmedTaking],
        shown: list[list[Shown]],
    ) -> None:  # fmt: skip
        """Have the instrument of a channel look for its passing of the level."""
        places = (
            (taking, column, channel)
            for taking, group in zip(takings, shown, strict=True)
            for column, channel in enumerate(group)
            if channel.channel.pk == watched
        )
        place = next(places, None)
        if place is None or plan.level is None:
            raise PlanError("watched", "Choose the channel that starts the run, and tick it.")
        taking, column, channel = place
        plan.check_level(channel.name, channel.lo, channel.hi, channel.unit)
        taking.finder = CrossingFinder(plan.level, NOISES_CLEAR * self._scatter(channel))
        taking.watched = column
        taking.on_event = self._writer.wake

    def _scatter(self, shown: Shown) -> float:
        """Give the noise of a channel now, in the unit shown; zero where it is not known."""
        feed, column = self.bench.feed_of(shown.channel.pk) or (None, 0)
        recent = np.empty(0) if feed is None else feed.recent()[:, column]
        noise = quiet_scatter(shown.correction.apply(recent))
        return noise if math.isfinite(noise) else 0.0

    def press(self, experiment_id: int) -> None:
        """Have the event of an armed run happen now. Raises NothingWaits."""
        waiting = self.recordings.of(experiment_id)
        if not isinstance(waiting, Waiting):
            raise NothingWaits("No run waits for a key now. Arm one first.")
        if waiting.event_us is None:
            waiting.event_us = time.monotonic_ns() / 1000
        self._writer.wake()

    def stop(self, experiment_id: int, by: str) -> bool:
        """Stop whatever is recorded or waited for in an experiment; returns when it is stored."""
        deadline = time.monotonic() + WAIT_FOR_STOP
        recording = self.recordings.of(experiment_id)
        if isinstance(recording, Waiting):
            recording.stopping = True
        elif isinstance(recording, RunInProgress):
            recording.next = None
            recording.stopped_by = recording.stopped_by or f"Stopped by {by}."
        elif isinstance(recording, Stepping):
            end_stepping(self.recordings, recording, "")
        else:
            self.recordings.set_trouble(experiment_id, "")
            return False
        self._writer.wake()
        while self.recordings.is_held(recording) and time.monotonic() < deadline:
            time.sleep(0.01)
        return True


def claim_of(wish: Wish, chosen: list[Source]) -> Claim:
    """Give the claim of a run on the instruments that it is to be of."""
    return Claim(wish, tuple(source.link for source in chosen))


def _steady_taking(source: Source, plan: SteadyPlan) -> SteadyTaking | OwnPaceTaking:
    of_it = (source.link, source.columns, source.corrections)
    if source.own_rate:
        return OwnPaceTaking(*of_it, source.own_rate, plan.duration)
    return SteadyTaking(*of_it, plan.readings, plan.rate)


def _refuse_full_disk() -> None:
    """Raise RecordingError where a run would not have the room that it needs."""
    if words := disk.refusal():
        raise RecordingError(words)


def _refuse_conditions(wish: Wish) -> None:
    for condition in wish.experiment.conditions.all():
        condition.hold(wish.conditions.get(condition.pk, ""))


def _restart(takings: Sequence[Taking], rate: float) -> None:
    try:
        for taking in takings:
            taking.link.restart(rate, taking)
    except InstrumentError:
        for taking in takings:
            taking.complete = True
            release(taking.link, taking)
        raise


RECORDER = Recorder(BENCH)
