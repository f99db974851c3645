"""Readings of a run as a file."""

from django.http import HttpResponse
from django.shortcuts import redirect, render
from django.utils.http import content_disposition_header
from django.utils.timezone import localtime
from django.views.decorators.http import require_POST

from galena.core.errors import FormulaError, SeriesError
from galena.core.formats.comma_separated import Column, file_name, write
from galena.core.units import format as typeset
from galena.core.units import parse
from galena.exchange import duplicating
from galena.experiments.access import experiment_for, run_for
from galena.experiments.columns import rows_of
from galena.experiments.data.readings import of_series
from galena.experiments.formulas.derivation import Derivation
from galena.experiments.models import Quantity, Run, Series
from galena.experiments.runs.stepwise import tables
from galena.experiments.runs.typed import typed_tables
from galena.shell import requested
from galena.shell.press import PRESS, PressError

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
    try:
        written = PRESS.do(write, _head(run), columns) if is_long else write(_head(run), columns)
    except PressError as error:
        return requested.refused(request, str(error), "This file could not be made", status=503)
    name = file_name(run.experiment.title, f"run {run.number}", run.label) + ".csv"
    response = HttpResponse(written, content_type="text/csv; charset=utf-8")
    response["Content-Disposition"] = content_disposition_header(True, name)
    return response


@require_POST
def duplicate(request, experiment_id: int):
    """Make a copy of an experiment and go to the list."""
    experiment = experiment_for(request, experiment_id)
    try:
        duplicating.duplicate(experiment, request.user, runs="runs" in request.POST)
    except ValueError as error:
        context = {"title": "This experiment cannot be copied now", "message": str(error)}
        return render(request, "shell/error.html", context, status=409)
    return redirect("experiments")


def _head(run: Run) -> list[str]:
    started = localtime(run.started_at).strftime("%Y-%m-%d %H:%M:%S %Z")
    lines = [
        f"Experiment: {run.experiment.title}",
        f"Run {run.number}, started {started} by {run.started_by}, {run.get_state_display()}",
        f"Plan: {run.planned}",
    ]
    lines += [
        f"Condition: {value.shown}"
        for value in run.condition_values.select_related("condition")
        if value.text
    ]
    if run.name:
        lines.append(f"Name: {run.name}")
    if run.note:
        lines.append(f"Note: {run.note}")
    for aside in run.asides.all():
        where = f"{aside.first + 1} to {aside.last + 1}"
        whose = f" of {aside.stream}" if aside.stream else ""
        lines.append(f"Set aside: rows {where}{whose}, because {aside.reason}")
    if run.unused:
        lines.append(f"Not to be used: {run.unused}")
    lines += [f"{one.symbol} = {one.formula}: {one.name}" for one in run.experiment.derived]
    lines += [
        f"Given: {one.symbol} = {one.text} {one.unit}".rstrip() + f" ({one.name})"
        for one in run.experiment.givens.all()
    ]
    for series in _measured(run):
        said = f"{series.quantity.symbol}: {series.quantity.name} in {series.quantity.unit}"
        lines.append(", ".join([said, str(series.stream), *series.corrections_said]))
    return lines


def _columns(run: Run) -> list[Column]:
    if run.is_typed:
        return _typed(run) + _by_formula(run)
    return (_of_steps(run) if run.is_stepwise else _of_time(run)) + _by_formula(run)


def _by_formula(run: Run) -> list[Column]:
    """Give what formulas make of a run, each with its uncertainty where it has one."""
    columns = []
    derivation = Derivation(run.experiment, [run])
    for one in run.experiment.derived:
        try:
            rows = rows_of(run, one, derivation)
            read = derivation.readings(one, rows)[0] if rows is not None else None
        except FormulaError:
            continue
        if read is None:
            continue
        form = f"%.{one.decimals + 1}f"  # one more than is shown: rounding is for the reader
        columns.append(Column(_heading(one), read.y, form))
        if read.combined is not None:
            columns.append(Column(_heading_of_u(one), read.combined, form))
    return columns


def _typed(run: Run) -> list[Column]:
    table = typed_tables([run])[run.pk]
    columns = []
    for one in table.quantities:
        form = f"%.{one.decimals}f"
        columns.append(Column(_heading(one), table.values(one), form))
        u = table.readings(one).u
        if u is not None:
            columns.append(Column(_heading_of_u(one), u, form))
    return columns


def _of_steps(run: Run) -> list[Column]:
    """Give a stepwise run's columns: what was typed, and each mean with its uncertainty."""
    table = tables([run])[run.pk]
    columns = []
    for one in table.entered:
        texts = [row.entries[one.pk].text for row in table.rows if one.pk in row.entries]
        decimals = max((len(text.partition(".")[2]) for text in texts), default=one.decimals)
        columns.append(Column(_heading(one), table.readings(one).y, f"%.{decimals}f"))
    for one in table.measured:
        read = table.readings(one)
        form = f"%.{one.decimals + 3}f"  # a mean is finer than a single reading
        columns.append(Column(_heading(one), read.y, form))
        columns.append(Column(_heading_of_u(one), read.u, form))
    return columns


def _heading(quantity: Quantity) -> str:
    unit = typeset(parse(quantity.unit))
    return f"{quantity.symbol} / {unit}" if unit else quantity.symbol


def _heading_of_u(quantity: Quantity) -> str:
    unit = typeset(parse(quantity.unit))
    return f"u({quantity.symbol}) / {unit}" if unit else f"u({quantity.symbol})"


def _of_time(run: Run) -> list[Column]:
    columns, seen = [], set()
    several = run.streams.count() > 1
    measured = list(_measured(run))
    for series, found in zip(measured, of_series(measured), strict=True):
        if series.stream_id not in seen:
            seen.add(series.stream_id)
            whose = f" ({series.stream})" if several else ""
            columns.append(Column(f"t / s{whose}", found.t, "%.6f"))
        heading = _heading(series.quantity)
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
