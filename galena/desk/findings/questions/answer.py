"""What a question of readings is asked of, and what an answer is made of."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from typing import Any

import numpy as np

from galena.core import fits, numbers
from galena.core.noise import quiet_scatter
from galena.core.runs_test import RunsTest
from galena.core.units import Unit, typeset
from galena.experiments.data.readings import Readings

PERCENT = Unit((("%", 1),))


@dataclass(frozen=True)
class Estimate:
    """A value with its standard uncertainty and unit; `key` names it in references.

    parts: by source, what of the uncertainty comes from there, signed, in its unit. What two
    estimates share has the same source, so that it can cancel. `decimals` are those of a value
    without an uncertainty.
    """

    key: str
    name: str
    value: float
    uncertainty: float
    unit: Unit
    parts: Mapping[str, float] = field(default_factory=dict)
    decimals: int | None = None

    @property
    def own_uncertainty(self) -> float:
        """What of the uncertainty it shares with no other run: without that of a calibration."""
        shared = sum(part**2 for name, part in self.parts.items() if not name.startswith("fit "))
        return math.sqrt(max(0.0, self.uncertainty**2 - shared))

    @property
    def text(self) -> str:
        """The value rounded to its uncertainty."""
        has_uncertainty = math.isfinite(self.uncertainty) and self.uncertainty > 0
        if not has_uncertainty and self.decimals is not None:
            return numbers.fixed(self.value, self.decimals)
        return numbers.estimate(self.value, self.uncertainty)

    @property
    def unit_text(self) -> str:
        return typeset(self.unit)

    @property
    def symbol(self) -> str:
        """Its name where that is a symbol, as it is typeset; empty where it is a word."""
        base = self.name.partition("_")[0]
        return self.name if len(base) <= 2 else ""


@dataclass(frozen=True)
class Answer:
    """What was found: estimates, a word on how, or why nothing was.

    fit: the fit if there was one, without its residuals; signs: what those showed. by_hand: its
    parameters were laid on, not fitted. line: a straight piece to be drawn, as x and y; area:
    the stretch and baseline to be shaded; at: the place that it is about.
    """

    estimates: tuple[Estimate, ...] = ()
    remark: str = ""
    fit: fits.Fit | None = None
    trouble: str = ""
    runs_test: RunsTest | None = None
    by_hand: bool = False
    remarks: tuple[str, ...] = ()
    line: tuple[tuple[float, float], tuple[float, float]] | None = None
    area: tuple[float, float, float, float] | None = None
    at: tuple[float, float] | None = None

    def but(self, **changes) -> Answer:
        """Give it with some things changed."""
        return replace(self, **changes)


@dataclass(frozen=True)
class Subject:
    """What a question is asked of.

    inside: the readings of the span that count; whole: all of the run's that count. places: the
    ends of the span, or the places of one or two markers. harvested: each reading is a finding,
    which knows its uncertainty from readings of its own.
    """

    inside: Readings
    whole: Readings
    places: tuple[float, ...]
    x_unit: Unit
    y_unit: Unit
    x_symbol: str
    y_symbol: str
    x_decimals: int
    y_decimals: int
    details: Mapping[str, Any]
    source: str
    harvested: bool = False

    @property
    def calibration(self) -> str:
        """The source of what all readings of this quantity share."""
        return f"calibration of {self.source}"

    def estimate(
        self, key: str, name: str, value: float, own: float, unit: Unit, shared: float,
        decimals: int | None = None,
    ) -> Estimate:  # fmt: skip
        """Give a number whose uncertainty is its own and what all readings share, signed."""
        if not (math.isfinite(shared) and shared):
            return Estimate(key, name, value, own, unit, {}, decimals)
        total = math.hypot(own if math.isfinite(own) else 0.0, shared)
        return Estimate(key, name, value, total, unit, {self.calibration: shared}, decimals)

    def own_uncertainties(
        self, readings: Readings | None = None
    ) -> tuple[np.ndarray | float, float]:
        """Give the own uncertainties of all readings, or of those; where none are known, the
        scatter of those inside, which is told."""
        of_it = self.whole if readings is None else readings
        if of_it.u is not None and np.any(np.nan_to_num(of_it.u) > 0):
            return np.nan_to_num(of_it.u), 0.0
        scatter = quiet_scatter(self.inside.y)
        scatter = 0.0 if math.isnan(scatter) else scatter
        return scatter, scatter


def following(count: int, counts_as: float) -> str:
    """Say that readings follow each other, so that fewer would tell as much."""
    return (
        f"readings follow each other: {numbers.grouped(count)} count as "
        f"{numbers.grouped(max(1, round(counts_as)))}"
    )
