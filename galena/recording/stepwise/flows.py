"""Changes to the rows of a stepwise run in the making: taken, and taken again."""

from django.db import transaction
from django.db.models import Max
from django.utils import timezone

from galena.core import numbers
from galena.core.errors import NumberError
from galena.core.stepping import as_typed
from galena.experiments.errors import CannotType
from galena.experiments.flows import touch
from galena.experiments.models import Entry, Quantity, Run, SeriesChunk, Step, StepPart
from galena.recording.acquisition.taking import Batch
from galena.recording.flows import StoredStream

Typed = dict[int, tuple[float, str]]  # by the quantity's key: its value, and as it is shown


def read_settings(quantities: list[Quantity], texts: dict[int, str]) -> Typed:
    """Read what was typed for each quantity. Raises CannotType, which names the quantity."""
    if not quantities:
        raise CannotType(None, "Say first what is typed with each reading: add a typed setting.")
    typed = {}
    for quantity in quantities:
        try:
            typed[quantity.pk] = as_typed(
                texts.get(quantity.pk, ""), quantity.decimals, quantity.name
            )
        except NumberError as error:
            raise CannotType(quantity.pk, str(error)) from error
    return typed


def store_step(
    run: Run,
    taken: list[tuple[StoredStream, Batch]],
    person,
    typed: Typed | None = None,
    row: int | None = None,
) -> Step:
    """Keep a step with its readings and what was typed, as a new row or in place of one.

    The step that it takes the place of is kept, and so is what was typed there.
    """
    now = timezone.now()
    with transaction.atomic():
        if row is None:
            row = (run.entries.aggregate(last=Max("row"))["last"] or 0) + 1
        else:
            run.steps.filter(row=row, replaced_at=None).update(replaced_at=now)
        step = Step.objects.create(run=run, row=row, taken_at=now, taken_by=person)
        for stored, batch in taken:
            if stored.stream.origin_us is None:
                stored.stream.origin_us = int(batch.stamps[0])
                stored.stream.save(update_fields=["origin_us"])
            SeriesChunk.objects.bulk_create(stored.chunks(batch))
            times = dict(zip([one.quantity_id for one in stored.values], batch.times, strict=False))
            StepPart.objects.create(
                step=step, stream=stored.stream, first_index=batch.first, count=len(batch),
                correlation_times=times,
            )  # fmt: skip
        for key, (value, text) in (typed or {}).items():
            Entry.objects.create(
                run=run, row=row, quantity_id=key, value=value, text=text,
                made_at=now, made_by=person,
            )  # fmt: skip
        touch(run.experiment)
    for stored, batch in taken:
        stored.sequence += 1
        stored.written += len(batch)
    return step


def repeated(run: Run, typed: Typed) -> int | None:
    """Tell the row that has these very settings already, if one has."""
    rows: dict[int, dict[int, float]] = {}
    for entry in run.entries.filter(replaced_at=None):
        rows.setdefault(entry.row, {})[entry.quantity_id] = entry.value
    wanted = {key: value for key, (value, _) in typed.items()}
    return next((row for row, held in sorted(rows.items()) if held == wanted), None)


def said_of_repeat(row: int, typed: Typed) -> str:
    """Say that a setting was there before, and what can be done about it."""
    shown = " and ".join(text.replace("-", numbers.MINUS) for _, text in typed.values())
    return (
        f"{shown} was set already, in row {row}; both readings are kept. To put a new reading "
        "in place of an old one, press again in its row."
    )
