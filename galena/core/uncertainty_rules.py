"""From where the standard uncertainty of each reading is taken, each rule stated once."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray

from galena.core import numbers
from galena.core.errors import NumberError

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class OfReadings:
    """What is known of readings y, shape (n,): the smallest step they can show, the scatter of
    each where it is a mean (None where it is not), and what was typed for a rule."""

    y: Floats
    resolution: float
    scatter: Floats | None = None
    absolute: float = 0.0
    relative: float = 0.0


@dataclass(frozen=True)
class UncertaintyRule:
    """A rule; `takes` names what must be typed for it. It gives u of each reading, or None."""

    key: str
    label: str
    about: str
    takes: tuple[str, ...] = ()
    rule: Callable[[OfReadings], Floats | None] = field(default=lambda readings: None, repr=False)


def _resolution(readings: OfReadings) -> Floats:
    """A reading lies anywhere within half a step: JCGM 100:2008 (GUM), F.2.2.1, a/√3."""
    return np.full(readings.y.shape, readings.resolution / (2 * math.sqrt(3)))


def _typed(readings: OfReadings) -> Floats:
    return np.hypot(readings.absolute, readings.relative * readings.y)


RULES: Mapping[str, UncertaintyRule] = MappingProxyType(
    {
        one.key: one
        for one in (
            UncertaintyRule(
                "scatter",
                "scatter of the averaged reading",
                "The standard error of each mean, as a stepwise run has it; single readings have "
                "none.",
                rule=lambda readings: readings.scatter,
            ),
            UncertaintyRule(
                "resolution",
                "resolution",
                "The last step of the instrument or of the digits typed, divided by 2√3.",
                rule=_resolution,
            ),
            UncertaintyRule(
                "absolute", "absolute", "The same for all readings.", ("absolute",), _typed
            ),
            UncertaintyRule(
                "relative", "relative", "So many percent of each reading.", ("relative",), _typed
            ),
            UncertaintyRule(
                "both",
                "absolute and relative",
                "Both, added as squares.",
                ("absolute", "relative"),
                _typed,
            ),
            UncertaintyRule("none", "none", "Single readings are taken as exact."),
        )
    }
)


def size(text: str, name: str) -> float:
    """Read an uncertainty as typed. Raises NumberError for what is no number or not above zero."""
    value = numbers.parse(text, name, "0.5")
    if value <= 0:
        raise NumberError(text, name, "0.5")
    return value


def honest_decimals(uncertainties: Floats, *, digits: int) -> int | None:
    """Tell how many decimals values deserve: so many digits of their usual uncertainty.

    uncertainties: shape (n,); None where none of them is a number above zero.
    Source: JCGM 100:2008 (GUM), 7.2.6.
    """
    usable = uncertainties[np.isfinite(uncertainties) & (uncertainties > 0)]
    if not usable.size:
        return None
    usual = float(np.median(usable))
    place = math.floor(math.log10(usual) + 1e-9)
    return min(max(digits - 1 - place, 0), 9)
