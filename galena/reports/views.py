"""The Report: the page as it prints, what can be put in, and the PDF."""

from django.http import HttpResponse
from django.shortcuts import render
from django.template.loader import render_to_string
from django.utils.http import content_disposition_header
from django.views.decorators.http import require_http_methods

from galena.core.formats.comma_separated import file_name
from galena.desk.sheets.flows import first_sheet
from galena.experiments.access import experiment_for
from galena.experiments.views import rail_context
from galena.reports import flows, writing
from galena.shell import requested
from galena.shell.pdf import make_pdf
from galena.shell.worker import WORKERS, WorkerError


@require_http_methods(["GET", "POST"])
def page(request, experiment_id: int):
    """Show the Report; a POST saves what was written and gives the page anew."""
    experiment = experiment_for(request, experiment_id)
    report = flows.report_of(experiment)
    trouble, status = "", 200
    typed = {"title": report.title, "text": report.text, "version": report.version}
    if request.method == "POST":
        trouble, typed = _save(request.POST, report)
        status = 409 if trouble else 200
    context = _context(experiment, report) | {"trouble": trouble, "typed": typed}
    if request.htmx:
        return render(request, "reports/_report.html", context, status=status)
    context |= rail_context(experiment) | {"tab": "report"}
    return render(request, "reports/page.html", context, status=status)


def pdf(request, experiment_id: int):
    """Give the report as PDF."""
    experiment = experiment_for(request, experiment_id)
    report = flows.report_of(experiment)
    html = render_to_string("reports/print.html", _context(experiment, report))
    try:
        document = WORKERS.do(make_pdf, html)
    except WorkerError as error:
        refusal = f"{error} The report is kept; load this address again."
        return requested.refused(request, refusal, "The PDF could not be made", status=503)
    response = HttpResponse(document, content_type="application/pdf")
    name = file_name(report.title) + ".pdf"
    response["Content-Disposition"] = content_disposition_header(False, name)
    return response


def _save(posted, report) -> tuple[str, dict]:
    title = " ".join(posted.get("title", "").split())
    text = posted.get("text", "").replace("\r\n", "\n")
    version = requested.key_or_none(posted.get("version")) or 0
    trouble = ""
    if not title:
        trouble = "Give the report a title. Nothing was saved yet; your text is still in the box."
    elif len(title) > 200 or len(text) > flows.LONGEST:
        trouble = "This is longer than a report can be (100 000 characters). Nothing was saved yet."
    else:
        try:
            flows.save(report, title, text, version)
        except flows.WrittenMeanwhile as error:
            trouble = str(error)
    # After a clash the next save is meant: it goes out with the version that it answers to.
    return trouble, {"title": title, "text": text, "version": report.version}


def _context(experiment, report) -> dict:
    sheet = first_sheet(experiment)
    references = writing.references(sheet)
    return {
        "experiment": experiment,
        "report": report,
        "sheet": sheet,
        "quotable": references,
        "set": writing.set_page(report, sheet, references),
    }
