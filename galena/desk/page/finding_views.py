"""Findings: asked of spans, markers and other findings, and changed at their panel."""

from django.db.models import prefetch_related_objects
from django.http import JsonResponse
from django.shortcuts import get_object_or_404
from django.template.loader import render_to_string
from django.views.decorators.http import require_GET, require_POST

from galena.core import fits, numbers
from galena.core.budget import allowed
from galena.core.errors import GalenaError
from galena.core.runs_test import runs_test
from galena.desk.annotations import flows
from galena.desk.errors import DeskError
from galena.desk.findings import flows as finding_flows
from galena.desk.findings.answers import PATIENCE, RELATED, Answers
from galena.desk.findings.questions import FITS, QUESTIONS, Question
from galena.desk.findings.questions.fitted import model_of
from galena.desk.ledger import overlay, rows
from galena.desk.ledger.groups import groups_of
from galena.desk.models import Finding, Marker, Sheet, Span
from galena.desk.page import asked_of, panel_acts, responses
from galena.desk.page.annotation_views import front_of, placed
from galena.desk.page.forms import Copies, SpanEnds
from galena.desk.page.panel import show_panel
from galena.desk.sheets.loading import sheet_in
from galena.experiments.access import experiment_for
from galena.experiments.quantity_flows import save_given
from galena.shell import fields, requested
from galena.shell.templatetags.science import unit_of_difference

LONGEST_TYPED = 300


@require_POST
def ask(request, experiment_id: int, span_id: int):
    """Ask something of a span of every shown run, or of all runs."""
    span, sheet = placed(request, experiment_id, Span, span_id)
    if span is None:
        return responses.show_ledger(request, sheet, responses.GONE)
    kind = request.POST.get("kind", "")
    findings: list[Finding] = []

    def act() -> None:
        quantity = asked_of.quantity(sheet, request.POST)
        runs = [one.run for one in asked_of.runs(sheet, quantity, request.POST)]
        flows.ask_of(span, quantity)
        findings.extend(
            finding_flows.ask(span, kind, quantity, runs, _typed_details(request, kind))
        )
        if "by_hand" in request.POST and kind in FITS:
            for finding in findings:
                finding_flows.by_hand(finding)

    response = responses.changed(request, sheet, f"ask {kind} of span {span}", act)
    if findings and "by_hand" in request.POST:
        return show_panel(request, _finding(experiment_id, findings[0].pk), sheet)
    return response


@require_POST
def ask_marker(request, experiment_id: int, marker_id: int):
    """Ask something of a marker, or of it and a second one."""
    marker, sheet = placed(request, experiment_id, Marker, marker_id)
    if marker is None:
        return responses.show_ledger(request, sheet, responses.GONE)
    kind, other = request.POST.get("kind", ""), request.POST.get("second", "")

    def act() -> None:
        second = None
        if kind == "pair":
            second = get_object_or_404(sheet.markers, pk=requested.key(other))
        quantity = asked_of.quantity(sheet, request.POST)
        runs = [one.run for one in asked_of.runs(sheet, quantity, request.POST)]
        flows.ask_of(marker, quantity)
        finding_flows.ask_marker(
            marker, kind, quantity, runs, _typed_details(request, kind), second
        )

    return responses.changed(request, sheet, f"ask {kind} of marker {marker}", act)


@require_POST
def build(request, experiment_id: int, sheet_id: int):
    """Ask something of other findings."""
    sheet = responses.sheet_for(request, experiment_id, sheet_id)
    kind, post = request.POST.get("kind", ""), request.POST
    question = QUESTIONS.get(kind)

    def act() -> None:
        if kind == "formula":
            by_symbol = rows.symbols(rows.rows(sheet))
            symbols = {name: (row.finding.pk, one.key) for name, (row, one) in by_symbol.items()}
            text, name = post.get("formula", ""), post.get("name", "")
            if post.get("given"):
                value, unit = post.get("given_value", ""), post.get("given_unit", "")
                save_given(sheet.experiment, None, "", post["given"], value, unit)
            finding_flows.build_formula(sheet, text, name, symbols)
            return
        quantity = None
        if question is not None and question.of_quantity:
            key = requested.key(post.get("quantity"))
            quantity = get_object_or_404(sheet.experiment.quantities, pk=key)
        of = _of(post.getlist("of"), question)
        finding_flows.build(sheet, kind, of, _typed_details(request, kind), quantity)

    draft = None
    if kind == "formula":
        draft = {one: post.get(one, "")[:LONGEST_TYPED]
                 for one in ("name", "formula", "given", "given_value", "given_unit")}  # fmt: skip
    return responses.changed(request, sheet, f"ask {kind} of findings", act, draft=draft)


@require_GET
def panel(request, experiment_id: int, finding_id: int):
    """Show all about a finding in place of the ledger."""
    finding, sheet = _placed(request, experiment_id, finding_id)
    if finding is None:
        return responses.show_ledger(request, sheet, responses.GONE)
    return show_panel(request, finding, sheet)


@require_POST
def change(request, experiment_id: int, finding_id: int):
    """Change a finding, and show all about it anew."""
    finding, sheet = _placed(request, experiment_id, finding_id)
    if finding is None:
        return responses.show_ledger(request, sheet, responses.GONE)
    act = panel_acts.act_of(finding, request.POST)
    whole = request.POST.get("act") in panel_acts.CHANGE_GRAPHS
    error = responses.attempt(request, sheet, f"change {finding.kind}", act)
    trouble = "" if error is None else str(error)
    if "stay" in request.POST:  # it was pressed in the ledger
        return responses.show_sheets(request, sheet.experiment, trouble)
    return show_panel(request, _finding(experiment_id, finding_id), sheet, trouble, whole=whole)


@require_GET
def preview(request, experiment_id: int, finding_id: int):
    """Give the curve and the residuals for parameters as a hand has put them."""
    finding, _ = _placed(request, experiment_id, finding_id)
    if finding is None:
        return JsonResponse({"trouble": responses.GONE}, status=409)
    try:
        subject = Answers([finding]).subject_of(finding)
        model = fits.chosen_model(model_of(finding.kind, finding.details))
        params = {name: numbers.parse(request.GET.get(name, ""), name) for name in model.parameters}
        with allowed(PATIENCE):
            fit = fits.fit(
                model_of(finding.kind, finding.details), subject.inside.t, subject.inside.y,
                fixed=params,
            )  # fmt: skip
    except GalenaError as error:
        return JsonResponse({"trouble": str(error)}, status=422)
    unit = unit_of_difference(finding.quantity.unit)
    return JsonResponse(
        {
            "id": finding.pk,
            "parts": overlay.parts(finding.span, fit),
            "residuals": _residuals(finding, subject, fit),
            "text": f"residuals {numbers.significant(fit.residual_sd)} {unit}".strip(),
        }
    )


@require_GET
def peek(request, experiment_id: int, span_id: int):
    """Give the findings of a span as they are with its ends elsewhere; nothing is kept."""
    experiment = experiment_for(request, experiment_id)
    span = Span.objects.filter(sheet__experiment=experiment, pk=span_id)
    span = span.select_related("sheet__x").first()
    if span is None:
        return JsonResponse({"trouble": responses.GONE}, status=409)
    try:
        ends = fields.read(SpanEnds, request.GET)
        span.lo, span.hi = ends["lo"], ends["hi"]
    except GalenaError as error:
        return JsonResponse({"trouble": str(error)}, status=422)
    sheet = span.sheet
    sheet.experiment = experiment
    prefetch_related_objects([sheet], "graphs__traces__quantity")
    of_span = rows.of_span(sheet, span)
    context = {"experiment": experiment, "sheet": sheet, "groups": groups_of(of_span)}
    html = render_to_string("desk/_rows.html", context, request)
    return JsonResponse({"rows": html, "curves": overlay.curves(sheet, of_span)})


@require_POST
def drop(request, experiment_id: int, finding_id: int):
    """Take a finding away."""
    finding, sheet = _placed(request, experiment_id, finding_id)
    if finding is None:
        return responses.show_ledger(request, sheet, responses.GONE)
    shown = finding.notes.exists() or finding.residuals.exists()
    act = finding.delete
    return responses.changed(request, sheet, f"remove {finding.kind}", act, whole=shown)


@require_POST
def copy_along(request, experiment_id: int, span_id: int):
    """Copy a span along the x axis, or mark off plateaus like it."""
    span, sheet = placed(request, experiment_id, Span, span_id)
    if span is None:
        return responses.show_ledger(request, sheet, responses.GONE)

    def act() -> None:
        finding_flows.copy_along(span, **fields.read(Copies, request.POST))

    return responses.changed(request, sheet, f"copy span {span} along", act)


@require_POST
def find_plateaus(request, experiment_id: int, sheet_id: int):
    """Mark off the stretches in which a quantity of a shown run holds still."""
    sheet = responses.sheet_for(request, experiment_id, sheet_id)

    def act() -> None:
        quantity = asked_of.quantity(sheet, request.POST)
        runs = [one.run for one in asked_of.runs(sheet, quantity, request.POST)]
        if not runs:
            raise DeskError("No run is shown. Show one in the rail above.")
        finding_flows.mark_plateaus(sheet, quantity, runs[0])

    return responses.changed(request, sheet, "mark off plateaus", act)


def _of(typed: list[str], question: Question | None) -> list:
    """Read which findings a question is about: keys, or keys with the name of a number."""
    chosen: list = []
    for text_of_choice in typed:
        text, _, name = text_of_choice.partition(":")
        key = requested.key_or_none(text)
        if key is None:
            raise DeskError("Choose the findings that this is about.")
        chosen.append([key, name] if question and question.of_numbers else key)
    return chosen


def _typed_details(request, kind: str) -> dict:
    """Read what a question is told. Raises GalenaError."""
    return QUESTIONS[kind].read(request.POST) if kind in QUESTIONS else {}


def _residuals(finding: Finding, subject, fit) -> list[dict]:
    """Give the residuals for each graph that shows them: x and y."""
    inside = subject.inside
    if not finding.residuals.exists() or len(inside) > 4000:
        return []
    left = fit.residuals_at(inside.t, inside.y)
    good = left == left
    title = f"residuals by hand, {finding.run}: {runs_test(left[good]).verdict}"
    moved = {"x": inside.t[good].tolist(), "y": left[good].tolist(), "title": title}
    return [{"graph": one.pk} | moved for one in finding.residuals.all()]


def _placed(request, experiment_id: int, finding_id: int) -> tuple[Finding | None, Sheet]:
    experiment = experiment_for(request, experiment_id)
    finding = _finding(experiment.pk, finding_id)
    sheet = None if finding is None else sheet_in(experiment, finding.sheet_id)
    return (None, front_of(request, experiment)) if sheet is None else (finding, sheet)


def _finding(experiment_id: int, finding_id: int) -> Finding | None:
    kept = Finding.objects.filter(sheet__experiment=experiment_id, pk=finding_id)
    return kept.select_related(*RELATED).first()
