"""Of what a question is asked: its quantity, and the runs."""

from collections.abc import Mapping

from django.shortcuts import get_object_or_404

from galena.desk.errors import DeskError
from galena.desk.models import Sheet
from galena.desk.traces.drawn import RunReadings, having, shown_runs
from galena.experiments.models import Quantity
from galena.shell import requested


def quantity(sheet: Sheet, sent: Mapping[str, str]) -> Quantity:
    """Give the quantity that a question is of: `of`, or the sheet's first. Raises DeskError."""
    key = sent.get("of", "")
    if key:
        return get_object_or_404(sheet.experiment.quantities, pk=requested.key(key))
    if sheet.quantity is None:
        raise DeskError("This sheet shows nothing yet. Choose what goes upright.")
    return sheet.quantity


def runs(sheet: Sheet, of: Quantity, sent: Mapping[str, str]) -> list[RunReadings]:
    """Give the runs that are asked, `runs` saying which.

    Those shown, as where nothing is said; “every” that may be used; or one by its number.
    """
    wanted = sent.get("runs", "")
    if wanted == "every":
        kept = sheet.experiment.runs.kept().filter(unused="").of_kind(is_summary=False)
        return having(sheet, of, list(kept))
    shown = shown_runs(sheet, of)
    if wanted in ("", "shown"):
        return shown
    return [one for one in shown if str(one.run.number) == wanted]
