"""The cards of the ledger, and what they draw on the graph."""

from dataclasses import dataclass, field

import numpy as np

from galena.core import series
from galena.core.errors import FormulaError
from galena.core.formula import typesetting
from galena.core.formula.reading import rename
from galena.core.pooling import agreement
from galena.core.second_look.fits import FAR_OFF
from galena.core.symbols import plain
from galena.desk.findings.answers import RELATED, Answers, identity, said
from galena.desk.findings.questions import AT_HAND, FITS, QUESTIONS, Answer, Estimate, Question
from galena.desk.models import Finding, Marker, Note, Sheet, Span
from galena.desk.sheets import x_places
from galena.desk.traces import readout
from galena.desk.traces.drawn import Drawn, drawn
from galena.experiments.models import Condition
from galena.shell.templatetags.science import words


@dataclass(frozen=True)
class Row:
    """A finding with its answer. `number` tells references apart that would be the same."""

    finding: Finding
    answer: Answer
    is_alone: bool = True

    @property
    def label(self) -> str:
        """What was asked, in a word."""
        if self.finding.kind == "model":
            return "model"
        if self.finding.kind == "formula":
            return self.finding.name or "formula"
        return QUESTIONS[self.finding.kind].ask if self.finding.kind in QUESTIONS else "?"

    @property
    def is_fit(self) -> bool:
        return self.finding.kind in FITS

    @property
    def said(self) -> str:
        """It in words: line of A, run 1."""
        return said(self.finding)

    @property
    def formula(self) -> str:
        """The right side of its model, over this sheet's x; empty where it is no fit."""
        fit = self.answer.fit
        if fit is None:
            return str(self.finding.details.get("formula", ""))
        try:
            return rename(fit.model.formula, "x", self.finding.sheet.x_symbol)
        except FormulaError:
            return fit.model.formula

    @property
    def equation(self) -> str:
        """Its equation in one line of text."""
        if self.answer.fit is None:
            return ""
        y = plain(self.finding.quantity.symbol)
        return f"{y} = {self.formula}".replace("*", " · ").replace("  ", " ")

    @property
    def mathml(self) -> str:
        """Its equation as a textbook prints it."""
        if not self.formula:
            return ""
        left = self.finding.quantity.symbol if self.finding.quantity else self.finding.name
        try:
            return typesetting.mathml(self.formula, left)
        except FormulaError:
            return ""

    @property
    def references(self) -> list[tuple[Estimate, str]]:
        """Each estimate with the name under which text can refer to it."""
        base = str(self.finding)
        base = base if self.is_alone else f"{base}#{self.finding.pk}"
        return [(one, f"{base}.{one.key}") for one in self.answer.estimates]

    @property
    def also(self) -> list[tuple[Estimate, str]]:
        """Each estimate with the name that is never another's."""
        return [
            (one, f"{self.finding}#{self.finding.pk}.{one.key}") for one in self.answer.estimates
        ]

    @property
    def is_on_graph(self) -> bool:
        return bool(self.finding.notes.all())

    @property
    def shows_residuals(self) -> bool:
        return bool(self.finding.residuals.all())


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
    def also_of(self) -> str:
        """The further field that says of which quantity is asked, where there are several."""
        return f", #of-{self.span.pk}" if len(self.span.sheet.quantities) > 1 else ""

    @property
    def remarks(self) -> list[tuple[Row, str]]:
        """The second look on its findings."""
        return [(row, one) for row in self.rows for one in row.answer.remarks]

    @property
    def agreements(self) -> list[str]:
        """How the answers to one question agree from run to run, in their uncertainties."""
        groups: dict[tuple, list[Row]] = {}
        for row in self.rows:
            finding = row.finding
            counts = finding.run is not None and finding.run.shown
            if counts and row.answer.estimates and not row.answer.by_hand:
                key = identity(finding)
                groups.setdefault(key, []).append(row)
        return [told for rows in groups.values() if len(rows) > 1 for told in _agreement(rows)]

    @property
    def fits(self) -> list[Row]:
        return [row for row in self.rows if row.is_fit and not row.answer.trouble]

    @property
    def can_be_compared(self) -> bool:
        """Tell whether two models or more were fitted to the same readings."""
        of = [(row.finding.run_id, row.finding.quantity_id) for row in self.fits]
        return len(set(of)) < len(of)


def _agreement(rows: list[Row]) -> list[str]:
    """Say of each number whether the runs agree: how far the odd one lies from their mean."""
    sentences = []
    for estimate in rows[0].answer.estimates:
        pairs = [
            (row, other)
            for row in rows
            for other in row.answer.estimates
            if other.key == estimate.key and other.own_uncertainty > 0
        ]
        if len(pairs) < 2:
            continue
        judged = agreement(
            [other.value for _, other in pairs], [other.own_uncertainty for _, other in pairs]
        )
        how = "agree" if judged.agree else "do not agree"
        runs = [row.finding.run for row, _ in pairs]
        far = judged.apart >= FAR_OFF
        if len(runs) == 2:
            by = "far" if far else f"{judged.apart:.1f} of their uncertainties"
            words = f"{runs[0]} and {runs[1]} {how}, {by} apart"
        else:
            by = "far off" if far else f"by {judged.apart:.1f} of its uncertainty"
            odd = runs[judged.odd]
            words = f"the {len(runs)} runs {how}; {odd} lies farthest from their mean, {by}"
        sentences.append(f"{rows[0].label}, {estimate.name}: {words}")
    return sentences


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
    told: list[Question] = field(
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
    models: list[Question] = field(
        default_factory=lambda: [QUESTIONS[one] for one in FITS if not QUESTIONS[one].inputs]
    )


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


def rows(sheet: Sheet) -> list[Row]:
    """Give all findings of a sheet that belong to kept runs, with their answers."""
    related = (
        Finding.objects.filter(sheet=sheet)
        .exclude(run__removed_at__isnull=False)
        .select_related(*RELATED)
        .prefetch_related("notes", "residuals")
        .order_by("span_id", "marker_id", "kind", "run__number", "pk")
    )
    return _answered(list(related))


def of_span(sheet: Sheet, span: Span) -> list[Row]:
    """Give the findings of a span, with its ends as they are said to be."""
    kept = span.findings.exclude(run__removed_at__isnull=False).select_related("run", "quantity")
    findings = list(
        kept.prefetch_related("notes", "residuals").order_by("kind", "run__number", "pk")
    )
    for finding in findings:
        finding.sheet, finding.span = sheet, span
    return _answered(findings)


def _answered(findings: list[Finding]) -> list[Row]:
    answers = Answers(findings)
    names = [str(one) for one in findings]
    return [Row(one, answers.of(one), names.count(name) == 1)
            for one, name in zip(findings, names, strict=True)]  # fmt: skip


def symbols(rows_of_it: list[Row]) -> dict[str, tuple[Row, Estimate]]:
    """Give each number of a ledger a symbol for formulas, as slope_A1 or k_B2.

    A finding with a name has that; those that would have the same symbol have their key behind.
    """
    by_symbol: dict[str, tuple[Row, Estimate]] = {}
    named = [
        (row, estimate, _symbol(row, estimate))
        for row in rows_of_it
        for estimate in row.answer.estimates
    ]
    all_names = [name for *_, name in named]
    for row, estimate, name in named:
        own = name if all_names.count(name) == 1 else f"{name}n{row.finding.pk}"
        by_symbol[own] = (row, estimate)
    return by_symbol


def _symbol(row: Row, estimate: Estimate) -> str:
    finding = row.finding
    if finding.name:
        alone = len(row.answer.estimates) == 1
        return finding.name if alone else f"{finding.name}_{estimate.key.replace('_', '')}"
    number = finding.run.number if finding.run else ""
    at = finding.place.replace("=", "")
    key = (
        estimate.key
        if estimate.key not in ("value", "x", "y")
        else f"{finding.kind.replace('_', '')}{estimate.key}"
    )
    return f"{key.replace('_', '')}_{at}{number}"


def of_sheet(sheet: Sheet) -> Ledger:
    """Give the ledger of a sheet."""
    shown = drawn(sheet)
    runs = [one.read for one in shown if one.trace.graph.residuals_of_id is None]
    decimals = max((x_places.x_decimals(sheet, one.run) for one in runs), default=2)
    longest = max((float(one.readings.t[-1]) for one in runs), default=0.0)

    def at(x: float, more: int = 0) -> tuple[str, str]:
        return x_places.place(sheet, x, decimals + more, longest)

    all_rows = rows(sheet)
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
    spans = [_span_card(one, by_span.get(one.pk, []), runs, at) for one in sheet.spans.all()]
    markers = [
        _marker_card(one, shown, at, by_marker.get(one.pk, [])) for one in sheet.markers.all()
    ]
    return Ledger(sheet, spans, markers, built, all_rows)


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


def overlay(ledger: Ledger) -> dict:
    """Say what is drawn over the readings: brackets, markers, curves, areas and words."""
    shown = [row for row in ledger.rows if row.finding.run is None or row.finding.run.shown]
    return {
        "spans": [
            {"id": card.span.pk, "letter": card.span.letter, "lo": card.span.lo, "hi": card.span.hi}
            | {"name": card.span.name, "text": f"{card.lo_text} to {card.hi_text} {card.x_unit}"}
            for card in ledger.spans
        ],
        "markers": [
            {"id": card.marker.pk, "number": card.marker.number, "x": card.marker.x}
            | {"name": card.marker.name, "text": f"{card.text} {card.x_unit}"}
            for card in ledger.markers
        ],
        "curves": curves(shown),
        "areas": [_area(row) for row in shown if row.answer.area is not None],
        "notes": [note for row in ledger.rows for note in _notes(row)],
        "titles": {
            graph.pk: residuals_title(row)
            for row in ledger.rows for graph in row.finding.residuals.all()
        },
    }  # fmt: skip


def curves(rows_of_it: list[Row]) -> list[dict]:
    """Give fits as points: before their span, inside it, and after it; tangents as one piece."""
    drawn = []
    for row in rows_of_it:
        if row.answer.line is not None:
            xs, ys = row.answer.line
            drawn.append(_drawn(row) | {"parts": [[[], []], [list(xs), list(ys)], [[], []]]})
        if row.answer.fit is None or row.finding.span is None or not row.finding.run.shown:
            continue
        drawn.append(_drawn(row) | {"parts": parts(row.finding.span, row.answer.fit)})
    return drawn


def _drawn(row: Row) -> dict:
    finding = row.finding
    return {
        "id": finding.pk, "number": finding.run.number, "marked": finding.run.marked,
        "quantity": finding.quantity_id, "hand": row.answer.by_hand,
    }  # fmt: skip


def parts(span: Span, fit) -> list[list]:
    """Give a fit as points before its span, inside it and after it; gaps where it has no value."""
    lo, hi = span.lo, span.hi
    reach = (hi - lo) * 0.25
    ends = [(lo - reach, lo, 24), (lo, hi, 240), (hi, hi + reach, 24)]
    pieces = []
    for stretch in ends:
        x = np.linspace(*stretch)
        y = fit.predict(x)
        good = np.isfinite(y) & ~fit.model.outside(x)
        pieces.append([x[good].tolist(), y[good].tolist()])
    return pieces


def _area(row: Row) -> dict:
    lo, hi, low, high = row.answer.area
    finding = row.finding
    return {
        "number": finding.run.number, "marked": finding.run.marked, "quantity": finding.quantity_id,
        "lo": lo, "hi": hi, "base": [low, high],
    }  # fmt: skip


def _notes(row: Row) -> list[dict]:
    notes: list[Note] = list(row.finding.notes.all())
    if not notes or row.answer.at is None:
        return []
    x, y = row.answer.at
    text = on_graph(row)
    return [{"id": one.pk, "text": text, "html": words(text), "x": x, "y": y} for one in notes]


def on_graph(row: Row) -> str:
    """Write a finding as it stands in a graph: its equation and its numbers."""
    numbers = [
        f"{one.name} = {one.text} {one.unit_text}".strip()
        if row.is_fit or len(row.answer.estimates) > 1
        else f"{one.text} {one.unit_text}".strip()
        for one in row.answer.estimates[:5]
    ]
    if row.answer.trouble:
        return f"{row.label}: {row.answer.trouble}"
    first = row.equation if row.is_fit else row.label
    return first + ("; " if row.is_fit else " ") + ", ".join(numbers)


def residuals_title(row: Row) -> str:
    """Say what residuals show, over their graph."""
    signs = row.answer.signs
    run = f"run {row.finding.run.number}"
    if signs is None:
        return f"residuals, {run}: {row.answer.trouble}"
    return f"residuals of {row.label}, {run}: {signs.said}"
