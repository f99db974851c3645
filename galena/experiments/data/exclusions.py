"""Which readings of runs were set aside."""

from collections.abc import Iterable

import numpy as np
from django.db.models import QuerySet
from numpy.typing import NDArray

from galena.experiments.models import Aside, Run
from galena.shell.prepared import prepared

Stretches = tuple[tuple[int, int], ...]


def asides(runs: Iterable[Run]) -> dict[tuple[int, int | None], Stretches]:
    """Give the first and last index of what was set aside, by run and stream; one query."""
    stretches_of: dict[tuple[int, int | None], list[tuple[int, int]]] = {}
    for row in prepared("set aside", _set_aside, [run.pk for run in runs]):
        key = row["run_id"], row["stream_id"]
        stretches_of.setdefault(key, []).append((row["first"], row["last"]))
    return {key: tuple(stretches) for key, stretches in stretches_of.items()}


def _set_aside(runs) -> QuerySet:
    return Aside.objects.filter(run__in=runs).values("run_id", "stream_id", "first", "last")


def mask(stretches: Stretches, count: int) -> NDArray[np.bool_] | None:
    """Tell for each of so many readings whether it was set aside; None where none was."""
    if not stretches:
        return None
    aside = np.zeros(count, dtype=bool)
    for first, last in stretches:
        aside[first : last + 1] = True
    return aside
