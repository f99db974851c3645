"""The report is taken along: PDF, HTML, Markdown, ODT."""

from collections.abc import Callable
from functools import wraps

from django.http import HttpResponse
from django.template.loader import render_to_string
from django.utils.http import content_disposition_header
from django.views.decorators.http import require_GET

from galena.classroom.permissions import may_change
from galena.core.formats.comma_separated import file_name
from galena.experiments.access import experiment_for
from galena.experiments.models import Experiment
from galena.reports import flows
from galena.reports.models import Report
from galena.reports.out import markdown as markdown_out
from galena.reports.out import open_text
from galena.reports.printing import as_pdf, as_web_page
from galena.reports.setting import Page, set_page
from galena.reports.source import Source
from galena.shell import requested
from galena.shell.decimal_sign import as_read_by
from galena.shell.worker import WorkerError


def _or_why_not(view: Callable[..., HttpResponse]) -> Callable[..., HttpResponse]:
    """Give what a view makes, or say why it could not be made: never a part of a report."""

    @wraps(view)
    def whole(request, experiment_id: int) -> HttpResponse:
        try:
            return view(request, experiment_id)
        except WorkerError as error:
            refusal = f"{error} The report is kept; load this address again."
            return requested.refused(request, refusal, "This file could not be made", status=503)

    return whole


def _set(request, experiment_id: int, *, on_paper: bool) -> tuple[Experiment, Report, Page]:
    """Set the report anew, and note what its numbers are now that it is taken along.

    Raises WorkerError.
    """
    experiment = experiment_for(request, experiment_id)
    report = flows.report_of(experiment)
    page = set_page(report.text, Source(experiment, on_paper=on_paper), frozen=report.frozen)
    if may_change(request.user, experiment):
        flows.printed(report, page.numbers)
    return experiment, report, page


@require_GET
@_or_why_not
def pdf(request, experiment_id: int):
    """Give the report as PDF, with the readings of its figures and the experiment attached."""
    experiment, report, page = _set(request, experiment_id, on_paper=True)
    size = "letter" if request.GET.get("paper") == "letter" else "A4"
    document = as_pdf(experiment, report, page, size, reader=request.user)
    return _sent(document, report, ".pdf", "application/pdf", is_shown=True)


@require_GET
@_or_why_not
def web_page(request, experiment_id: int):
    """Give the report as one HTML file that needs nothing else."""
    experiment, report, page = _set(request, experiment_id, on_paper=False)
    document = as_web_page(experiment, report, page, reader=request.user)
    return _sent(document, report, ".html", "text/html; charset=utf-8")


@require_GET
@_or_why_not
def markdown(request, experiment_id: int):
    """Give the report as Markdown with its pictures."""
    _, report, page = _set(request, experiment_id, on_paper=False)
    data = markdown_out.zipped(report.title, report.text, page)
    return _sent(data, report, ".zip", "application/zip")


@require_GET
@_or_why_not
def odt(request, experiment_id: int):
    """Give the report as a text document."""
    experiment, report, page = _set(request, experiment_id, on_paper=True)
    context = {"experiment": experiment, "report": report, "set": page}
    html = as_read_by(request.user, render_to_string("reports/_paper.html", context))
    return _sent(open_text.document(html), report, ".odt", open_text.MEDIA_TYPE)


def _sent(
    data: bytes, report: Report, suffix: str, media_type: str, *, is_shown: bool = False
) -> HttpResponse:
    response = HttpResponse(data, content_type=media_type)
    name = file_name(report.title) + suffix
    response["Content-Disposition"] = content_disposition_header(not is_shown, name) or ""
    return response
