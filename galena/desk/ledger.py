"""The cards of the ledger, and what they draw on the graph."""

from dataclasses import dataclass

import numpy as np

from galena.core import series
from galena.desk import findings, reading, window
from galena.desk.models import Finding, Marker, Sheet, Span
from galena.desk.questions import QUESTIONS, Answer


@dataclass(frozen=True)
class Row:
    """A finding with its answer."""

    finding: Finding
    answer: Answer

    @property
    def label(self) -> str:
        return QUESTIONS[self.finding.kind].ask

    @property
    def equation(self) -> str:
        fit = self.answer.fit
        if fit is None:
            return ""
        x = self.finding.span.sheet.x_symbol
        return fit.model.equation.format(x=x, y=self.finding.quantity.symbol)

    @property
    def references(self) -> list[tuple[object, str]]:
        """Each estimate with the name under which text can refer to it."""
        return [(one, f"{self.finding}.{one.key}") for one in self.answer.estimates]


@dataclass(frozen=True)
class SpanCard:
    span: Span
    rows: list[Row]
    counts: list[tuple[int, int]]
    lo_text: str
    hi_text: str
    x_unit: str
    trouble: str

    @property
    def asks(self):
        return QUESTIONS.values()


@dataclass(frozen=True)
class MarkerCard:
    marker: Marker
    text: str
    x_unit: str
    rows: list[dict]


def rows(sheet: Sheet) -> list[Row]:
    """Give all findings of a sheet that belong to kept runs, with their answers."""
    kept = Finding.objects.filter(span__sheet=sheet, run__removed_at=None)
    related = kept.select_related("span__sheet__x", "run", "quantity").order_by(
        "span_id", "kind", "run__number"
    )
    asked = list(related)
    return [Row(*pair) for pair in zip(asked, findings.answers(asked), strict=True)]


def cards(sheet: Sheet) -> tuple[list[SpanCard], list[MarkerCard]]:
    """Give the cards of a sheet's spans and markers."""
    shown = window.drawn(sheet)
    runs = [one.read for one in shown]
    decimals = max((reading.x_decimals(sheet, one.run) for one in runs), default=2)
    longest = max((float(one.readings.t[-1]) for one in runs), default=0.0)

    def said(x: float, more: int = 0) -> tuple[str, str]:
        return reading.place(sheet, x, decimals + more, longest)

    by_span: dict[int, list[Row]] = {}
    for row in rows(sheet):
        by_span.setdefault(row.finding.span_id, []).append(row)
    spans = [_span_card(span, by_span.get(span.pk, []), runs, said) for span in sheet.spans.all()]
    return spans, [_marker_card(one, shown, said) for one in sheet.markers.all()]


def _span_card(span: Span, found: list[Row], runs, said) -> SpanCard:
    counts: dict[int, tuple[int, int]] = {}
    for one in runs:
        part = series.inside(one.readings.t, span.lo, span.hi)
        inside = one.readings.at(part).counted
        before = counts.get(one.run.pk, (0, 0))[1]
        counts[one.run.pk] = (one.run.marked, max(before, len(inside)))
    trouble = ""
    if runs and not any(count for _, count in counts.values()):
        trouble = "No reading of the shown runs lies in this span. Move it, or make it wider."
    (lo, unit), (hi, _) = said(span.lo, 1), said(span.hi, 1)
    return SpanCard(span, found, list(counts.values()), lo, hi, unit, trouble)


def _marker_card(marker: Marker, shown: list[window.Drawn], said) -> MarkerCard:
    found = {}
    for one in shown:
        index = series.nearest(one.read.readings.t, marker.x)
        if one.read.has_near(index, marker.x):
            quantity = one.read.quantity
            read = reading.reading(one.read, index, quantity)
            key = (quantity.pk, one.read.run.pk)
            found[key] = read | {"symbol": quantity.symbol, "unit": quantity.unit}
    text, unit = said(marker.x)
    return MarkerCard(marker, text, unit, list(found.values()))


def overlay(sheet: Sheet, spans: list[SpanCard], markers: list[MarkerCard]) -> dict:
    """Say what is drawn over the readings: brackets, markers and fitted curves."""
    return {
        "spans": [
            {"id": card.span.pk, "letter": card.span.letter, "lo": card.span.lo, "hi": card.span.hi}
            | {"name": card.span.name, "text": f"{card.lo_text} to {card.hi_text} {card.x_unit}"}
            for card in spans
        ],
        "markers": [
            {"id": card.marker.pk, "number": card.marker.number, "x": card.marker.x}
            | {"name": card.marker.name, "text": f"{card.text} {card.x_unit}"}
            for card in markers
        ],
        "curves": curves([row for card in spans for row in card.rows]),
    }


def curves(found: list[Row]) -> list[dict]:
    """Give the fits as points: before their span, inside it, and after it."""
    drawn = []
    for row in found:
        fit, finding = row.answer.fit, row.finding
        if fit is None or not finding.run.shown:
            continue
        lo, hi = finding.span.lo, finding.span.hi
        reach = (hi - lo) * 0.25
        ends = [(lo - reach, lo, 12), (lo, hi, 80), (hi, hi + reach, 12)]
        parts = [np.linspace(*one) for one in ends]
        drawn.append(
            {
                "number": finding.run.number,
                "marked": finding.run.marked,
                "quantity": finding.quantity_id,
                "parts": [[x.tolist(), fit.predict(x).tolist()] for x in parts],
            }
        )
    return drawn
