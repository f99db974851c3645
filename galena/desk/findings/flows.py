"""All changes of findings: asked, built on others, refitted, shown on the graph, taken away."""

import math
from typing import Any

from django.db import transaction

from galena.core import fits
from galena.core.errors import FitError, GalenaError, UnknownSymbolError
from galena.core.fits.solving import AnyModel
from galena.core.fits.starts import starts
from galena.core.formula.constants import constants
from galena.core.formula.parsing import parse, same_symbol
from galena.core.formula.syntax import names
from galena.core.plateaus import plateaus
from galena.desk.annotations import flows
from galena.desk.errors import DeskError
from galena.desk.findings.answers import Answers, identity
from galena.desk.findings.questions import FITS, QUESTIONS, TYPED, Question
from galena.desk.findings.questions.fitted import model_of
from galena.desk.models import Finding, Graph, Marker, Note, Sheet, Span, Trace
from galena.desk.sheets.flows import MOST_GRAPHS
from galena.experiments.flows import refuse_symbol, touch
from galena.experiments.models import Quantity, Run

MOST = 600  # findings of a sheet
MOST_SPANS = 60
LONGEST_WHY = 2000
SMALL = 0.3  # the height of a graph of residuals beside the others


def ask(
    span: Span, kind: str, quantity: Quantity, runs: list[Run], details: dict | None = None
) -> list[Finding]:
    """Ask a question of a span of each of these runs; asked twice it is kept once."""
    return _ask(span.sheet, kind, "span", quantity, runs, details, span=span)


def ask_marker(
    marker: Marker, kind: str, quantity: Quantity, runs: list[Run],
    details: dict | None = None, second: Marker | None = None,
) -> list[Finding]:  # fmt: skip
    """Ask a question of a marker of each of these runs, or of this one and a second."""
    of = "marker" if second is None else "pair"
    return _ask(marker.sheet, kind, of, quantity, runs, details, marker=marker, second=second)


def build(
    sheet: Sheet, kind: str, of: list, details: dict | None = None, quantity: Quantity | None = None
) -> Finding:
    """Ask a question of other findings of a sheet.

    of: their keys, or pairs of a key and the name of a number; quantity: what is read there.
    Raises DeskError.
    """
    question = QUESTIONS.get(kind)
    if question is None or question.build is None or question.count not in (None, len(of)):
        raise DeskError("This cannot be asked of these findings.")
    keys = [one[0] if isinstance(one, list) else one for one in of]
    by_key = {one.pk: one for one in sheet.findings.filter(pk__in=keys)}
    if len(by_key) < len(set(keys)):
        raise DeskError("One of these findings was taken away in the meantime.")
    if question.of_fits and any(one.kind not in FITS for one in by_key.values()):
        raise DeskError("Only fits meet. Choose two fits.")
    details = {**(details or {}), "of": of}
    about = _about(question, by_key.get(keys[0]) if keys else None, quantity)
    for there in sheet.findings.filter(kind=kind):
        same = question.identity(there.details) == question.identity(details)
        if same and there.details["of"] == of and there.quantity == about.get("quantity"):
            return there
    _refuse_many(sheet)
    with transaction.atomic():
        built = Finding.objects.create(sheet=sheet, kind=kind, details=details, **about)
        touch(sheet.experiment)
    return built


def _about(question: Question, first: Finding | None, quantity: Quantity | None) -> dict[str, Any]:
    """Tell which run, quantity and place a finding built on others is about, from the first."""
    if first is None or question.count is None:
        return {}
    about = {"run": first.run, "quantity": first.quantity}
    if question.of_quantity and quantity is not None:
        about["quantity"] = quantity
    if question.count == 1:
        about |= {"span": first.span, "marker": first.marker}
    return about


def build_formula(
    sheet: Sheet, text: str, name: str, symbols: dict[str, tuple[int, str]]
) -> Finding:
    """Make a finding of a formula over others; symbols tells what each stands for.

    Raises FormulaError, DeskError.
    """
    written = list(names(parse(text)))
    used = {written_name.symbol for written_name in written}
    chosen = {symbol: symbols[symbol] for symbol in used if symbol in symbols}
    of = sorted({pk for pk, _ in chosen.values()})
    of_runs = sheet.experiment.conditions.exclude(symbol="").values_list("symbol", flat=True)
    usable = {*symbols, *constants(), *of_runs}
    usable |= set(sheet.experiment.givens.values_list("symbol", flat=True))
    for unknown in (written_name for written_name in written if written_name.symbol not in usable):
        raise UnknownSymbolError(
            f"There is no {unknown.symbol} among the findings, conditions and givens.",
            unknown.start, unknown.end, unknown.symbol,
        )  # fmt: skip
    if not chosen:
        raise DeskError(
            "Write a formula over findings, with their symbols as they stand in the list."
        )
    with transaction.atomic():
        finding = build(sheet, "formula", of, {"formula": text.strip(), "symbols": chosen})
        rename(finding, name)
        trouble = Answers([finding]).of(finding).trouble
        if trouble:
            raise DeskError(trouble)
    return finding


def _ask(
    sheet: Sheet, kind: str, of: str, quantity: Quantity, runs: list[Run], details: dict | None,
    **place,
) -> list[Finding]:  # fmt: skip
    if kind not in QUESTIONS or QUESTIONS[kind].of != of:
        raise DeskError(f"There is no question “{kind[:20]}”. Choose one on the card.")
    if not runs:
        raise DeskError("No run is shown, so there is nothing to ask. Show one in the rail above.")
    details = details or {}
    if kind == TYPED:
        fits.chosen_model(str(details.get("formula", "")).strip())
    there = list(sheet.findings.filter(kind=kind, quantity=quantity, **place))
    identity_asked = QUESTIONS[kind].identity(details)
    by_run = {
        one.run_id: one for one in there if QUESTIONS[kind].identity(one.details) == identity_asked
    }
    _refuse_many(sheet, len(runs))
    with transaction.atomic():
        findings = [
            by_run.get(run.pk) or Finding.objects.create(
                sheet=sheet, kind=kind, run=run, quantity=quantity, details=details, **place
            )
            for run in runs
        ]  # fmt: skip
        touch(sheet.experiment)
    return findings


def _refuse_many(sheet: Sheet, more: int = 1) -> None:
    if sheet.findings.count() + more > MOST:
        raise DeskError(f"A sheet keeps at most {MOST} findings. Harvest them, or remove some.")


def rename(finding: Finding, name: str) -> None:
    """Give a finding a symbol of its own for formulas; empty takes it away. Raises DeskError."""
    symbol = same_symbol(name.strip())
    if symbol:
        try:
            refuse_symbol(finding.sheet.experiment, symbol, None)
        except GalenaError as error:
            raise DeskError(str(error)) from error
        if finding.sheet.findings.exclude(pk=finding.pk).filter(name=symbol).exists():
            raise DeskError(f"{symbol} is the name of another finding. Choose another.")
    finding.name = symbol
    finding.save(update_fields=["name"])


def say_why(finding: Finding, text: str) -> None:
    """Keep what the person says to why a model makes sense."""
    reason = text.strip()
    if len(reason) > LONGEST_WHY:
        raise DeskError(f"Keep the reason to {LONGEST_WHY} characters.")
    finding.why = reason
    finding.save(update_fields=["why"])


def weight(finding: Finding, weighted: bool) -> None:
    """Weight a fit by the readings' uncertainties, or no longer."""
    _detail(finding, weighted=weighted or None)


def hold(finding: Finding, fixed: dict[str, float]) -> None:
    """Hold parameters of a fit at values. Raises DeskError where none is left to be found."""
    _refuse_unknown(finding, fixed)
    if len(fixed) == len(_model(finding).parameters):
        raise DeskError("All parameters are held: nothing is left to be fitted. Free one of them.")
    shared = [one for one in finding.details.get("shared", []) if one not in fixed]
    _detail(finding, fixed=fixed or None, shared=shared or None)


def share(finding: Finding, shared: list[str]) -> None:
    """Have parameters be the same in this fit of all runs. Raises DeskError."""
    _refuse_unknown(finding, dict.fromkeys(shared, 0.0))
    held = finding.details.get("fixed") or {}
    if any(name in held for name in shared):
        raise DeskError("A parameter that is held cannot be shared. Free it first.")
    with transaction.atomic():
        for member in _of_all_runs(finding):
            _detail(member, shared=sorted(shared) or None, fixed=held or None, by_hand=None,
                    weighted=finding.details.get("weighted"))  # fmt: skip


def lay_on(finding: Finding, params: dict[str, float]) -> None:
    """Lay a model over the readings by hand, not fitted."""
    _refuse_unknown(finding, params)
    before = finding.details.get("by_hand") or {}
    _detail(finding, by_hand={**before, **params}, shared=None)


def by_hand(finding: Finding) -> None:
    """Begin by hand: with what the fit has, or with what a start was found to be."""
    subject = Answers([finding]).subject_of(finding)
    answer = Answers([finding]).of(finding)
    if answer.fit is not None:
        params = answer.fit.params
    else:
        params = begin_with(finding, subject.inside.t, subject.inside.y)
    _detail(finding, by_hand={name: float(value) for name, value in params.items()}, shared=None)


def fit_it(finding: Finding) -> None:
    """Fit a model from where it was laid by hand. Raises FitError, and stays by hand, if that
    leads nowhere."""
    start = finding.details.get("by_hand") or finding.details.get("start")
    held = finding.details.get("fixed") or {}
    begin = {name: value for name, value in (start or {}).items() if name not in held}
    _detail(finding, by_hand=None, start=begin or None)
    trouble = Answers([finding]).of(finding).trouble
    if trouble:
        raise FitError(trouble)


def begin_with(finding: Finding, x, y) -> dict[str, float]:
    """Give parameters to begin with by hand, from the readings or simply ones."""
    model = _model(finding)
    held = finding.details.get("fixed") or {}
    try:
        if isinstance(model, fits.LinearModel):
            return fits.fit(model.key, x, y, fixed=held).params
        candidates = starts(model, x, y, {})
        return {**candidates[0], **held}
    except (GalenaError, IndexError, ValueError):
        return dict.fromkeys(model.parameters, 1.0) | held


def show_on_graph(finding: Finding, shown: bool) -> None:
    """Write a finding beside its place in the graph, or take that away."""
    finding.notes.all().delete()
    if not shown:
        return
    graph = graph_of(finding)
    answer = Answers([finding]).of(finding)
    if graph is None or answer.at is None:
        raise DeskError("This finding has no place in a graph of this sheet.")
    side = next(one.side for one in graph.traces.all() if one.quantity_id == finding.quantity_id)
    Note.objects.create(graph=graph, side=side, text=finding.kind, x=answer.at[0], y=answer.at[1],
                        finding=finding)  # fmt: skip


def show_residuals(finding: Finding, shown: bool) -> None:
    """Show what a fit leaves over under its graph, or no longer."""
    finding.residuals.all().delete()
    graph = graph_of(finding)
    if not shown or graph is None:
        return
    sheet = finding.sheet
    graphs = list(Graph.objects.filter(sheet=sheet))
    if len(graphs) >= MOST_GRAPHS:
        raise DeskError(f"A sheet holds {MOST_GRAPHS} graphs. Take one away first.")
    below = Graph(sheet=sheet, share=SMALL, residuals_of=finding)
    graphs.insert([each_graph.pk for each_graph in graphs].index(graph.pk) + 1, below)
    for place, each_graph in enumerate(graphs):
        each_graph.place = place
    below.save()
    Graph.objects.bulk_update(
        [each_graph for each_graph in graphs if each_graph is not below], ["place"]
    )
    Trace.objects.create(graph=below, quantity=finding.quantity)


def graph_of(finding: Finding) -> Graph | None:
    """Give the graph of the sheet that shows what a finding is about."""
    shown = Graph.objects.filter(sheet=finding.sheet_id, residuals_of=None)
    return shown.filter(traces__quantity=finding.quantity_id).first()


def copy_along(span: Span, count: int, step: float) -> list[Span]:
    """Mark off further spans as wide as this one, each a step further on. Raises DeskError."""
    if not (1 <= count <= MOST_SPANS and math.isfinite(step) and step):
        raise DeskError(f"Copy it 1 to {MOST_SPANS} times, by a step that is not zero.")
    with transaction.atomic():
        return [
            flows.add_span(span.sheet, span.lo + n * step, span.hi + n * step)
            for n in range(1, count + 1)
        ]


def mark_plateaus(sheet: Sheet, quantity: Quantity, run: Run) -> list[Span]:
    """Mark off the stretches in which a quantity holds still; the person moves or removes them.

    Raises DeskError where there is none.
    """
    probe = Finding(sheet=sheet, span=Span(sheet=sheet, lo=-math.inf, hi=math.inf), kind="mean",
                    run=run, quantity=quantity)  # fmt: skip
    readings = Answers([probe]).subject_of(probe).inside
    stretches = plateaus(readings.t, readings.y)
    if not stretches:
        raise DeskError("No level stretch was found. Mark one off by hand.")
    with transaction.atomic():
        return [flows.add_span(sheet, lo, hi) for lo, hi in stretches if hi > lo]


def _of_all_runs(finding: Finding) -> list[Finding]:
    same = Finding.objects.filter(span=finding.span, kind=finding.kind, quantity=finding.quantity)
    kept = same.filter(run__removed_at=None).select_related("sheet__experiment", "run")
    return [one for one in kept if identity(one) == identity(finding)]


def parameters_of(finding: Finding) -> list[str]:
    """Name the parameters of a fit. Raises DeskError where it is none."""
    return list(_model(finding).parameters)


def _model(finding: Finding) -> AnyModel:
    if finding.kind not in FITS:
        raise DeskError("This finding is no fit.")
    return fits.chosen_model(model_of(finding.kind, finding.details))


def _refuse_unknown(finding: Finding, params: dict[str, float]) -> None:
    model = _model(finding)
    for name, value in params.items():
        if name not in model.parameters:
            raise DeskError(f"{model.label} has no parameter {name}.")
        if not math.isfinite(value):
            raise DeskError(f"{name} must be a number.")


def _detail(finding: Finding, **changes) -> None:
    details = {**finding.details, **changes}
    finding.details = {name: value for name, value in details.items() if value is not None}
    finding.save(update_fields=["details"])
    touch(finding.sheet.experiment)
