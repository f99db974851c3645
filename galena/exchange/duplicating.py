"""A copy of an experiment: its conditions, quantities and sheets, with or without its runs."""

from django.db import models, transaction

from galena.exchange.parts import APP_PARTS, Keys
from galena.experiments.models import Experiment, Run

AT_ONCE = 500  # rows in memory


def duplicate(experiment: Experiment, person, *, runs: bool) -> Experiment:
    """Make a copy that belongs to the person; the original stays as it is.

    Raises ValueError while a run of it is recorded.
    """
    if runs and experiment.runs.filter(state=Run.State.RECORDING).exists():
        raise ValueError("A run of this experiment is being recorded. Copy it afterwards.")
    with transaction.atomic():
        title = f"{experiment.title[:190]} (copy)"
        copy = Experiment.objects.create(owner=person, title=title)
        keys: Keys = {Experiment: {experiment.pk: copy.pk}}
        for app in APP_PARTS:
            for part in app.parts:
                if runs or not part.with_runs:
                    rows = part.model._default_manager.filter(**{part.way: experiment})
                    keys[part.model] = _copied(rows, keys)
            if app.point is not None:
                app.point(copy, keys, runs)
    return copy


def _copied(rows: models.QuerySet, copies: Keys) -> dict:
    """Copy rows; what they refer to becomes its copy where it has one."""
    keys: dict[int, int] = {}
    references = [
        (field.attname, copies[field.related_model])
        for field in rows.model._meta.concrete_fields
        if field.related_model in copies
    ]
    waiting = []
    for row in rows.order_by("pk").iterator(AT_ONCE):
        waiting.append((row.pk, row))
        row.pk = None
        row._state.adding = True
        for name, of in references:
            setattr(row, name, of.get(getattr(row, name), getattr(row, name)))
        if len(waiting) == AT_ONCE:
            keys |= _written(rows.model, waiting)
            waiting = []
    return keys | _written(rows.model, waiting)


def _written(model: type[models.Model], waiting: list) -> dict[int, int]:
    written = model._default_manager.bulk_create([row for _, row in waiting])
    return {before: row.pk for (before, _), row in zip(waiting, written, strict=True)}
