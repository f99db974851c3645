"""All changes to reports."""

from django.db.models import F
from django.utils import timezone

from galena.core.errors import GalenaError
from galena.experiments.flows import touch
from galena.experiments.models import Experiment
from galena.reports.models import Report

LONGEST = 100_000

OPENING = """## What we did

## What we found

{graph}

## How sure we are
"""


class WrittenMeanwhile(GalenaError):  # noqa: N818
    """Someone else saved the report since it was opened here."""


def report_of(experiment: Experiment) -> Report:
    """Give the experiment's report; a new one has the headings of an argument."""
    report, _ = Report.objects.get_or_create(
        experiment=experiment, defaults={"title": experiment.title, "text": OPENING}
    )
    return report


def save(report: Report, title: str, text: str, version: int) -> None:
    """Keep what was written, if nobody else wrote since `version`.

    Raises WrittenMeanwhile, and then nothing is changed.
    """
    changed = Report.objects.filter(pk=report.pk, version=version).update(
        title=title, text=text, version=F("version") + 1, changed_at=timezone.now()
    )
    if not changed:
        raise WrittenMeanwhile(
            "Someone else saved this report since you opened it. Your text is still in the box: "
            "look at the page, take over what you need, then save again to keep yours."
        )
    report.refresh_from_db()
    touch(report.experiment)
