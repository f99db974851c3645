"""Which runs repeat which: those of the same plan with equal conditions."""

from collections.abc import Hashable, Iterable

from galena.core.conditions import Held
from galena.experiments.models import Run


def groups(runs: Iterable[Run]) -> list[list[Run]]:
    """Put runs with equal conditions together, in the order of the first of each.

    `condition_values` must be prefetched. Runs without any condition are repeats of none.
    """
    alike: dict[Hashable, list[Run]] = {}
    for run in runs:
        held = frozenset(
            (one.condition_id, Held(one.text, one.value).sameness)
            for one in run.condition_values.all()
            if one.text
        )
        alike.setdefault((run.plan, held) if held else run.pk, []).append(run)
    return list(alike.values())


def mark(runs: list[Run]) -> list[list[Run]]:
    """Note on each run of which it is a repeat, as `repeat_of`; None for the first of a group."""
    alike = groups(runs)
    for group in alike:
        for run in group:
            run.repeat_of = None if run is group[0] else group[0]
    return alike
