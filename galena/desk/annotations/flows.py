"""All changes of spans, markers, notes and findings; `sheets` has those of sheets and graphs."""

import math

from django.db import transaction
from django.db.models import F

from galena.desk.errors import DeskError
from galena.desk.models import SIDES, Finding, Graph, Marker, Note, Sheet, Span
from galena.experiments.beside_flows import know_by_head
from galena.experiments.columns import over
from galena.experiments.flows import touch
from galena.experiments.models import Experiment, Quantity, Run
from galena.experiments.runs.beside import rows_between

LONGEST_NOTE = 300


def add_span(sheet: Sheet, lo: float, hi: float, quantity: Quantity | None = None) -> Span:
    """Mark off a stretch, to be asked of a quantity; DeskError where it has no width."""
    lo, hi = _ends(lo, hi)
    with transaction.atomic():
        Sheet.objects.filter(pk=sheet.pk).update(spans_made=F("spans_made") + 1)
        sheet.refresh_from_db(fields=["spans_made"])
        letter = _letter(sheet.spans_made)
        span = sheet.spans.create(letter=letter, lo=lo, hi=hi, quantity=quantity)
        touch(sheet.experiment)
    return span


def move_span(span: Span, lo: float, hi: float) -> None:
    """Give a span new ends; what was asked of it follows."""
    span.lo, span.hi = _ends(lo, hi)
    span.save(update_fields=["lo", "hi"])
    touch(span.sheet.experiment)


def ask_of(place: Span | Marker, quantity: Quantity) -> None:
    """Keep which quantity a span or a marker is asked of."""
    if place.quantity_id != quantity.pk:
        place.quantity = quantity
        place.save(update_fields=["quantity"])


def add_marker(sheet: Sheet, x: float, quantity: Quantity | None = None) -> Marker:
    """Point at a place, to be asked of a quantity."""
    with transaction.atomic():
        Sheet.objects.filter(pk=sheet.pk).update(markers_made=F("markers_made") + 1)
        sheet.refresh_from_db(fields=["markers_made"])
        marker = sheet.markers.create(number=sheet.markers_made, x=x, quantity=quantity)
        touch(sheet.experiment)
    return marker


def move_marker(marker: Marker, x: float) -> None:
    """Point elsewhere."""
    marker.x = x
    marker.save(update_fields=["x"])
    touch(marker.sheet.experiment)


def rename(place: Span | Marker, name: str) -> None:
    """Give a span or a marker a name beside its letter or number; empty takes it away."""
    place.name = _line(name, 40, "Keep the name to 40 characters.")
    place.save(update_fields=["name"])


def add_note(graph: Graph, text: str, x: float, y: float, side: str = "left") -> Note:
    """Write words beside a place in a graph."""
    return graph.notes.create(text=_note(text), x=x, y=y, side=side if side in SIDES else "left")


def change_note(note: Note, text: str) -> None:
    """Write other words."""
    note.text = _note(text)
    note.save(update_fields=["text"])


def move_note(note: Note, dx: float, dy: float) -> None:
    """Put the words elsewhere; the place that they are about stays."""
    if not (abs(dx) < 1000 and abs(dy) < 1000):
        raise DeskError("The note lies outside the graph. Move it back.")
    note.dx, note.dy = dx, dy
    note.save(update_fields=["dx", "dy"])


def point_note(note: Note, x: float, y: float) -> None:
    """Tie a note to another place."""
    if not (math.isfinite(x) and math.isfinite(y)):
        raise DeskError("A note is about a place in the graph. Choose one.")
    note.x, note.y = x, y
    note.save(update_fields=["x", "y"])


def drop(annotation: Span | Marker | Finding | Note, experiment: Experiment) -> None:
    """Take a span, a marker or a finding away."""
    annotation.delete()
    touch(experiment)


def _note(text: str) -> str:
    line = _line(text, LONGEST_NOTE, f"Keep the note to {LONGEST_NOTE} characters.")
    if not line:
        raise DeskError("The note is empty. Write what is to be seen there.")
    return line


def _line(text: str, longest: int, refusal: str) -> str:
    line = " ".join(text.split())
    if len(line) > longest:
        raise DeskError(refusal)
    return line


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


def know(
    span: Span, quantity: Quantity, runs: list[Run], named: str, text: str, person
) -> None:  # fmt: skip
    """Have a value be known beside the readings of a quantity that lie in a span, for each run.

    named: the head of the column, as `load F / N`, or its symbol. Raises GalenaError.
    """
    placed = over(span.sheet.x, [(run, quantity) for run in runs if run.kind.takes_columns])
    any_row = False
    for run in runs:
        of_run = placed.get((run.pk, quantity.pk))
        if of_run is None:
            continue
        read = of_run.readings
        rows = rows_between(read.t, read.rows, span.lo, span.hi)
        stream = run.streams.filter(pk=of_run.stream).first() if of_run.stream else None
        if rows:
            know_by_head(run, stream, named, rows, text, person)
            any_row = True
    if not any_row:
        raise DeskError("No shown run has measured readings in this span.")
