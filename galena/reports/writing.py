"""From the text of a report to its page: Markdown, references to findings, and the graph."""

import re
from collections.abc import Iterable
from dataclasses import dataclass

from django.template.loader import render_to_string
from django.utils.html import format_html
from django.utils.safestring import SafeString, mark_safe

from galena.core.errors import SeriesError
from galena.desk.drawing import figure, paper
from galena.desk.findings.questions import Estimate
from galena.desk.ledger import cards
from galena.desk.ledger.rows import Row, rows
from galena.desk.models import Sheet
from galena.reports.marked_up import html_of
from galena.reports.models import Report
from galena.shell.worker import WorkerError

_REFERENCE = re.compile(r"\{([^\W\d]\w*\.[a-z][\w#.]*)\}")
_GRAPH = re.compile(r"<p>\s*\{graph\}\s*</p>")


@dataclass(frozen=True)
class Reference:
    """A number of the ledger that text can refer to."""

    name: str
    row: Row
    estimate: Estimate

    @property
    def always(self) -> str:
        """A name that stays this number's, whatever else is asked."""
        finding = self.row.finding
        return f"{finding}#{finding.pk}.{self.estimate.key}"


@dataclass(frozen=True)
class Page:
    """The report as it prints, how many numbers it quotes, and which of them are unknown."""

    body: SafeString
    quoted: int
    unknown: list[str]


def references(sheet: Sheet) -> list[Reference]:
    """List the numbers of the ledger in the order of its cards."""
    # A finding whose readings are damaged has no estimate, and its reference is then unknown.
    return [
        Reference(name, row, estimate) for row in rows(sheet) for estimate, name in row.references
    ]


def set_page(report: Report, sheet: Sheet, usable: list[Reference]) -> Page:
    """Set the report's text."""
    by_name = {name: Reference(name, one.row, one.estimate) for one in usable
               for name in (one.name, one.always)}  # fmt: skip
    unknown: list[str] = []
    quoted = 0

    def number(match: re.Match) -> str:
        nonlocal quoted
        reference = by_name.get(match[1])
        if reference is None:
            unknown.append(match[1])
            return format_html('<mark class="unknown">no finding {}</mark>', match[1])
        quoted += 1
        estimate = reference.estimate
        return format_html(
            '<span class="quoted" title="{}">{} {}</span>',
            _origin(reference), estimate.text, estimate.unit_text,
        )  # fmt: skip

    try:
        html = html_of(report.text)
    except WorkerError as error:
        html = format_html('<p class="unknown">{} Your text is kept as it is.</p>', error)
    html = _REFERENCE.sub(number, html)
    if _GRAPH.search(html):
        drawn = _figure(sheet)
        html = _GRAPH.sub(lambda _: drawn, html)
    return Page(mark_safe(html), quoted, unknown)


def _origin(reference: Reference) -> str:
    return f"{reference.estimate.name}, {reference.row.description}"


def _once(traces: Iterable[figure.Trace]) -> list[figure.Trace]:
    """Give the traces of a figure, each run but once."""
    return list({one.number: one for one in traces}.values())


def _figure(sheet: Sheet) -> str:
    try:
        drawing = figure.of_sheet(sheet)
    except SeriesError as error:
        return format_html('<p class="unknown">{}</p>', error)
    span_cards = cards.of_sheet(sheet).spans
    spans = [card for card in span_cards if any(row.answer.fit for row in card.rows)]
    context = {
        "svg": mark_safe(paper.draw(drawing)),
        "sheet": sheet,
        "runs": _once(drawing.traces),
        "shown": figure.told_apart(sheet),
        "spans": spans,
        "has_fits": bool(drawing.curves),
        "straight": all(
            row.finding.kind in ("line", "proportional")
            for card in spans
            for row in card.rows
            if row.answer.fit
        ),
    }
    return render_to_string("reports/_figure.html", context)
