"""All changes to runs while they are made: rows for a new run, chunks, its end, recovery."""

from collections.abc import Iterable
from dataclasses import dataclass
from datetime import timedelta

from django.db import IntegrityError, transaction
from django.utils import timezone

from galena.bench.channel_display.display import Shown, quantity_for
from galena.core.plans import ArmedPlan, SteadyPlan, StepwisePlan
from galena.core.series import STAMPS, VALUES, Chunk, pack
from galena.experiments import given
from galena.experiments.flows import hold_conditions, next_number, touch
from galena.experiments.models import Experiment, Run, Scene, Series, SeriesChunk, Stream
from galena.recording.acquisition.taking import Batch
from galena.recording.errors import AlreadyRecording


@dataclass
class StoredStream:
    """Where the batches of one instrument go: its time stamps and one series a channel."""

    stream: Stream
    stamps: Series
    values: list[Series]
    sequence: int = 0
    written: int = 0

    def chunks(self, batch: Batch) -> Iterable[SeriesChunk]:
        """Make the rows for a batch; the next batch gets the next sequence number."""
        yield self._row(self.stamps, pack(batch.stamps, batch.first, STAMPS))
        for column, series in enumerate(self.values):
            yield self._row(series, pack(batch.values[:, column], batch.first, VALUES))

    def _row(self, series: Series, chunk: Chunk) -> SeriesChunk:
        return SeriesChunk(
            series=series,
            sequence=self.sequence,
            first_index=chunk.first_index,
            count=chunk.count,
            data=chunk.data,
            crc32=chunk.crc32,
        )


@dataclass(frozen=True)
class StreamEnd:
    """What is known of an instrument at the end of a run: see Stream."""

    stored: StoredStream
    lost: int
    garbled: int
    origin_us: int
    scale: float
    drift_ppm: float | None = None


def begin_run(
    experiment: Experiment,
    plan: SteadyPlan | ArmedPlan | StepwisePlan,
    channels: list[list[Shown]],
    conditions: dict[int, str],
    note: str,
    person,
    event: dict | None = None,
) -> tuple[Run, list[StoredStream]]:
    """Make the rows of a new run: a stream for each list of channels of one instrument.

    event: for an armed run, `event` is what happened at t = 0, in words, and `watched` the source
    of the quantity that passed the level. Raises ConditionError, or AlreadyRecording
    where the experiment has a run that is being recorded.
    """
    try:
        with transaction.atomic():
            number = next_number(experiment)
            run = Run.objects.create(
                experiment=experiment,
                number=number,
                place=number,
                note=note.strip()[:200],
                started_at=timezone.now(),
                started_by=person,
                **_planned(plan, event),
            )
            hold_conditions(run, conditions)
            stored = [begin_stream(run, of_instrument) for of_instrument in channels]
            touch(experiment)
    except IntegrityError as error:
        raise AlreadyRecording(
            "A run of this experiment is being recorded already. Stop it first."
        ) from error
    return run, stored


def _planned(plan: SteadyPlan | ArmedPlan | StepwisePlan, event: dict | None) -> dict:
    if isinstance(plan, StepwisePlan):
        return {"plan": Run.Plan.STEPWISE, "details": {"average": plan.average}}
    timed = {"rate": plan.rate, "duration": plan.duration}
    if isinstance(plan, SteadyPlan):
        return {"plan": Run.Plan.STEADY, **timed}
    details = {"before": plan.before, "again": plan.again, **(event or {})}
    if plan.level is not None:
        details |= {"level": plan.level.value, "direction": plan.level.direction}
    return {"plan": Run.Plan.ARMED, "details": details, **timed}


def begin_stream(run: Run, channels: list[Shown]) -> StoredStream:
    """Make the rows for what one instrument will give to a run."""
    instrument = channels[0].channel.instrument
    stream = Stream.objects.create(run=run, instrument=instrument.label, serial=instrument.serial)
    values = [
        Series.objects.create(
            stream=stream,
            quantity=quantity_for(run.experiment, one),
            unit=one.channel.unit,
            zero=one.correction.zero,
            u_zero=one.correction.u_zero,
            sign=one.correction.sign,
            calibration=one.channel.calibration.data if one.channel.calibration else None,
            minimum=one.channel.minimum,
            maximum=one.channel.maximum,
            resolution=one.channel.resolution,
            max_rate=one.channel.max_rate,
        )
        for one in channels
    ]
    return StoredStream(stream, Series.objects.create(stream=stream), values)


def write(batches: list[tuple[StoredStream, int, Batch]]) -> None:
    """Commit batches, each with the device's clock at the run's t = 0, in one transaction."""
    with transaction.atomic():
        for stored, origin_us, batch in batches:
            if stored.sequence == 0:
                stored.stream.origin_us = origin_us
                stored.stream.save(update_fields=["origin_us"])
                given.follow_stream(stored.stream)
            SeriesChunk.objects.bulk_create(stored.chunks(batch))
    for stored, _, batch in batches:
        stored.sequence += 1
        stored.written += len(batch)


def end_run(
    run: Run, ending: str, ends: list[StreamEnd], host: tuple[float, float] | None = None
) -> None:
    """Mark a run finished, with what became of each instrument's lines and its clock.

    host: where t = 0 lay on this computer's clock, in µs, and how fast the run's went beside it.
    """
    with transaction.atomic():
        for end in ends:
            stream = end.stored.stream
            stream.lost, stream.garbled = end.lost, end.garbled
            stream.drift_ppm = end.drift_ppm
            if stream.origin_us is not None:
                stream.origin_us, stream.scale = end.origin_us, end.scale
            stream.save(update_fields=list(given.FACTS))
            given.follow_stream(stream)
        run.state, run.ending, run.ended_at = Run.State.FINISHED, ending, timezone.now()
        if host is not None:
            run.refresh_from_db(fields=["details"])
            run.details |= {"host-us": host[0], "host-rate": host[1]}
        run.save(update_fields=["state", "ending", "ended_at", "details"])
        given.follow_end(run)
        touch(run.experiment)


def reopen(run: Run) -> None:
    """Note that a run goes on. Raises AlreadyRecording where the experiment has another."""
    try:
        with transaction.atomic():
            run.state, run.ending, run.ended_at = Run.State.RECORDING, "", None
            run.save(update_fields=["state", "ending", "ended_at"])
            touch(run.experiment)
    except IntegrityError as error:
        raise AlreadyRecording(
            "A run of this experiment is being recorded already. Stop it first."
        ) from error


def keep_scenes(run: Run, scenes: dict[str, dict[str, list[float]]]) -> None:
    """Keep how rigs looked during a run, by the rig's key."""
    Scene.objects.bulk_create(Scene(run=run, rig=key, states=one) for key, one in scenes.items())


def mark_interrupted() -> list[Run]:
    """Mark runs that no process records any more, and give them."""
    unfinished = list(Run.objects.filter(state=Run.State.RECORDING))
    for run in unfinished:
        run.state, run.ended_at = Run.State.INTERRUPTED, timezone.now()
        run.ending = (
            "Galena was ended while this run was being recorded. "
            "All that was stored until then is here."
        )
        run.save(update_fields=["state", "ended_at", "ending"])
        given.follow_end(run)
    return unfinished


def interrupted_lately(within: timedelta) -> list[Run]:
    """Give the runs that were interrupted so lately, and of which nothing is remarked."""
    since = timezone.now() - within
    interrupted = Run.objects.filter(state=Run.State.INTERRUPTED, ended_at__gte=since)
    return list(interrupted.filter(remarks=[]))
