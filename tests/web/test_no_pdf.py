"""Where the library that sets pages as PDF is missing, that is told and HTML serves meanwhile."""

import sys
import zipfile

import pytest
from django.urls import reverse

from galena.lessons import handing_in
from galena.lessons.models import HandIn
from galena.reports import flows, printing
from galena.shell import pdf
from galena.shell.pdf import NoPdfError, make_pdf, missing_libraries
from tests.web import classes


def test_what_to_install_is_told(monkeypatch):
    assert missing_libraries() == ""
    monkeypatch.setitem(sys.modules, "weasyprint", None)
    monkeypatch.setattr(pdf.sys, "platform", "darwin")
    assert "brew install pango" in missing_libraries()
    with pytest.raises(NoPdfError, match="PDF needs a library that this computer does not have"):
        make_pdf("<p>It rises.</p>")


def test_the_page_says_so(as_ada, experiment, monkeypatch):
    flows.begin_anew(flows.report_of(experiment), "On levels", "It rises.", experiment.owner)
    page = as_ada.get(reverse("report-html", args=[experiment.pk])).content.decode()

    def do(*_):
        raise NoPdfError("PDF needs a library that this computer does not have.")

    monkeypatch.setattr(printing.WORKERS, "do", do)
    refused = as_ada.get(reverse("pdf", args=[experiment.pk]))
    assert refused.status_code == 503
    assert "PDF needs a library" in refused.content.decode()
    assert "It rises." in page


def test_a_report_is_handed_in_as_a_page_meanwhile(experiment, monkeypatch):
    lesson = classes.begin(experiment)
    group = classes.group(lesson, "Gannet")
    report = flows.report_of(group.copy.experiment)
    flows.begin_anew(report, "On levels", "It rises.", group)

    def as_pdf(*_, **__):
        raise NoPdfError("PDF needs a library.")

    monkeypatch.setattr(handing_in, "as_pdf", as_pdf)
    made = handing_in.hand_in(group.copy)
    browser = classes.client_of(group)
    answer = browser.get(reverse("returned-file", args=[made.pk, "pdf"]))
    assert answer["Content-Type"].startswith("text/html")
    assert answer["Content-Disposition"].startswith("attachment")
    assert "It rises." in b"".join(answer.streaming_content).decode()
    for close in answer._resource_closers:
        close()
    with handing_in.all_as_zip(lesson) as file, zipfile.ZipFile(file) as zipped:
        assert any(name.endswith("report.html") for name in zipped.namelist())
    assert HandIn.objects.count() == 1
