"""What belongs to an experiment: rows of each app, which go along into a copy.

Each app above registers its own part when it starts; that of the experiments is here.
"""

from collections.abc import Callable
from dataclasses import dataclass

from django.db import models

from galena.experiments.models import (
    Aside,
    Condition,
    ConditionValue,
    Entry,
    Experiment,
    Given,
    Quantity,
    Run,
    Scene,
    Series,
    SeriesChunk,
    Step,
    StepPart,
    Stream,
    TypedColumn,
)

Keys = dict[type[models.Model], dict[int, int]]  # of each model, from a row's key to its copy's


@dataclass(frozen=True)
class Part:
    """Rows of a model that belong to an experiment, and the way from them to it.

    with_runs: whether they are nothing without the runs.
    """

    model: type[models.Model]
    way: str
    with_runs: bool = False


@dataclass(frozen=True)
class AppPart:
    """What belongs to an experiment in one app: each part after all that it refers to.

    point: has keys that stand in JSON be those of the copies; tells whether runs were copied.
    """

    parts: tuple[Part, ...]
    point: Callable[[Experiment, Keys, bool], None] | None = None


APP_PARTS: list[AppPart] = []


def register(*parts: Part, point: Callable[[Experiment, Keys, bool], None] | None = None) -> None:
    """Say what belongs to an experiment in an app; apps further up come later."""
    APP_PARTS.append(AppPart(parts, point))


register(
    Part(Condition, "experiment"),
    Part(Quantity, "experiment"),
    Part(Given, "experiment"),
    Part(Run, "experiment", True),
    Part(ConditionValue, "run__experiment", True),
    Part(Stream, "run__experiment", True),
    Part(Series, "stream__run__experiment", True),
    Part(SeriesChunk, "series__stream__run__experiment", True),
    Part(Step, "run__experiment", True),
    Part(StepPart, "step__run__experiment", True),
    Part(Entry, "run__experiment", True),
    Part(Scene, "run__experiment", True),
    Part(TypedColumn, "run__experiment", True),
    Part(Aside, "run__experiment", True),
)
