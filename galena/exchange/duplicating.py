"""A copy of an experiment: its conditions, quantities and sheets, with or without its runs."""

from django.db import transaction

from galena.exchange.copying import AT_ONCE, Copying, values_of
from galena.exchange.parts import APP_PARTS, Belongs
from galena.experiments.models import Experiment


def duplicate(experiment: Experiment, person, *, runs: bool) -> Experiment:
    """Make a copy that belongs to the person; the original stays as it is.

    Raises ValueError while a run of it is recorded.
    """
    if runs and experiment.runs.growing().exists():
        raise ValueError("A run of this experiment is being recorded. Copy it afterwards.")
    with transaction.atomic():
        title = f"{experiment.title[:190]} (copy)"
        copy = Experiment.objects.create(owner=person, title=title)
        copying = Copying({Experiment: {experiment.pk: copy.pk}})
        for app in APP_PARTS:
            for part in app.parts:
                if runs or part.belongs is Belongs.FRAME:
                    rows = part.of(experiment).iterator(AT_ONCE)
                    copying.put(part, ((row.pk, values_of(row)) for row in rows))
        copying.finish()
        for app in APP_PARTS:
            if app.bare is not None and not runs:
                app.bare(copy, copying.keys)
    return copy
