"""The report as a PDF with all that goes along in it."""

import io

from django.template.loader import render_to_string

from galena.desk.drawing.picture import faces
from galena.exchange import leaving, package
from galena.exchange.errors import PackageError
from galena.experiments.models import Experiment
from galena.reports.models import Report
from galena.reports.out import paper
from galena.reports.out.paper import Attached
from galena.reports.setting import Page
from galena.shell.decimal_sign import as_read_by
from galena.shell.pdf import PACKAGE
from galena.shell.worker import WORKERS

MOST_ATTACHED = 1_000_000  # readings of an experiment that goes along in the PDF
WHOLE = "experiment.zip"
STYLES = "reports/static/reports/css/paper.css"


def as_pdf(
    experiment: Experiment, report: Report, page: Page, size: str = "A4", *, reader=None
) -> bytes:
    """Give the report as PDF, with the readings of its figures and the experiment attached.

    page: the report set for paper; size: `A4` or `letter`; reader: who chose a decimal sign.
    Raises WorkerError.
    """
    attached = _attached(experiment, page)
    is_whole = any(one.name == WHOLE for one in attached)
    context = {"experiment": experiment, "report": report, "set": page, "is_whole": is_whole}
    html = as_read_by(reader, render_to_string("reports/print.html", context))
    document: bytes = WORKERS.do(paper.make, html, attached, size)
    return document


def as_web_page(experiment: Experiment, report: Report, page: Page, *, reader=None) -> bytes:
    """Give the report as one HTML file that needs nothing else.

    page: set for the screen; reader: who chose a decimal sign.
    """
    styles = faces() + (PACKAGE / STYLES).read_text("utf-8")
    context = {"experiment": experiment, "report": report, "set": page, "styles": styles}
    return as_read_by(reader, render_to_string("reports/alone.html", context)).encode()


def _attached(experiment: Experiment, page: Page) -> list[Attached]:
    """Give the readings of each figure, and the experiment file, without its films."""
    files = [
        Attached(f"figure-{one.number}.csv", f"Readings of {one.called}", one.piece.readings())
        for one in page.placed if one.number and one.piece.readings
    ]  # fmt: skip
    if leaving.readings_of(experiment) > MOST_ATTACHED:
        return files
    file = io.BytesIO()
    try:
        package.write(experiment, file, films=False)
    except PackageError:  # a run is being recorded: the report does not wait for its end
        return files
    return [*files, Attached(WHOLE, "The experiment as one file", file.getvalue())]
