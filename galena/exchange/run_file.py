"""What a file of a run holds: lines on where the readings come from, and columns."""

import math
from collections.abc import Iterator

from django.utils.timezone import localtime

from galena.core.errors import FormulaError
from galena.core.formats.sheets import Column, Sheet
from galena.core.units import parse, typeset
from galena.experiments import columns
from galena.experiments.data.rows import Column as RunColumn
from galena.experiments.models import Quantity, Run, Series, Stream


def sheet_of(run: Run) -> Sheet:
    """Give a run as a table. Raises SeriesError where it cannot be read."""
    return Sheet(f"run {run.number}", tuple(head_of(run)), tuple(columns_of(run)))


def head_of(run: Run) -> list[str]:
    """Say where the readings of a run come from, in lines."""
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
    for series in _series_of(run):
        line = f"{series.quantity.symbol}: {series.quantity.name} in {series.quantity.unit}"
        lines.append(", ".join([line, str(series.stream), *series.corrections_said]))
    return lines


def columns_of(run: Run) -> list[Column]:
    """Give all columns of a run: times, what was measured or typed, and what formulas give."""
    of_run = columns.of_run(run)
    several = len(of_run.blocks) > 1
    listed: list[Column] = []
    for block in of_run.blocks:
        if block.in_time and block.times is not None:
            whose = f" ({block.stream})" if several else ""
            listed.append(Column(f"t / s{whose}", block.times, time_form(block.stream)))
        for column in block.columns.values():
            listed += _written(column)
    for quantity in run.experiment.derived:
        try:
            column = of_run.column(quantity)
        except FormulaError:
            continue
        if column is not None:
            listed += _written(column)
    return listed


def time_form(stream: Stream | None) -> str:
    """Say how times are written: to the microsecond, or to what its clock ticks in if finer."""
    finer = 0 if stream is None or stream.scale > 0.5 else round(-math.log10(stream.scale))
    return f"%.{6 + finer}f"


def _written(column: RunColumn) -> Iterator[Column]:
    form = f"%.{column.file_decimals}f"
    yield Column(heading(column.quantity), column.readings.y, form)
    if column.u_shown is not None:
        yield Column(_heading_of_u(column.quantity), column.u_shown, form)


def heading(quantity: Quantity) -> str:
    """Head a column: its symbol and its unit."""
    unit = typeset(parse(quantity.unit))
    return f"{quantity.symbol} / {unit}" if unit else quantity.symbol


def _heading_of_u(quantity: Quantity) -> str:
    unit = typeset(parse(quantity.unit))
    return f"u({quantity.symbol}) / {unit}" if unit else f"u({quantity.symbol})"


def _series_of(run: Run):
    measured = Series.objects.filter(stream__run=run).exclude(quantity=None)
    return measured.select_related("quantity", "stream__run").order_by("stream_id", "pk")
