"""The cards of the ledger, and what they draw on the graph."""

from dataclasses import dataclass, field

from django.db.models import QuerySet

from galena.core import series
from galena.desk.findings.answers import identity
from galena.desk.findings.questions import AT_HAND, FITS, QUESTIONS, Estimate, Question
from galena.desk.ledger.agreeing import agreement_line
from galena.desk.ledger.folding import Folded, lines_of
from galena.desk.ledger.groups import Group, groups_of
from galena.desk.ledger.links import LINKS, Link
from galena.desk.ledger.rows import Row, rows, symbols
from galena.desk.models import Marker, Sheet, Span
from galena.desk.sheets import x_places
from galena.desk.traces import readout
from galena.desk.traces.drawn import Drawn, drawn
from galena.experiments.models import Condition
from galena.shell.prepared import prepared_objects
from galena.shell.templatetags.addresses import address


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
    def at(self) -> str:
        """What the ids of its fields end with."""
        return f"s{self.span.pk}"

    @property
    def groups(self) -> list[Group]:
        """Its findings, the answers of several runs to one question together."""
        return groups_of(self.rows)

    @property
    def folded(self) -> Folded:
        """What it shows when it is folded."""
        span, (lines, more) = self.span, lines_of(self.rows)
        ledger = address("ledger", (span.sheet.experiment_id, span.sheet_id))
        return Folded(
            span.pk, span.letter, span.name, f"{self.lo_text} – {self.hi_text} {self.x_unit}",
            lines, more, self.trouble, f"{ledger}?open={span.pk}",
        )  # fmt: skip

    @property
    def remarks(self) -> list[tuple[Row, str]]:
        """The second look on its findings."""
        return [(row, one) for row in self.rows for one in row.answer.remarks]

    @property
    def agreements(self) -> list[str]:
        """How the answers to each question agree from run to run, a line a question."""
        groups: dict[tuple, list[Row]] = {}
        for row in self.rows:
            finding = row.finding
            counts = finding.run is not None and finding.run.shown
            if counts and row.answer.estimates and not row.answer.by_hand and not finding.is_built:
                key = identity(finding)
                groups.setdefault(key, []).append(row)
        lines = [agreement_line(rows) for rows in groups.values() if len(rows) > 1]
        return [line for line in lines if line]

    @property
    def fits(self) -> list[Row]:
        return [row for row in self.rows if row.is_fit and not row.answer.trouble]

    @property
    def can_be_compared(self) -> bool:
        """Tell whether two models or more were fitted to the same readings."""
        of = [(row.finding.run_id, row.finding.quantity_id) for row in self.fits]
        return len(set(of)) < len(of)


@dataclass(frozen=True)
class MarkerCard:
    marker: Marker
    text: str
    x_unit: str
    readings: list[dict]
    rows: list[Row] = field(default_factory=list)

    @property
    def at(self) -> str:
        """What the ids of its fields end with."""
        return f"m{self.marker.pk}"

    @property
    def groups(self) -> list[Group]:
        """Its findings, the answers of several runs to one question together."""
        return groups_of(self.rows)

    @property
    def remarks(self) -> list[tuple[Row, str]]:
        return [(row, one) for row in self.rows for one in row.answer.remarks]


@dataclass(frozen=True)
class Asks:
    """The questions that cards offer."""

    at_hand: list[Question] = field(default_factory=lambda: [QUESTIONS[one] for one in AT_HAND])
    more: list[Question] = field(
        default_factory=lambda: [
            one for one in QUESTIONS.values()
            if one.of == "span" and one.key not in (*AT_HAND, *FITS) and not one.inputs
        ]
    )  # fmt: skip
    with_inputs: list[Question] = field(
        default_factory=lambda: [
            one for one in QUESTIONS.values()
            if one.of == "span" and one.inputs and one.key not in FITS
        ]
    )  # fmt: skip
    of_fit: list[Question] = field(
        default_factory=lambda: [
            one for one in QUESTIONS.values() if one.of == "fit" and one.inputs
        ]
    )  # fmt: skip
    of_marker: list[Question] = field(
        default_factory=lambda: [one for one in QUESTIONS.values() if one.of == "marker"]
    )
    links: list[Link] = field(default_factory=lambda: list(LINKS))


@dataclass(frozen=True)
class Held:
    """A condition or a given: its symbol, its name, its value as typed, and its unit."""

    symbol: str
    name: str
    text: str
    unit: str
    kind: str


@dataclass(frozen=True)
class Ledger:
    """All cards of a sheet: those of spans, of markers, and what is built of findings."""

    sheet: Sheet
    spans: list[SpanCard]
    markers: list[MarkerCard]
    built: list[Row]
    rows: list[Row]

    @property
    def built_groups(self) -> list[Group]:
        """What is built of findings, each by itself."""
        return [Group([row]) for row in self.built]

    @property
    def numbers(self) -> list[tuple[Row, Estimate, str]]:
        """Every number with its symbol for formulas."""
        return [(row, one, symbol) for symbol, (row, one) in symbols(self.rows).items()]

    @property
    def held(self) -> list[Held]:
        """The conditions and givens that formulas may name."""
        experiment = self.sheet.experiment
        of_runs = experiment.conditions.filter(kind=Condition.Kind.NUMBER).exclude(symbol="")
        return [
            *(Held(one.symbol, one.name, "", one.unit, "condition") for one in of_runs),
            *(Held(one.symbol, one.name, one.text, one.unit, "given")
              for one in experiment.givens.all()),
        ]  # fmt: skip


def of_sheet(sheet: Sheet) -> Ledger:
    """Give the ledger of a sheet."""
    shown = drawn(sheet)
    runs = [one.read for one in shown if one.trace.graph.residuals_of_id is None]
    decimals = max((x_places.x_decimals(sheet, one.run) for one in runs), default=2)
    longest = max((float(one.readings.t[-1]) for one in runs), default=0.0)

    def at(x: float, more: int = 0) -> tuple[str, str]:
        return x_places.place(sheet, x, decimals + more, longest)

    all_spans = prepared_objects("spans of a sheet", _spans_of, sheet.pk)
    all_markers = prepared_objects("markers of a sheet", _markers_of, sheet.pk)
    for span in all_spans:
        span.sheet = sheet
    for marker in all_markers:
        marker.sheet = sheet
    all_rows = rows(sheet, all_spans, all_markers)
    by_span: dict[int, list[Row]] = {}
    by_marker: dict[int, list[Row]] = {}
    built = []
    for row in all_rows:
        if row.finding.span_id:
            by_span.setdefault(row.finding.span_id, []).append(row)
        elif row.finding.marker_id:
            by_marker.setdefault(row.finding.marker_id, []).append(row)
        else:
            built.append(row)
    spans = [_span_card(one, by_span.get(one.pk, []), runs, at) for one in all_spans]
    markers = [_marker_card(one, shown, at, by_marker.get(one.pk, [])) for one in all_markers]
    return Ledger(sheet, spans, markers, built, all_rows)


def _spans_of(sheet: int) -> QuerySet[Span]:
    return Span.objects.filter(sheet=sheet)


def _markers_of(sheet: int) -> QuerySet[Marker]:
    return Marker.objects.filter(sheet=sheet)


def _span_card(span: Span, rows_of_it: list[Row], runs, at) -> SpanCard:
    counts: dict[int, tuple[int, int]] = {}
    for read in runs:
        part = series.inside(read.readings.t, span.lo, span.hi)
        inside = read.readings.at(part).counted
        before = counts.get(read.run.pk, (0, 0))[1]
        counts[read.run.pk] = (read.run.marked, max(before, len(inside)))
    trouble = ""
    if runs and not any(count for _, count in counts.values()):
        trouble = "No reading of the shown runs lies in this span. Move it, or make it wider."
    (lo, unit), (hi, _) = at(span.lo, 1), at(span.hi, 1)
    return SpanCard(span, rows_of_it, list(counts.values()), lo, hi, unit, trouble)


def _marker_card(marker: Marker, shown: list[Drawn], at, rows: list[Row]) -> MarkerCard:
    by_quantity = {}
    for drawn_run in shown:
        if drawn_run.trace.graph.residuals_of_id is not None:
            continue
        index = series.nearest(drawn_run.read.readings.t, marker.x)
        if drawn_run.read.has_near(index, marker.x):
            quantity = drawn_run.read.quantity
            read = readout.reading(drawn_run.read, index, quantity)
            key = (quantity.pk, drawn_run.read.run.pk)
            by_quantity[key] = read | {"symbol": quantity.symbol, "unit": quantity.unit}
    text, unit = at(marker.x)
    return MarkerCard(marker, text, unit, list(by_quantity.values()), rows)
