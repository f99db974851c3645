"""A sheet is taken along as a picture: SVG with its fonts, or PDF."""

from django.http import HttpResponse
from django.utils.http import content_disposition_header
from django.views.decorators.http import require_GET

from galena.core.errors import SeriesError
from galena.core.formats.comma_separated import file_name
from galena.desk.drawing import picture
from galena.desk.page.responses import sheet_for
from galena.shell import requested
from galena.shell.decimal_sign import as_read_by
from galena.shell.pdf import make_pdf
from galena.shell.worker import WORKERS, WorkerError


@require_GET
def svg(request, experiment_id: int, sheet_id: int):
    """Give a sheet as SVG."""
    sheet = sheet_for(request, experiment_id, sheet_id)
    try:
        drawn, _, _ = picture.of_sheet(sheet)
    except SeriesError as error:
        return requested.refused(request, str(error), "This sheet cannot be drawn", status=409)
    return _file(drawn.encode(), "image/svg+xml", sheet, ".svg")


@require_GET
def pdf(request, experiment_id: int, sheet_id: int):
    """Give a sheet as PDF, a page as large as the picture."""
    sheet = sheet_for(request, experiment_id, sheet_id)
    try:
        drawn, width, height = picture.of_sheet(sheet, fonts=False)
        page = (
            f"<style>@page{{size:{width}px {height}px;margin:0}}body{{margin:0}}</style>"
            f'<link rel="stylesheet" href="shell/static/shell/css/faces.css">'
            f"{as_read_by(request.user, drawn)}"
        )
        document = WORKERS.do(make_pdf, page)
    except SeriesError as error:
        return requested.refused(request, str(error), "This sheet cannot be drawn", status=409)
    except WorkerError as error:
        return requested.refused(request, str(error), "This PDF could not be made", status=503)
    return _file(document, "application/pdf", sheet, ".pdf")


def _file(content: bytes, media_type: str, sheet, suffix: str) -> HttpResponse:
    response = HttpResponse(content, content_type=media_type)
    name = file_name(sheet.experiment.title, str(sheet)) + suffix
    response["Content-Disposition"] = content_disposition_header(True, name)
    return response
