"""The Report: text beside its page, kept while it is written; versions; what can be put in."""

from django.http import HttpResponse, JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.template.loader import render_to_string
from django.views.decorators.http import require_GET, require_POST

from galena.core.errors import GalenaError
from galena.experiments.access import experiment_for
from galena.experiments.models import Experiment
from galena.experiments.views import rail_context
from galena.reports import flows
from galena.reports.models import Opening, Report
from galena.reports.openings import OPENINGS
from galena.reports.setting import set_page, shown_page
from galena.reports.showing import changed_since, choices_of
from galena.reports.source import Source
from galena.shell import requested
from galena.shell.worker import WorkerError


def _of(request, experiment_id: int) -> tuple[Experiment, Report]:
    experiment = experiment_for(request, experiment_id)
    report = flows.report_of(experiment)
    report.experiment = experiment
    return experiment, report


@require_GET
def page(request, experiment_id: int):
    """Show the Report."""
    experiment, report = _of(request, experiment_id)
    source = Source(experiment)
    context = rail_context(experiment) | {
        "tab": "report",
        "experiment": experiment,
        "report": report,
        "set": shown_page(report.text, source, frozen=report.frozen),
        "groups": choices_of(source),
        "versions": report.versions.count(),
        "openings": OPENINGS.values(),
        "own_openings": Opening.objects.filter(owner=request.user),
    }
    context["changed"] = changed_since(report, context["set"])
    return render(request, "reports/page.html", context)


@require_POST
def write(request, experiment_id: int):
    """Keep what was written, and give the page as it is now, with what others wrote."""
    experiment, report = _of(request, experiment_id)
    post = request.POST
    text = post.get("text", "")
    answer: dict = {}
    try:
        version = requested.key_or_none(post.get("version")) or 0
        kept = flows.keep(
            report, request.user, post.get("title", ""), text, post.get("base", ""),
            post.get("base_title", ""), version,
        )  # fmt: skip
        text = kept.text
        answer = {"title": kept.title, "text": kept.text, "version": kept.version}
        answer["by_others"], answer["both"] = kept.by_others, kept.both
    except GalenaError as error:
        answer = {"trouble": str(error)}
    if len(text) > flows.LONGEST:
        return JsonResponse(answer)
    return JsonResponse(answer | _shown(experiment, report, text))


def _shown(experiment: Experiment, report: Report, text: str) -> dict:
    now = shown_page(text, Source(experiment), frozen=report.frozen)
    context = {"set": now, "report": report, "changed": changed_since(report, now),
               "experiment": experiment}  # fmt: skip
    return {
        "page": now.body,
        "state": render_to_string("reports/_state.html", context),
        "versions": report.versions.count(),
    }


@require_GET
def now(request, experiment_id: int):
    """Give what others wrote since a version; nothing where nobody did."""
    experiment, report = _of(request, experiment_id)
    if requested.key_or_none(request.GET.get("version")) == report.version:
        return HttpResponse(status=204)
    answer = {"title": report.title, "text": report.text, "version": report.version}
    return JsonResponse(answer | _shown(experiment, report, report.text))


@require_GET
def versions(request, experiment_id: int):
    """List the versions, newest first, or show one."""
    experiment, report = _of(request, experiment_id)
    kept = report.versions.select_related("made_by").order_by("-pk")
    key = requested.key_or_none(request.GET.get("shown"))
    shown = None if key is None else get_object_or_404(kept, pk=key)
    context = {"experiment": experiment, "report": report, "versions": kept, "shown": shown,
               "tab": "report"}  # fmt: skip
    if shown is not None:
        context["set"] = shown_page(shown.text, Source(experiment), frozen=report.frozen)
    return render(request, "reports/versions.html", context)


@require_POST
def go_back(request, experiment_id: int, version_id: int):
    """Have the report be as it was in a version."""
    _, report = _of(request, experiment_id)
    version = get_object_or_404(report.versions, pk=version_id)
    flows.begin_anew(report, version.title, version.text, request.user)
    return redirect("report", experiment_id)


@require_POST
def begin_with(request, experiment_id: int):
    """Begin the report with an opening; as it was it stays a version."""
    _, report = _of(request, experiment_id)
    named = request.POST.get("opening", "")
    key = requested.key_or_none(named)
    if named in OPENINGS:
        text = OPENINGS[named].text
    else:
        text = get_object_or_404(Opening, owner=request.user, pk=key or 0).text
    flows.begin_anew(report, report.title, text, request.user)
    return redirect("report", experiment_id)


@require_POST
def keep_opening(request, experiment_id: int):
    """Keep the text as an opening of one's own, or take one away."""
    _, report = _of(request, experiment_id)
    if "drop" in request.POST:
        key = requested.key_or_none(request.POST["drop"]) or 0
        get_object_or_404(Opening, owner=request.user, pk=key).delete()
        return redirect("report", experiment_id)
    try:
        flows.keep_opening(request.user, request.POST.get("name", ""), report.text)
    except GalenaError as error:
        return requested.refused(request, str(error), "This opening was not kept")
    return redirect("report", experiment_id)


@require_POST
def freeze(request, experiment_id: int):
    """Have numbers stay as they are shown now, or follow the Desk again."""
    experiment, report = _of(request, experiment_id)
    if "thaw" in request.POST:
        flows.thaw(report)
        return redirect("report", experiment_id)
    try:
        flows.freeze(report, set_page(report.text, Source(experiment)).numbers)
    except WorkerError as error:
        return requested.refused(request, str(error), "The numbers were not kept", status=503)
    return redirect("report", experiment_id)
