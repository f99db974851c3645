"""All changes to reports."""

from dataclasses import dataclass
from datetime import timedelta

from django.db import transaction
from django.utils import timezone

from galena.core.errors import GalenaError
from galena.core.merging import merge
from galena.core.numbers import grouped
from galena.experiments.flows import touch
from galena.experiments.models import Experiment
from galena.reports.models import Opening, Report
from galena.reports.openings import ARGUMENT

LONGEST = 100_000
LONGEST_TITLE = 200
ONE_VERSION = timedelta(minutes=5)  # of writing without a longer rest
MOST_VERSIONS, MOST_OPENINGS = 200, 40


class ReportError(GalenaError, ValueError):
    """A report cannot be kept like this; in words."""


@dataclass(frozen=True)
class Kept:
    """What was kept: the text of all who write; whether somebody else wrote, and in how many
    paragraphs both did."""

    title: str
    text: str
    version: int
    by_others: bool
    both: int


def report_of(experiment: Experiment) -> Report:
    """Give the experiment's report; a new one has the headings of an argument."""
    report, _ = Report.objects.get_or_create(
        experiment=experiment, defaults={"title": experiment.title, "text": ARGUMENT.text}
    )
    return report


def keep(
    report: Report, person, title: str, text: str, base: str, base_title: str, version: int
) -> Kept:
    """Keep what a person wrote, together with what others wrote since.

    base, base_title: the text and the title that the person began from, of that version. Raises
    ReportError where it cannot be kept; nothing is changed then.
    """
    title, text = " ".join(title.split()), text.replace("\r\n", "\n")
    if not title:
        raise ReportError("Give the report a title. Your text is still in the box.")
    _refuse_long(title, text)
    with transaction.atomic():
        now = Report.objects.select_related("experiment").get(pk=report.pk)
        by_others = now.version != version
        merged = merge(base, text, now.text) if by_others else None
        kept = text if merged is None else merged.text
        if by_others and title == base_title:
            title = now.title
        _refuse_long(title, kept)
        if (title, kept) != (now.title, now.text):
            now.title, now.text, now.version = title, kept, now.version + 1
            now.save(update_fields=["title", "text", "version", "changed_at"])
            _keep_version(now, person)
            touch(now.experiment)
    report.refresh_from_db()
    return Kept(now.title, now.text, now.version, by_others, merged.both if merged else 0)


def _refuse_long(title: str, text: str) -> None:
    if len(title) > LONGEST_TITLE or len(text) > LONGEST:
        raise ReportError(
            f"This is longer than a report can be ({grouped(LONGEST)} characters). What was "
            "written before is kept; your text is still in the box."
        )


def _keep_version(report: Report, person) -> None:
    """Keep it as a version: the last one goes on where the same person has just been writing."""
    now = timezone.now()
    last = report.versions.last()
    if last is not None and last.made_by_id == person.pk and now - last.begun_at < ONE_VERSION:
        last.title, last.text, last.made_at = report.title, report.text, now
        last.save(update_fields=["title", "text", "made_at"])
        return
    report.versions.create(
        title=report.title, text=report.text, begun_at=now, made_at=now, made_by=person
    )
    for old in list(report.versions.order_by("-pk")[MOST_VERSIONS:]):
        old.delete()


def begin_anew(report: Report, title: str, text: str, person) -> None:
    """Have the report be another text, as an opening or a version; as it is stays a version."""
    now = timezone.now()
    with transaction.atomic():
        for kept_title, kept_text in ((report.title, report.text), (title, text)):
            last = report.versions.last()
            if last is None or (last.title, last.text) != (kept_title, kept_text):
                report.versions.create(
                    title=kept_title, text=kept_text, begun_at=now - ONE_VERSION, made_at=now,
                    made_by=person,
                )  # fmt: skip
        report.title, report.text, report.version = title, text, report.version + 1
        report.save(update_fields=["title", "text", "version", "changed_at"])
        touch(report.experiment)


def freeze(report: Report, numbers: dict[str, str]) -> None:
    """Have numbers stay as they are shown now, whatever changes at the Desk."""
    report.frozen, report.frozen_at = numbers, timezone.now()
    report.save(update_fields=["frozen", "frozen_at"])


def thaw(report: Report) -> None:
    """Have numbers follow the Desk again."""
    report.frozen = report.frozen_at = None
    report.save(update_fields=["frozen", "frozen_at"])


def printed(report: Report, numbers: dict[str, str]) -> None:
    """Note what numbers were when the report was taken along."""
    Report.objects.filter(pk=report.pk).update(printed=numbers)


def keep_opening(person, name: str, text: str) -> Opening:
    """Keep a text that reports of a person can begin with. Raises ReportError."""
    name = " ".join(name.split())
    if not name or len(name) > 60:
        raise ReportError("Give the opening a name of up to 60 characters.")
    _refuse_long(name, text)
    own = Opening.objects.filter(owner=person)
    if own.exclude(name=name).count() >= MOST_OPENINGS:
        raise ReportError(f"There are {MOST_OPENINGS} openings already. Take one away first.")
    opening, _ = Opening.objects.update_or_create(owner=person, name=name, defaults={"text": text})
    return opening
