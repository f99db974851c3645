"""Runs at a rate: readings of instruments, each with its time; steady ones, and armed ones."""

from collections.abc import Collection, Iterable, Iterator
from dataclasses import replace

from django.db.models import QuerySet, Sum

from galena.core.errors import TableError
from galena.core.plans import duration_in_words, rate_in_words
from galena.core.second_look import Remark
from galena.experiments.data.exclusions import mask
from galena.experiments.data.readings import Readings, of_series
from galena.experiments.data.rows import Block, Column
from galena.experiments.data.uncertainty import ruled, step_of
from galena.experiments.models import Quantity, Run, Series, SeriesChunk, TypedColumn
from galena.experiments.runs import judging
from galena.experiments.runs.beside import beside, column_of, type_beside
from galena.experiments.runs.kind import MEASURED, LeftOut, RunKind
from galena.shell.prepared import prepared, prepared_objects

FINER = 2  # further decimals in a file: a zero is a mean, finer than the channel's steps


class Timed(RunKind):
    """A run at a rate: a block for each instrument."""

    is_recorded = True
    is_timed = True
    takes_columns = True
    ends_at_rest = True  # one that was to end by itself is expected to have settled

    def blocks(
        self, runs: list[Run], wanted: Collection[Quantity] | None, left_out: LeftOut
    ) -> dict[int, list[Block]]:
        series_of_runs = prepared_objects("series of runs", _series_of, [run.pk for run in runs])
        typed = beside(runs, wanted)
        if wanted is not None:
            needed = {None, *(quantity.pk for quantity in wanted)}
            # A typed column has the times of what was measured beside it.
            times_of = {stream for _, stream in typed}
            series_of_runs = [
                one for one in series_of_runs
                if one.quantity_id in needed or one.stream_id in times_of
            ]  # fmt: skip
        measured = [one for one in series_of_runs if one.quantity_id is not None]
        stamps = [one for one in series_of_runs if one.quantity_id is None]
        by_stream: dict[int, list[tuple[Series, Readings]]] = {}
        for series, readings in zip(measured, of_series(measured, stamps), strict=True):
            by_stream.setdefault(series.stream_id, []).append((series, readings))
        blocks: dict[int, list[Block]] = {run.pk: [] for run in runs}
        by_key = {run.pk: run for run in runs}
        for of_stream in by_stream.values():
            run = by_key[of_stream[0][0].stream.run_id]
            key = (run.pk, of_stream[0][0].stream_id)
            blocks[run.pk].append(_block(run, of_stream, left_out, typed.get(key, ())))
        return blocks

    def type_cell(self, run: Run, row: int, quantity: Quantity, text: str, person) -> None:
        if not type_beside(run, row, quantity, text, person):
            raise TableError(MEASURED)

    def planned(self, run: Run) -> str:
        between = "" if run.duration is None else "for "
        return f"{rate_in_words(run.rate)} {between}{_lasts(run)}"

    def counts(self, runs: list[Run]) -> dict[int, int]:
        """Count the readings of each run: those of the instrument that gave most."""
        stamps = prepared("stamps of runs", _stamps_of, [run.pk for run in runs])
        holders = [(row["stream__run"], row["stored_in"] or row["pk"]) for row in stamps]
        stored = SeriesChunk.objects.filter(series__in={holder for _, holder in holders})
        sizes = dict(stored.values_list("series").annotate(n=Sum("count")))
        counts: dict[int, int] = {}
        for key, holder in holders:
            counts[key] = max(counts.get(key, 0), sizes.get(holder, 0))
        return {key: count for key, count in counts.items() if count}

    def interval(self, run: Run) -> float | None:
        return 1 / run.rate

    def remarks(self, run: Run) -> Iterator[Remark | None]:
        yield from judging.of_timed(run, has_end=self.ends_at_rest and run.duration is not None)


def _stamps_of(runs) -> QuerySet:
    stamps = Series.objects.filter(quantity=None, stream__run__in=runs)
    return stamps.values("pk", "stored_in", "stream__run")


def _series_of(runs) -> QuerySet[Series]:
    stored = Series.objects.filter(stream__run__in=runs)
    return stored.select_related("quantity", "stream__run").order_by("stream", "pk")


class Armed(Timed):
    """A run that begins with an event, with readings from before it."""

    ends_at_rest = False

    def planned(self, run: Run) -> str:
        before, event = duration_in_words(run.details["before"]), run.details["event"]
        return f"{rate_in_words(run.rate)}, {before} before and {_lasts(run)} after {event}"


def _lasts(run: Run) -> str:
    return "until stopped" if run.duration is None else duration_in_words(run.duration)


def _block(
    run: Run, of_stream: list[tuple[Series, Readings]], left_out: LeftOut,
    typed: Iterable[TypedColumn],
) -> Block:  # fmt: skip
    stream = of_stream[0][0].stream
    stretches = left_out.get((run.pk, stream.pk), ())
    columns = {}
    for series, readings in of_stream:
        quantity = series.quantity
        rule = (quantity.u_rule, quantity.u_absolute, quantity.u_relative, quantity.u_calibration)
        version = (
            series.pk, series.correction, stream.scale, len(readings), stretches, rule
        )  # fmt: skip
        ruled_readings = ruled(readings, quantity, step_of(series))
        if stretches:
            ruled_readings = replace(ruled_readings, aside=mask(stretches, len(ruled_readings)))
        corrected = series.zero is not None or series.calibration is not None
        columns[quantity.pk] = Column(
            quantity, ruled_readings, version, stream.pk,
            file_decimals=quantity.decimals + (FINER if corrected else 0),
        )  # fmt: skip
    longest = max((readings for _, readings in of_stream), key=len)
    aside = mask(stretches, len(longest)) if stretches else None
    columns |= {one.quantity_id: column_of(one, longest.t, aside) for one in typed}
    return Block(run, len(longest), columns, longest.t, True, aside, stream)


STEADY, ARMED = Timed(), Armed()
STEADY.key, STEADY.word = Run.Plan.STEADY, "steady"
ARMED.key, ARMED.word = Run.Plan.ARMED, "armed"
