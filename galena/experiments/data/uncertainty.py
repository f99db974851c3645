"""The uncertainty of each reading, by the rule that was chosen for its quantity."""

from dataclasses import replace

import numpy as np

from galena.core.numbers import decimals_of_text
from galena.core.uncertainty_rules import RULES, OfReadings
from galena.experiments.data.readings import Readings
from galena.experiments.models import Quantity, Series


def ruled(readings: Readings, quantity: Quantity, step: float) -> Readings:
    """Give readings with the uncertainties that their quantity's rule gives them.

    step: the smallest difference that they can show, in the quantity's unit.
    """
    if quantity.u_rule == "scatter" and quantity.u_calibration:
        return readings
    rule = RULES[quantity.u_rule]
    absolute, relative = quantity.u_absolute or 0.0, quantity.u_relative or 0.0
    inputs = OfReadings(
        readings.y,
        step,
        readings.u,
        absolute if "absolute" in rule.takes else 0.0,
        relative if "relative" in rule.takes else 0.0,
    )
    shared = readings.shared if quantity.u_calibration else None
    return replace(readings, u=rule.rule(inputs), shared=shared)


def step_of(series: Series) -> float:
    """Give the step of a channel in the quantity's unit; `quantity` must be loaded with it."""
    if not series.resolution:
        return step_of_digits(series.quantity.decimals)
    middle = ((series.minimum or 0.0) + (series.maximum or 0.0)) / 2
    ends = series.correction.apply(np.array([middle, middle + series.resolution]))
    return abs(float(ends[1] - ends[0]))


def step_of_texts(texts: list[str]) -> float:
    """Give the last step of what was typed: that of the finest number."""
    return step_of_digits(max((decimals_of_text(one) for one in texts if one), default=0))


def step_of_digits(decimals: int) -> float:
    """Give one step of the last decimal."""
    return float(10.0**-decimals)
