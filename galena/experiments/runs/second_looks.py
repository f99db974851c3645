"""The second look on a run: gathers what core.second_look_recording asks for, keeps its remarks."""

import numpy as np

from galena.core import second_look, second_look_recording, symbols
from galena.core.errors import SeriesError
from galena.core.second_look import Remark
from galena.experiments.data.readings import of_series, raw_of
from galena.experiments.models import Run, Series
from galena.experiments.runs.stepwise import Table, tables


def look(run: Run) -> list[Remark]:
    """Look at a run that has ended, or a stepwise one so far, and keep what is remarked on."""
    try:
        remarks = _stepwise(run) if run.is_stepwise else _timed(run)
    except SeriesError:
        remarks = []  # what is damaged is said wherever the run is shown
    run.remarks = [[one.said, one.advice] for one in dict.fromkeys(remarks)]
    run.save(update_fields=["remarks"])
    return remarks


def unchanged_rows(table: Table, *, live: bool = False) -> dict[int, Remark]:
    """Give by place in the table the readings that did not change though the setting did."""
    if len(table.entered) != 1:
        return {}  # with several settings any one of them may have stayed on purpose
    settings = table.readings(table.entered[0]).y
    found: dict[int, Remark] = {}
    for quantity in table.measured:
        column = table.readings(quantity)
        u = np.zeros_like(column.y) if column.u is None else column.u
        for place, remark in second_look_recording.unchanged_steps(
            settings, column.y, u, name=symbols.plain(table.entered[0].symbol), live=live
        ).items():
            found.setdefault(place, remark)
    return found


def _timed(run: Run) -> list[Remark]:
    series = _measured(run)
    raw = raw_of(series)
    remarks: list[Remark | None] = []
    for one, readings in zip(series, of_series(series), strict=True):
        if not len(readings):
            continue
        name = symbols.plain(one.quantity.symbol)
        own = [
            second_look_recording.too_few_across(
                readings.t, readings.y, one.max_rate or run.rate or 1.0
            ),
            _limit(one, raw[one.pk]),
            second_look_recording.identical(readings.t, raw[one.pk][: len(readings)]),
        ]
        if run.plan == Run.Plan.STEADY and run.duration is not None:
            own.append(second_look_recording.not_settled(readings.t, readings.y))
        remarks += [Remark(f"{name}: {one.said}", one.advice) for one in own if one is not None]
    for stream in run.streams.all():
        taken = max((raw[one.pk].size for one in series if one.stream_id == stream.pk), default=0)
        remarks.append(second_look_recording.lines_lost(taken, stream.lost, stream.garbled))
    remarks.append(_zeros(series))
    return [one for one in remarks if one is not None]


def _stepwise(run: Run) -> list[Remark]:
    series = _measured(run)
    raw = raw_of(series)
    remarks: list[Remark | None] = [_limit(one, raw[one.pk]) for one in series]
    table = tables([run])[run.pk]
    for place, remark in unchanged_rows(table).items():
        row = table.rows[place].number
        remarks.append(Remark(f"Row {row}: {_small(remark.said)}", remark.advice))
    remarks.append(_zeros(series))
    return [one for one in remarks if one is not None]


def _measured(run: Run) -> list[Series]:
    found = Series.objects.filter(stream__run=run).exclude(quantity=None)
    return list(found.select_related("quantity", "stream__run"))


def _limit(series: Series, raw: np.ndarray) -> Remark | None:
    if series.minimum is None or series.maximum is None or not series.resolution:
        return None
    return second_look_recording.at_limit(
        raw, series.minimum, series.maximum, series.resolution, series.unit
    )


def _zeros(series: list[Series]) -> Remark | None:
    names = [
        one.quantity.name
        for one in series
        if one.zero is None and second_look.needs_zero(one.unit) and one.calibration is None
    ]
    return second_look.never_zeroed(list(dict.fromkeys(names)))


def _small(text: str) -> str:
    return text[:1].lower() + text[1:]
