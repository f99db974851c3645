"""What the page of a report shows beside its text: what can be put in, and what has changed."""

from django.db import transaction

from galena.experiments.models import Experiment
from galena.reports.models import Report
from galena.reports.put_ins import PUT_INS, Choice
from galena.reports.put_ins.numbers import of_ledger
from galena.reports.setting import Page, shown_page
from galena.reports.source import Source


def choices_of(source: Source) -> list[tuple[str, list[Choice]]]:
    """List what can be put in, under its headings."""
    groups = [("Findings", of_ledger(source))]
    for put_in in PUT_INS.values():
        groups.append((put_in.heading, put_in.choices(source)))
    return [(heading, choices) for heading, choices in groups if choices]


def changed_since(report: Report, now: Page) -> list[tuple[str, str, str]]:
    """Tell which numbers are others than when the report was last taken along, or frozen."""
    before = report.printed
    return [
        (name, before[name], text)
        for name, text in now.numbers.items()
        if name in before and before[name] != text
    ]


def look_through(experiment: Experiment) -> None:
    """Set the page and all that can be put into it. Raises where something cannot be shown."""
    with transaction.atomic():  # an experiment without a sheet gets its first by being looked at
        source = Source(experiment)
        choices_of(source)
        for report in Report.objects.filter(experiment=experiment):
            if not isinstance(report.printed, dict) or not isinstance(report.frozen or {}, dict):
                raise ValueError("numbers without names")
            changed_since(report, shown_page(report.text, source, frozen=report.frozen))
        transaction.set_rollback(True)
