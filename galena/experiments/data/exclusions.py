"""Which readings of runs were set aside."""

from collections.abc import Iterable

import numpy as np
from numpy.typing import NDArray

from galena.experiments.models import Aside, Run

Stretches = tuple[tuple[int, int], ...]


def asides(runs: Iterable[Run]) -> dict[tuple[int, int | None], Stretches]:
    """Give the first and last index of what was set aside, by run and stream; one query."""
    stretches_of: dict[tuple[int, int | None], list[tuple[int, int]]] = {}
    rows = Aside.objects.filter(run__in=[run.pk for run in runs])
    for run, stream, first, last in rows.values_list("run_id", "stream_id", "first", "last"):
        stretches_of.setdefault((run, stream), []).append((first, last))
    return {key: tuple(stretches) for key, stretches in stretches_of.items()}


def mask(stretches: Stretches, count: int) -> NDArray[np.bool_] | None:
    """Tell for each of so many readings whether it was set aside; None where none was."""
    if not stretches:
        return None
    aside = np.zeros(count, dtype=bool)
    for first, last in stretches:
        aside[first : last + 1] = True
    return aside
