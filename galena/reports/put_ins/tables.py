"""Tables: readings of runs, harvests, conditions, findings, and the calibrations that were used."""

import re

from django.utils.html import format_html

from galena.core.numbers import grouped
from galena.core.symbols import plain
from galena.desk.tables.table import RunTable, table_of
from galena.experiments.models import Run, Series
from galena.reports.put_ins.put_in import Asked, Choice, Piece, PutIn, PutInError, Rows
from galena.reports.source import Source

MOST_ROWS = 40  # that are printed unless more are asked for
MOST_ASKED = 1000
_ROWS = re.compile(r"rows\s+(\d+)\s*(?:-|to|\.\.)\s*(\d+)")


def _choices(source: Source) -> list[Choice]:
    listed = [
        Choice(f"readings of run {run.number}" + (f", {run.label}" if run.label else ""),
               f"{{table run {run.number}}}", "", run.marked)
        for run in source.runs
    ]  # fmt: skip
    if source.runs:
        listed.append(Choice("conditions of the runs", "{table conditions}"))
    if source.rows:
        listed.append(Choice("all findings", "{table findings}"))
    if _calibrated(source):
        listed.append(Choice("calibrations used", "{table calibrations}"))
    return listed


def _set(asked: Asked, source: Source) -> Piece:
    if asked.of in _LISTS:
        rows, caption = _LISTS[asked.of](source)
        return _piece(rows, caption)
    run = source.run(asked.of)
    rows = _readings(table_of(run), asked)
    what = "Harvest" if run.kind.is_summary else f"Readings of run {run.number}"
    label = f"{what}: {run.label}." if run.label else f"{what}."
    return _piece(rows, label)


def _piece(rows: Rows, caption: str) -> Piece:
    head = format_html("<tr>{}</tr>", _joined("<th>{}</th>", rows.heads))
    body = _joined("{}", [format_html("<tr>{}</tr>", _joined("<td>{}</td>", row))
                          for row in rows.rows])  # fmt: skip
    html = format_html('<table class="data"><thead>{}</thead><tbody>{}</tbody></table>', head, body)
    if rows.more:
        html += format_html('<p class="unprinted">{}</p>', rows.more)
    return Piece("table", html, "", format_html("{}", caption), caption, rows=rows)


def _joined(form: str, parts):
    from django.utils.html import format_html_join

    return format_html_join("", form, ((part,) for part in parts))


def _readings(table: RunTable, asked: Asked) -> Rows:
    """Give the columns and rows of a run that are asked for. Raises PutInError."""
    first, last = 1, MOST_ROWS
    wanted: list[str] = []
    for option in asked.options:
        if match := _ROWS.fullmatch(option):
            first, last = int(match[1]), int(match[2])
            if not 1 <= first <= last or last - first >= MOST_ASKED:
                raise PutInError(f"“{option}”: at most {MOST_ASKED} rows, as in rows 1-20")
        else:
            wanted += [part.strip() for part in option.split(",")]
    columns = list(enumerate(table.columns))
    if wanted:
        by_symbol = {plain(one.symbol) or one.name: (at, one) for at, one in columns}
        if missing := [one for one in wanted if plain(one) not in by_symbol]:
            raise PutInError(f"run {table.run.number} has no column {missing[0]}")
        columns = [by_symbol[plain(one)] for one in wanted]
    heads = [_head(one.symbol or one.name, one.unit) for _, one in columns]
    rows = [
        [one.text(row) for _, one in columns] for row in range(first - 1, min(last, table.count))
    ]
    printed = len(rows)
    more = (
        f"{grouped(printed)} of {grouped(table.count)} rows are printed."
        if printed < table.count
        else ""
    )
    return Rows(heads, rows, more)


def _head(symbol: str, unit: str) -> str:
    return f"{plain(symbol)} / {unit}" if unit else plain(symbol)


def _conditions(source: Source) -> tuple[Rows, str]:
    conditions = list(source.experiment.conditions.all())
    heads = ["run", *(_head(one.symbol or one.name, one.unit) for one in conditions)]
    rows = []
    for run in source.runs:
        held = {one.condition_id: one.text for one in run.condition_values.all()}
        rows.append([str(run.number), *(held.get(one.pk, "") for one in conditions)])
    return Rows(heads, rows), "Conditions of the runs."


def _findings(source: Source) -> tuple[Rows, str]:
    rows = [
        [reference.row.description, plain(reference.estimate.name),
         f"{reference.estimate.text} {reference.estimate.unit_text}".rstrip()]
        for reference in source.references
    ]  # fmt: skip
    more = ""
    if len(rows) > MOST_ROWS:
        more, rows = f"{MOST_ROWS} of {len(rows)} numbers are printed.", rows[:MOST_ROWS]
    return Rows(["asked of", "number", "value"], rows, more), "Findings."


def _calibrated(source: Source) -> list[tuple[Run, Series]]:
    series = Series.objects.filter(stream__run__in=source.runs).exclude(calibration=None)
    listed = series.select_related("quantity", "stream__run").order_by("stream__run__number", "pk")
    return [(one.stream.run, one) for one in listed]


def _calibrations(source: Source) -> tuple[Rows, str]:
    rows = []
    for run, series in _calibrated(source):
        record = series.record
        assert record is not None
        curve = record.calibration
        rows.append([f"run {run.number}", f"{record.quantity} from {series.stream}", curve.model,
                     f"{len(record.standards)}", record.made_at, record.made_by])  # fmt: skip
    if not rows:
        raise PutInError("no run uses a calibration")
    heads = ["run", "gives", "curve", "standards", "made", "by"]
    return Rows(heads, rows), "Calibrations used."


_LISTS = {"conditions": _conditions, "findings": _findings, "calibrations": _calibrations}
TABLE = PutIn("table", "Tables", _choices, _set, is_block=True)
