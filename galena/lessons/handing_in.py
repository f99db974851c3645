"""Reports that are handed in, as frozen copies; remarks on them; and handing back."""

import io
import re
import shutil
import tempfile
import uuid
import zipfile
from pathlib import Path
from typing import IO

from django.db import transaction
from django.template.loader import render_to_string
from django.utils import timezone

from galena.classroom.models import Lesson
from galena.core.formats.comma_separated import file_name
from galena.exchange import leaving
from galena.exchange.errors import PackageError
from galena.lessons.errors import LessonError
from galena.lessons.live import tell_group, tell_teacher
from galena.lessons.models import Copy, HandIn, Remark
from galena.lessons.removing import hand_ins_folder
from galena.reports import flows as report_flows
from galena.reports.printing import as_pdf, as_web_page
from galena.reports.setting import set_page
from galena.reports.source import Source
from galena.shell.pdf import NoPdfError
from galena.shell.worker import WorkerError

REPORT, WEB_PAGE, EXPERIMENT = "report.pdf", "report.html", "experiment.zip"
MOST_HAND_INS, MOST_REMARKS, LONGEST_REMARK = 20, 200, 1000
PLACE = re.compile(r"(block|number)-\d{1,4}", re.ASCII)


def hand_in(copy: Copy) -> HandIn:
    """Keep a group's report as it is now, with its PDF and the experiment file.

    Nothing is kept where one of them cannot be made. Raises LessonError.
    """
    experiment = copy.experiment
    if experiment.runs.growing().exists():
        raise LessonError("A run is being recorded. Stop it first, then hand in.")
    if copy.hand_ins.count() >= MOST_HAND_INS:
        raise LessonError(f"It was handed in {MOST_HAND_INS} times. Ask your teacher.")
    report = report_flows.report_of(experiment)
    report.experiment = experiment
    folder = hand_ins_folder() / uuid.uuid4().hex
    folder.mkdir(mode=0o700)
    try:
        on_screen = set_page(report.text, Source(experiment), frozen=report.frozen)
        on_paper = set_page(report.text, Source(experiment, on_paper=True), frozen=report.frozen)
        context = {"experiment": experiment, "report": report, "set": on_screen}
        page = render_to_string("reports/_paper.html", context)
        try:
            printed = as_pdf(experiment, report, on_paper, reader=copy.group)
            (folder / REPORT).write_bytes(printed)
        except NoPdfError:  # this computer lacks a library: a page of HTML serves meanwhile
            alone = as_web_page(experiment, report, on_screen, reader=copy.group)
            (folder / WEB_PAGE).write_bytes(alone)
        leaving.write_to(experiment, folder / EXPERIMENT)
        with transaction.atomic():
            last = copy.hand_ins.order_by("-number").first()
            made = HandIn.objects.create(
                copy=copy, number=1 if last is None else last.number + 1, title=report.title,
                text=report.text, page=page, folder=folder.name,
            )  # fmt: skip
    except (WorkerError, PackageError, OSError) as error:
        shutil.rmtree(folder, ignore_errors=True)
        raise LessonError(
            f"It was not handed in: {error} Your report is kept; try again."
        ) from error
    except BaseException:
        shutil.rmtree(folder, ignore_errors=True)
        raise
    tell_group(copy.group, "hand-in")
    tell_teacher(copy.lesson_id)
    return made


def file_of(made: HandIn, name: str) -> Path:
    """Give a file of what was handed in."""
    return hand_ins_folder() / made.folder / name


def remark(made: HandIn, place: str, quote: str, text: str) -> Remark:
    """Say something to a place of a report. Raises LessonError."""
    text = " ".join(text.split())
    if not PLACE.fullmatch(place):
        raise LessonError("Choose a paragraph, a figure or a number in the report first.")
    if not text:
        raise LessonError("Type the remark first.")
    if len(text) > LONGEST_REMARK:
        raise LessonError(f"Keep a remark to {LONGEST_REMARK} characters.")
    if made.remarks.count() >= MOST_REMARKS:
        raise LessonError(f"A report has at most {MOST_REMARKS} remarks.")
    return Remark.objects.create(
        hand_in=made, place=place, quote=" ".join(quote.split())[:120], text=text
    )


def hand_back(made: HandIn) -> None:
    """Give a report back with its remarks: the group sees them from now on."""
    if made.handed_back_at is None:
        made.handed_back_at = timezone.now()
        made.save(update_fields=["handed_back_at"])
    tell_group(made.copy.group, "handed-back")
    tell_teacher(made.copy.lesson_id)


def hand_ins_of(lesson: Lesson) -> list[HandIn]:
    """List all that was handed in, without the pages."""
    listed = HandIn.objects.filter(copy__lesson=lesson).defer("page", "text")
    return list(listed.select_related("copy__group").order_by("copy__group__pk", "number"))


def all_as_zip(lesson: Lesson) -> IO[bytes]:
    """Give the newest of each group as one zip, a folder a group, with the remarks."""
    file = tempfile.TemporaryFile()  # noqa: SIM115 - it is read and closed by whoever sends it
    newest = {made.copy_id: made for made in hand_ins_of(lesson)}
    taken: set[str] = set()
    with zipfile.ZipFile(file, "w", zipfile.ZIP_STORED) as zipped:
        for made in newest.values():
            name = file_name(str(made.copy.group), f"{made.number}")
            while name in taken:
                name += "_"
            taken.add(name)
            for part in (REPORT, WEB_PAGE, EXPERIMENT):
                path = file_of(made, part)
                if path.is_file():
                    zipped.write(path, f"{name}/{part}")
            if said := remarks_as_text(made):
                zipped.writestr(f"{name}/remarks.txt", said)
    file.seek(0)
    return file


def remarks_as_text(made: HandIn) -> str:
    """Give the remarks as lines of text."""
    lines = io.StringIO()
    for said in made.remarks.all():
        lines.write(f"“{said.quote}”\n    {said.text}\n\n")
    return lines.getvalue()
