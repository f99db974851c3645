"""What the traces of a sheet show: of each graph, which runs with which readings."""

import math
from copy import copy
from dataclasses import dataclass

import numpy as np
from django.db.models import QuerySet

from galena.core import units
from galena.core.dimensions import of_difference
from galena.core.symbols import plain
from galena.desk.findings.answers import RELATED, Answers
from galena.desk.models import Finding, Sheet, Trace
from galena.experiments.columns import over
from galena.experiments.data.readings import Readings
from galena.experiments.models import ConditionValue, Quantity, Run
from galena.shell.prepared import hold, prepared_objects

RESIDUAL = "r"  # the symbol of what is left over


@dataclass(frozen=True)
class RunReadings:
    """A shown run and its readings of a quantity; their `t` holds the sheet's x."""

    run: Run
    readings: Readings
    quantity: Quantity

    def has_near(self, index: int, x: float) -> bool:
        """Tell whether a reading lies so near to a place that it is the one meant there."""
        interval = self.run.kind.interval(self.run)
        if interval is not None:
            reach = 0.75 * interval
        else:
            steps = np.diff(self.readings.t)
            reach = 0.5 * float(np.median(steps[steps > 0])) if (steps > 0).any() else math.inf
        return abs(float(self.readings.t[index]) - x) <= reach


@dataclass(frozen=True)
class Drawn:
    """A shown run in a trace of a graph."""

    trace: Trace
    read: RunReadings


def runs_of(sheet: Sheet) -> list[Run]:
    """Give the shown runs, but those not to be used, with their conditions."""
    experiment = sheet.experiment
    runs = prepared_objects("shown runs", _shown_in, experiment.pk)
    values = prepared_objects("conditions of shown runs", _conditions_shown_in, experiment.pk)
    hold(runs, "condition_values", values)
    for run in runs:
        run.experiment = experiment
    return runs


def _shown(sheet: Sheet) -> QuerySet[Run]:
    return _shown_in(sheet.experiment_id)


def _shown_in(experiment: int) -> QuerySet[Run]:
    return Run.objects.kept().filter(experiment=experiment, shown=True, unused="")


def _conditions_shown_in(experiment: int) -> QuerySet[ConditionValue]:
    runs = {"run__experiment": experiment, "run__shown": True, "run__unused": ""}
    kept = ConditionValue.objects.filter(**runs, run__removed_at=None)
    return kept.select_related("condition")


def shown_runs(sheet: Sheet, quantity: Quantity | None = None) -> list[RunReadings]:
    """Give the shown runs that have a quantity of the sheet, its first if none is named."""
    quantity = quantity or sheet.quantity
    if quantity is None:
        return []
    return having(sheet, quantity, list(_shown(sheet)))


def having(sheet: Sheet, quantity: Quantity, runs: list[Run]) -> list[RunReadings]:
    """Give those of some runs that have a quantity over the sheet's x, with their readings."""
    placed = over(sheet.x, [(run, quantity) for run in runs])
    read = [(run, placed.get((run.pk, quantity.pk))) for run in runs]
    return [
        RunReadings(run, one.readings, quantity) for run, one in read if one and len(one.readings)
    ]


def drawn(sheet: Sheet, troubles: dict[tuple[int, int], str] | None = None) -> list[Drawn]:
    """Give what the sheet's graphs show, trace by trace from the top on, each run by run.

    Why a formula could not be worked out for a run is told to `troubles`, as columns.over does.
    """
    traces = [trace for trace in sheet.traces if trace.graph.residuals_of_id is None]
    runs = runs_of(sheet)
    placed = over(sheet.x, [(run, trace.quantity) for trace in traces for run in runs], troubles)
    shown = [
        Drawn(trace, RunReadings(run, one.readings, trace.quantity))
        for trace in traces
        for run in runs
        if (one := placed.get((run.pk, trace.quantity_id))) and len(one.readings)
    ]
    return shown + _left_over(sheet, {run.pk for run in runs})


def _left_over(sheet: Sheet, shown: set[int]) -> list[Drawn]:
    """Give what fits leave over, for the graphs that show that."""
    traces = [one for one in sheet.traces if one.graph.residuals_of_id is not None]
    if not traces:
        return []
    kept = Finding.objects.filter(pk__in=[one.graph.residuals_of_id for one in traces])
    by_key = {one.pk: one for one in kept.select_related(*RELATED)}
    answers = Answers(by_key.values())
    residuals = []
    for trace in traces:
        finding = by_key[trace.graph.residuals_of_id]
        fit = answers.of(finding).fit
        if fit is None or finding.run_id not in shown:
            continue
        inside = answers.subject_of(finding).inside
        off = fit.residuals_at(inside.t, inside.y)
        quantity = copy(trace.quantity)
        quantity.symbol = f"{RESIDUAL}_{plain(quantity.symbol)}"
        quantity.unit = str(of_difference(units.parse(quantity.unit)))
        read = Readings(inside.t, off, None, inside.u, rows=inside.rows)
        if len(read):
            residuals.append(Drawn(trace, RunReadings(finding.run, read, quantity)))
    return residuals
