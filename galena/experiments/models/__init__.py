"""What is kept of an experiment. Readings are rows of bytes, many to a row; see `readings`."""

from galena.experiments.models.experiment import (
    Condition,
    Experiment,
    Given,
    Quantity,
)
from galena.experiments.models.plans import TypedPlan
from galena.experiments.models.run import ConditionValue, Run, RunQuerySet
from galena.experiments.models.series import Series, SeriesChunk, Stream, into_unit
from galena.experiments.models.steps import Entry, Scene, Step, StepPart
from galena.experiments.models.typed import Aside, TypedColumn

__all__ = [
    "Aside",
    "Condition",
    "ConditionValue",
    "Entry",
    "Experiment",
    "Given",
    "Quantity",
    "Run",
    "RunQuerySet",
    "Scene",
    "Series",
    "SeriesChunk",
    "Step",
    "StepPart",
    "Stream",
    "TypedColumn",
    "TypedPlan",
    "into_unit",
]
