"""What of experiments and runs goes along into a copy, and into the experiment as a file."""

import contextlib
from typing import Any

from galena.core.errors import FormulaError
from galena.exchange.parts import Belongs, Part, Point, register
from galena.exchange.series_files import SeriesFiles
from galena.experiments import columns
from galena.experiments.models import (
    Aside,
    Condition,
    ConditionValue,
    Entry,
    Experiment,
    Given,
    Quantity,
    Run,
    Scene,
    Series,
    SeriesChunk,
    Step,
    StepPart,
    Stream,
    TypedColumn,
)

RUNS = Belongs.RUNS
MOST_LOOKED_AT = 1_000_000  # readings of a run that is looked through when it is read


def register_parts() -> None:
    """Have experiments and runs copied."""
    register(
        Part(Condition, "experiment"),
        Part(Quantity, "experiment"),
        Part(Given, "experiment"),
        Part(Run, "experiment", RUNS),
        Part(ConditionValue, "run__experiment", RUNS),
        Part(Stream, "run__experiment", RUNS),
        Part(Series, "stream__run__experiment", RUNS, apart=("stored_in",), alike=("stored_in",)),
        Part(SeriesChunk, "series__stream__run__experiment", RUNS, apart=("*",)),
        Part(Step, "run__experiment", RUNS),
        Part(StepPart, "step__run__experiment", RUNS,
             pointed={"correlation_times": _by_quantity}),
        Part(Entry, "run__experiment", RUNS),
        Part(Scene, "run__experiment", RUNS),
        Part(TypedColumn, "run__experiment", RUNS),
        Part(Aside, "run__experiment", RUNS),
        files=SeriesFiles(), shown=_look_through,
    )  # fmt: skip


def _by_quantity(times: dict[str, Any], point: Point) -> dict[str, Any]:
    return {str(point(Quantity, int(key))): time for key, time in times.items()}


def _look_through(experiment: Experiment) -> None:
    """Work out all columns of the runs, but of very long ones. Raises where one cannot be."""
    for run in experiment.runs.kept():
        str(run.label), str(run.planned), str(run.mark), run.kind.interval(run)
        if not all(
            isinstance(text, str) for seen, advice in run.remarks for text in (seen, advice)
        ):
            raise ValueError("remarks that are no text")
        if run.kind.counts([run]).get(run.pk, 0) <= MOST_LOOKED_AT:
            of_run = columns.of_run(run)
            for quantity in experiment.quantities.all():
                with contextlib.suppress(FormulaError):  # pages say why a formula gives nothing
                    of_run.column(quantity)
