"""All changes at the Desk."""

from django.db import transaction
from django.db.models import F

from galena.core.errors import GalenaError
from galena.desk.models import Finding, Marker, Sheet, Span
from galena.desk.questions import QUESTIONS
from galena.experiments.flows import touch
from galena.experiments.models import Experiment, Quantity, Run


class DeskError(GalenaError, ValueError):
    """What was asked at the Desk cannot be done."""


def first_sheet(experiment: Experiment) -> Sheet:
    """Give the experiment's sheet; it shows a quantity that a run has measured.

    Where a calibration has made another quantity of what it showed, it shows that.
    """
    sheet = experiment.sheets.order_by("pk").first()
    if sheet is None:
        with (
            transaction.atomic()
        ):  # holds the database's one write lock: two windows make one sheet
            sheet = experiment.sheets.order_by("pk").first() or experiment.sheets.create()
    measured = list(experiment.measured)
    if measured and sheet.quantity not in measured:
        before = sheet.quantity.source.split("|") if sheet.quantity else []
        same = [one for one in measured if before and one.source.split("|")[:4] == before[:4]]
        sheet.quantity = (same or measured)[0]
        sheet.save(update_fields=["quantity"])
    return sheet


def choose_quantity(sheet: Sheet, quantity: Quantity) -> None:
    """Show another quantity on the graph's y axis."""
    sheet.quantity = quantity
    sheet.save(update_fields=["quantity"])
    touch(sheet.experiment)


def add_span(sheet: Sheet, lo: float, hi: float) -> Span:
    """Mark off a stretch; DeskError where it has no width."""
    lo, hi = _ends(lo, hi)
    with transaction.atomic():
        Sheet.objects.filter(pk=sheet.pk).update(spans_made=F("spans_made") + 1)
        sheet.refresh_from_db(fields=["spans_made"])
        span = sheet.spans.create(letter=_letter(sheet.spans_made), lo=lo, hi=hi)
        touch(sheet.experiment)
    return span


def move_span(span: Span, lo: float, hi: float) -> None:
    """Give a span new ends; what was asked of it follows."""
    span.lo, span.hi = _ends(lo, hi)
    span.save(update_fields=["lo", "hi"])
    touch(span.sheet.experiment)


def add_marker(sheet: Sheet, x: float) -> Marker:
    """Point at a place."""
    with transaction.atomic():
        Sheet.objects.filter(pk=sheet.pk).update(markers_made=F("markers_made") + 1)
        sheet.refresh_from_db(fields=["markers_made"])
        marker = sheet.markers.create(number=sheet.markers_made, x=x)
        touch(sheet.experiment)
    return marker


def move_marker(marker: Marker, x: float) -> None:
    """Point elsewhere."""
    marker.x = x
    marker.save(update_fields=["x"])
    touch(marker.sheet.experiment)


def drop(thing: Span | Marker | Finding, experiment: Experiment) -> None:
    """Take a span, a marker or a finding away."""
    thing.delete()
    touch(experiment)


def ask(span: Span, kind: str, quantity: Quantity, runs: list[Run]) -> list[Finding]:
    """Ask a question of a span of each of these runs; asked twice it is kept once."""
    if kind not in QUESTIONS:
        raise DeskError(f"There is no question “{kind[:20]}”. Choose one on the card.")
    if not runs:
        raise DeskError("No run is shown, so there is nothing to ask. Show one in the rail above.")
    with transaction.atomic():
        found = [
            Finding.objects.get_or_create(span=span, kind=kind, run=run, quantity=quantity)[0]
            for run in runs
        ]
        touch(span.sheet.experiment)
    return found


def _ends(lo: float, hi: float) -> tuple[float, float]:
    if not hi > lo:
        raise DeskError(
            "This span is empty: its ends lie at the same place. Drag over the stretch you mean."
        )
    return lo, hi


def _letter(number: int) -> str:
    """Name the spans A, B … Z, AA, AB …"""
    letters = ""
    while number:
        number, place = divmod(number - 1, 26)
        letters = chr(ord("A") + place) + letters
    return letters
