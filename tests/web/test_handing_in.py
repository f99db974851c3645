"""Reports are handed in as they are, remarked on, handed back, and handed in again."""

import io
import re
import zipfile

import pytest
from django.urls import reverse

from galena.experiments.models import Run
from galena.lessons import handing_in
from galena.lessons.errors import LessonError
from galena.lessons.models import HandIn
from galena.lessons.removing import hand_ins_folder
from galena.reports import flows as report_flows
from galena.reports import printing
from galena.reports.marked_up import marked_up
from galena.shell.worker import WORKERS, WorkerError
from tests.web import classes


@pytest.fixture(autouse=True)
def press():
    yield
    WORKERS.close()


@pytest.fixture
def lesson(experiment):
    classes.recorded(experiment)
    return classes.begin(experiment)


@pytest.fixture
def gannet(lesson):
    member = classes.group(lesson, "Gannet")
    classes.slope(member)
    report = report_flows.report_of(member.copy.experiment)
    report_flows.begin_anew(report, "How fast", "It rises by {A.line.1.slope}.", member)
    return member


def hand_in(member):
    return classes.client_of(member).post(reverse("hand-in"), headers={"HX-Request": "true"})


def test_what_is_handed_in_stays_as_it_was(gannet):
    assert "handed in" in hand_in(gannet).text
    made = HandIn.objects.get()
    report = report_flows.report_of(gannet.copy.experiment)
    report_flows.begin_anew(report, "Another", "Nothing.", gannet)
    page = classes.client_of(gannet).get(reverse("returned", args=[made.pk]))
    assert "It rises by" in page.text and "mm/s" in page.text
    assert handing_in.file_of(made, handing_in.REPORT).read_bytes().startswith(b"%PDF")
    with zipfile.ZipFile(handing_in.file_of(made, handing_in.EXPERIMENT)) as file:
        assert "report.md" in file.namelist()


def test_its_paper_is_printed_as_the_group_reads(gannet, monkeypatch):
    printed = []
    monkeypatch.setattr(printing.WORKERS, "do", lambda _make, html, *_: printed.append(html) or b"")
    for gannet.reads_comma, number in ((True, r"rises by \d,\d+"), (False, r"rises by \d\.\d+")):
        gannet.save()
        hand_in(gannet)
        assert re.search(number, re.sub("<[^>]*>", "", printed[-1]))
    kept = HandIn.objects.earliest("pk").page
    assert re.search(r"rises by \d\.\d+", re.sub("<[^>]*>", "", kept))


def test_remarks_are_seen_once_it_is_handed_back_and_it_is_handed_in_again(as_ada, lesson, gannet):
    hand_in(gannet)
    made = HandIn.objects.get()
    address = reverse("add-remark", args=[lesson.pk, made.pk])
    as_ada.post(address, {"place": "number-1", "quote": "2.0", "text": "How many readings?"})
    browser = classes.client_of(gannet)
    assert "How many readings?" not in browser.get(reverse("returned", args=[made.pk])).text
    as_ada.post(reverse("hand-back", args=[lesson.pk, made.pk]))
    assert "How many readings?" in browser.get(reverse("returned", args=[made.pk])).text
    hand_in(gannet)
    assert [one.number for one in HandIn.objects.all()] == [1, 2]
    listed = as_ada.get(reverse("hand-ins", args=[lesson.pk])).text
    assert "handed back" in listed and "How fast (2)" in listed
    assert "handed in (2)" in as_ada.get(reverse("lesson", args=[lesson.pk])).text


def test_the_newest_of_all_go_along_as_one_zip(as_ada, lesson, gannet):
    tern = classes.group(lesson, "Tern")
    for member in (gannet, gannet, tern):
        hand_in(member)
    last = HandIn.objects.filter(copy=gannet.copy).last()
    handing_in.remark(last, "block-1", "How fast", "Say at which setting.")
    answer = as_ada.get(reverse("hand-ins-zip", args=[lesson.pk]))
    with zipfile.ZipFile(io.BytesIO(b"".join(answer.streaming_content))) as file:
        names = sorted(file.namelist())
        assert len(names) == 5
        assert [name for name in names if name.endswith("remarks.txt")] == [
            name for name in names if name.startswith("Gannet") and name.endswith(".txt")
        ]


def test_a_remark_that_is_none_is_answered_and_stays_typed(as_ada, lesson, gannet):
    hand_in(gannet)
    made = HandIn.objects.get()
    for place, text, why in (
        ("", "x", "Choose a paragraph"), ("block-²", "x", "Choose"), ("block-1", "  ", "Type"),
        ("block-1", "x" * 2000, "1000 characters"), ("block-99999", "x", "Choose"),
    ):  # fmt: skip
        answer = as_ada.post(
            reverse("add-remark", args=[lesson.pk, made.pk]), {"place": place, "text": text},
            headers={"HX-Request": "true"},
        )  # fmt: skip
        assert answer.status_code == 422
        assert why in answer.text
        assert text.strip()[:50] in answer.text
        assert not made.remarks.exists()


@pytest.mark.parametrize("text", ["It rises by {A.line.1.slope}.", "It rises as $x$."])
def test_where_a_part_cannot_be_made_nothing_is_handed_in(gannet, text, monkeypatch):
    marked_up.cache_clear()
    report = report_flows.report_of(gannet.copy.experiment)
    report_flows.begin_anew(report, "How fast", text, gannet)

    def fails(*_, **__):
        raise WorkerError("The work broke off.")

    before = set(hand_ins_folder().iterdir())
    monkeypatch.setattr(printing.WORKERS, "do", fails)
    answer = hand_in(gannet)
    assert answer.status_code == 422
    assert "The work broke off. Your report is kept" in answer.text
    assert not HandIn.objects.exists()
    assert set(hand_ins_folder().iterdir()) == before


def test_nothing_is_handed_in_while_a_run_is_recorded(gannet):
    Run.objects.filter(experiment=gannet.copy.experiment).update(state=Run.State.RECORDING)
    with pytest.raises(LessonError, match="Stop it first"):
        handing_in.hand_in(gannet.copy)
