"""The rows of a ledger: findings with their answers, and the symbols of their numbers."""

from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass

from django.db.models import QuerySet

from galena.core.errors import FormulaError
from galena.core.formula import typesetting
from galena.core.formula.parsing import rename
from galena.core.symbols import is_symbol, plain
from galena.desk.findings.answers import Answers, description
from galena.desk.findings.questions import FITS, QUESTIONS, Answer, Estimate
from galena.desk.models import Finding, Graph, Marker, Note, Sheet, Span
from galena.experiments.models import Quantity, Run
from galena.shell.prepared import attach, prepared_objects


@dataclass(frozen=True)
class Row:
    """A finding with its answer.

    is_alone: whether no other is referred to by the same name; is_of_several: whether its sheet
    has other quantities than its own.
    """

    finding: Finding
    answer: Answer
    is_alone: bool = True
    is_of_several: bool = False

    @property
    def label(self) -> str:
        """What was asked, in a word."""
        if self.finding.kind == "model":
            return "model"
        if self.finding.kind == "formula":
            return self.finding.name or "formula"
        return QUESTIONS[self.finding.kind].ask if self.finding.kind in QUESTIONS else "?"

    @property
    def quantity(self) -> str:
        """The symbol of its quantity, where that has to be told; else nothing."""
        of = self.finding.quantity
        return of.symbol if self.is_of_several and of is not None else ""

    @property
    def is_fit(self) -> bool:
        return self.finding.kind in FITS

    @property
    def description(self) -> str:
        """It in words: line of A, run 1."""
        return description(self.finding)

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
        return bool(self.finding.its_notes)

    @property
    def shows_residuals(self) -> bool:
        return bool(self.finding.residual_graphs)


def rows(
    sheet: Sheet, spans: Iterable[Span] | None = None, markers: Iterable[Marker] | None = None
) -> list[Row]:
    """Give all findings of a sheet that belong to kept runs, with their answers.

    spans, markers: all of the sheet, where they are at hand.
    """
    findings = prepared_objects("findings of a sheet", _kept_of, sheet.pk)
    if not findings:
        return []
    run_of = {one.pk: one for one in prepared_objects("runs of findings", _runs_of, sheet.pk)}
    quantities = prepared_objects("quantities of findings", _quantities_of, sheet.pk)
    quantity_of = {one.pk: one for one in quantities}
    span_of = {one.pk: one for one in (sheet.spans.all() if spans is None else spans)}
    marker_of = {one.pk: one for one in (sheet.markers.all() if markers is None else markers)}
    for finding in findings:
        attach(
            finding,
            run=run_of.get(finding.run_id),
            quantity=quantity_of.get(finding.quantity_id),
            sheet=sheet,
            span=span_of.get(finding.span_id),
            marker=marker_of.get(finding.marker_id),
            second=marker_of.get(finding.second_id),
        )
    notes = prepared_objects("notes of findings", _notes_of, sheet.pk)
    graphs = prepared_objects("residual graphs", _residual_graphs_of, sheet.pk)
    return _answered(sheet, findings, notes, graphs)


def _kept_of(sheet: int) -> QuerySet[Finding]:
    kept = Finding.objects.filter(sheet=sheet).exclude(run__removed_at__isnull=False)
    return kept.order_by("span_id", "marker_id", "kind", "run__number", "pk")


def _runs_of(sheet: int) -> QuerySet[Run]:
    return Run.objects.filter(finding__sheet=sheet).distinct()


def _quantities_of(sheet: int) -> QuerySet[Quantity]:
    return Quantity.objects.filter(finding__sheet=sheet).distinct()


def _notes_of(sheet: int) -> QuerySet[Note]:
    return Note.objects.filter(finding__sheet=sheet)


def _residual_graphs_of(sheet: int) -> QuerySet[Graph]:
    return Graph.objects.filter(residuals_of__sheet=sheet)


def of_span(sheet: Sheet, span: Span) -> list[Row]:
    """Give the findings of a span, with its ends as they are said to be."""
    kept = span.findings.exclude(run__removed_at__isnull=False).select_related("run", "quantity")
    findings = list(kept.order_by("kind", "run__number", "pk"))
    for finding in findings:
        finding.sheet, finding.span = sheet, span
    notes = Note.objects.filter(finding__in=findings)
    return _answered(sheet, findings, notes, Graph.objects.filter(residuals_of__in=findings))


def _answered(
    sheet: Sheet, findings: list[Finding], notes: Iterable[Note], graphs: Iterable[Graph]
) -> list[Row]:
    _put_what_is_on_graphs(findings, notes, graphs)
    answers = Answers(findings)
    names = [str(one) for one in findings]
    times = Counter(names)
    is_of_several = len(sheet.quantities) > 1
    return [Row(one, answers.of(one), times[name] == 1, is_of_several)
            for one, name in zip(findings, names, strict=True)]  # fmt: skip


def _put_what_is_on_graphs(
    findings: list[Finding], notes: Iterable[Note], graphs: Iterable[Graph]
) -> None:
    """Give findings their notes and residual graphs, as lists: to prefetch them makes a query set
    for each finding, which takes longer than all else of it."""
    by_key: dict[int | None, Finding] = {one.pk: one for one in findings}
    for finding in findings:
        finding.its_notes, finding.residual_graphs = [], []
    for note in notes:
        if note.finding_id in by_key:
            by_key[note.finding_id].its_notes.append(note)
    for graph in graphs:
        if graph.residuals_of_id in by_key:
            by_key[graph.residuals_of_id].residual_graphs.append(graph)


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
    times = Counter(name for *_, name in named)
    for row, estimate, name in named:
        own = name if times[name] == 1 else f"{name}n{row.finding.pk}"
        by_symbol[own] = (row, estimate)
    return by_symbol


def _symbol(row: Row, estimate: Estimate) -> str:
    finding = row.finding
    if finding.name:
        alone = len(row.answer.estimates) == 1
        return finding.name if alone else f"{finding.name}_{estimate.key.replace('_', '')}"
    number = finding.run.number if finding.run else ""
    at = finding.place.replace("=", "")
    key, kind = estimate.key.replace("_", ""), finding.kind.replace("_", "")
    on_axis = {
        "x": finding.sheet.x_symbol,
        "y": finding.quantity.symbol if finding.quantity else "",
    }
    axis = plain(on_axis.get(key, "")).replace("_", "")
    if is_symbol(axis):  # the place of a peak is a t or an h there: t_peakA1
        return f"{axis}_{kind}{at}{number}"
    return f"{kind + key if key in ('value', 'x', 'y') else key}_{at}{number}"
