"""Readings of a run as a file."""

from django.http import HttpResponse
from django.shortcuts import render
from django.utils.http import content_disposition_header
from django.utils.timezone import localtime

from galena.core.errors import SeriesError
from galena.core.formats.comma_separated import Column, file_name, write
from galena.core.plans import duration_in_words, rate_in_words
from galena.core.units import format as typeset
from galena.core.units import parse
from galena.experiments.access import run_for
from galena.experiments.models import Run, Series
from galena.experiments.readings import of_series
from galena.shell.press import PRESS

LONG = 20_000  # readings from which the writing would hold up the live feed


def csv_of_run(request, experiment_id: int, number: int):
    """Give a run as comma-separated values with names, units and conditions in its head."""
    run = run_for(request, experiment_id, number)
    try:
        columns = _columns(run)
    except SeriesError as error:
        context = {"title": "This run cannot be read", "message": str(error)}
        return render(request, "shell/error.html", context, status=409)
    is_long = max((one.numbers.size for one in columns), default=0) > LONG
    written = PRESS.do(write, _head(run), columns) if is_long else write(_head(run), columns)
    name = file_name(run.experiment.title, f"run {run.number}", run.label) + ".csv"
    response = HttpResponse(written, content_type="text/csv; charset=utf-8")
    response["Content-Disposition"] = content_disposition_header(True, name)
    return response


def _head(run: Run) -> list[str]:
    started = localtime(run.started_at).strftime("%Y-%m-%d %H:%M:%S %Z")
    lines = [
        f"Experiment: {run.experiment.title}",
        f"Run {run.number}, started {started} by {run.started_by}, {run.get_state_display()}",
        f"Plan: {rate_in_words(run.rate)} for {duration_in_words(run.duration)}",
    ]
    lines += [
        f"Condition: {value.shown}"
        for value in run.condition_values.select_related("condition")
        if value.text
    ]
    if run.note:
        lines.append(f"Note: {run.note}")
    for series in _measured(run):
        said = f"{series.quantity.symbol}: {series.quantity.name} in {series.quantity.unit}"
        lines.append(", ".join([said, str(series.stream), *series.corrections_said]))
    return lines


def _columns(run: Run) -> list[Column]:
    columns, seen = [], set()
    several = run.streams.count() > 1
    measured = list(_measured(run))
    for series, found in zip(measured, of_series(measured), strict=True):
        if series.stream_id not in seen:
            seen.add(series.stream_id)
            whose = f" ({series.stream})" if several else ""
            columns.append(Column(f"t / s{whose}", found.t, "%.6f"))
        unit = typeset(parse(series.quantity.unit))
        heading = f"{series.quantity.symbol} / {unit}" if unit else series.quantity.symbol
        # A zero is a mean and so finer than the channel's steps: two more decimals lose nothing.
        changed = series.zero is not None or series.calibration is not None
        decimals = series.quantity.decimals + (2 if changed else 0)
        columns.append(Column(heading, found.y, f"%.{decimals}f"))
    return columns


def _measured(run: Run):
    return (
        Series.objects.filter(stream__run=run)
        .exclude(quantity=None)
        .select_related("quantity", "stream__run")
        .order_by("stream_id", "pk")
    )
