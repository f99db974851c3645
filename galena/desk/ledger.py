"""The cards of the ledger, and what they draw on the graph."""

from dataclasses import dataclass

from galena.core import numbers, series
from galena.desk import findings, window
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
        return fit.model.equation.format(x="t", y=self.finding.quantity.symbol) if fit else ""

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
    trouble: str

    @property
    def asks(self):
        return QUESTIONS.values()


@dataclass(frozen=True)
class MarkerCard:
    marker: Marker
    text: str
    rows: list[dict]


def rows(sheet: Sheet) -> list[Row]:
    """Give all findings of a sheet that belong to kept runs, with their answers."""
    kept = Finding.objects.filter(span__sheet=sheet, run__removed_at=None)
    related = kept.select_related("span", "run", "quantity").order_by(
        "span_id", "kind", "run__number"
    )
    asked = list(related)
    return [Row(*pair) for pair in zip(asked, findings.answers(asked), strict=True)]


def cards(sheet: Sheet) -> tuple[list[SpanCard], list[MarkerCard]]:
    """Give the cards of a sheet's spans and markers."""
    runs = window.shown_runs(sheet)
    decimals = max((window.time_decimals(one.run) for one in runs), default=2)
    by_span: dict[int, list[Row]] = {}
    for row in rows(sheet):
        by_span.setdefault(row.finding.span_id, []).append(row)
    spans = [
        _span_card(span, by_span.get(span.pk, []), runs, decimals + 1) for span in sheet.spans.all()
    ]
    return spans, [_marker_card(one, sheet, runs, decimals) for one in sheet.markers.all()]


def _span_card(span: Span, found: list[Row], runs, decimals: int) -> SpanCard:
    counts = []
    for one in runs:
        part = series.inside(one.readings.t, span.lo, span.hi)
        counts.append((one.run.number, part.stop - part.start))
    trouble = ""
    if runs and not any(count for _, count in counts):
        trouble = "No reading of the shown runs lies in this span. Move it, or make it wider."
    lo, hi = numbers.fixed(span.lo, decimals), numbers.fixed(span.hi, decimals)
    return SpanCard(span, found, counts, lo, hi, trouble)


def _marker_card(marker: Marker, sheet: Sheet, runs, decimals: int) -> MarkerCard:
    found = []
    for one in runs:
        index = series.nearest(one.readings.t, marker.x)
        read = window.reading(one, index, sheet.quantity)
        if abs(read["x"] - marker.x) <= 0.75 / one.run.rate:
            found.append(read)
    return MarkerCard(marker, numbers.fixed(marker.x, decimals), found)


def overlay(sheet: Sheet, spans: list[SpanCard], markers: list[MarkerCard]) -> dict:
    """Say what is drawn over the readings: brackets, markers and fitted curves."""
    return {
        "spans": [
            {"id": card.span.pk, "letter": card.span.letter, "lo": card.span.lo, "hi": card.span.hi}
            for card in spans
        ],
        "markers": [
            {"id": card.marker.pk, "number": card.marker.number, "x": card.marker.x}
            for card in markers
        ],
        "curves": curves(sheet, [row for card in spans for row in card.rows]),
    }


def curves(sheet: Sheet, found: list[Row]) -> list[dict]:
    """Give the fits of the sheet's quantity as points: inside their span, and beyond it."""
    drawn = []
    for row in found:
        fit, finding = row.answer.fit, row.finding
        shown = finding.run.shown and finding.quantity_id == sheet.quantity_id
        if fit is None or not shown:
            continue
        lo, hi = finding.span.lo, finding.span.hi
        reach = (hi - lo) * 0.25
        places = [lo - reach, lo, hi, hi + reach]
        drawn.append(
            {
                "number": finding.run.number,
                "x": places,
                "y": fit.predict(places).tolist(),
            }
        )
    return drawn
