"""Harvesting: the findings of a span over runs, or over several spans, into a table."""

import json

from django.views.decorators.http import require_POST

from galena.core.errors import GalenaError
from galena.desk.errors import DeskError
from galena.desk.harvests import flows as harvest_flows
from galena.desk.models import Span
from galena.desk.page import responses
from galena.desk.page.annotation_views import placed
from galena.desk.page.table_views import show_table


@require_POST
def of_span(request, experiment_id: int, span_id: int):
    """Harvest the findings of a span: over all runs, over repeats, or over the sheet's spans."""
    span, sheet = placed(request, experiment_id, Span, span_id)
    if span is None:
        return responses.show_ledger(request, sheet, responses.GONE)
    over = request.POST.get("over", "runs")
    try:
        harvest = _harvest(request, span, over)
    except GalenaError as error:
        response = responses.show_ledger(request, sheet, str(error))
        response["HX-Retarget"], response["HX-Reswap"] = "#ledger", "outerHTML"
        return response
    response = show_table(request, harvest.run)
    events = {"rail-changed": "", "table-begun": "", "harvested": ""}
    response["HX-Trigger-After-Settle"] = json.dumps(events)
    return response


def _harvest(request, span: Span, over: str):
    kept = span.findings.filter(run__removed_at=None).select_related(
        "sheet__x", "sheet__experiment", "span", "run", "quantity"
    )
    findings = list(kept.order_by("pk"))
    experiment = span.sheet.experiment
    runs = experiment.runs.kept().filter(unused="").of_kind(is_summary=False)
    runs = list(runs.prefetch_related("condition_values__condition").order_by("place", "number"))
    runs_asked = {single.run_id for single in findings}
    if over == "spans":
        single = [run for run in runs if run.pk in runs_asked][:1]
        if not single:
            raise DeskError("Ask something of this span first: a harvest takes its findings.")
        spans = sorted(span.sheet.spans.all(), key=lambda each: each.lo)
        return harvest_flows.harvest(span, findings, request.user, single, spans)
    plans = {run.plan for run in runs if run.pk in runs_asked}
    alike = [run for run in runs if run.plan in plans]
    if over == "shown":
        alike = [run for run in alike if run.shown]
    return harvest_flows.harvest(
        span, findings, request.user, alike, [span], repeats=over == "repeats"
    )
