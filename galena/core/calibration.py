"""From a raw reading to the one that a person reads, and how a calibration is found.

raw → calibration → zero → sign → unit; each step can be changed later, none touches what was
measured.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from types import MappingProxyType

import numpy as np
from numpy.typing import NDArray

from galena.core.errors import CalibrationError

Floats = NDArray[np.float64]

DEGREES = MappingProxyType({"offset": 0, "line": 1, "quadratic": 2, "cubic": 3})
LABELS = MappingProxyType(
    {"offset": "an offset", "line": "a line", "quadratic": "a parabola", "cubic": "a cubic"}
)


@dataclass(frozen=True)
class Standard:
    """A known value, the mean raw reading of it, and the standard uncertainties of both."""

    known: float
    raw: float
    u_known: float = 0.0
    u_raw: float = 0.0


@dataclass(frozen=True)
class Calibration:
    """value = Σ coefficients[k] · (raw - centre)^k within the range of the standards.

    `low` and `high` are the least and the greatest raw reading of a standard; beyond them the
    curve goes on straight. `covariance` is that of the coefficients, shape (p, p); `unit` is
    the unit of the values, as typed; `residual_sd` is not a number where nothing is left over.
    """

    model: str
    unit: str
    centre: float
    coefficients: tuple[float, ...]
    covariance: tuple[tuple[float, ...], ...]
    low: float
    high: float
    residual_sd: float = math.nan

    def __post_init__(self) -> None:
        numbers = [self.centre, self.low, self.high, *self.coefficients]
        numbers += [number for row in self.covariance for number in row]
        if self.model not in DEGREES or not all(map(math.isfinite, numbers)):
            raise CalibrationError("This calibration has a number that is none.")
        if len(self.coefficients) != max(1, DEGREES[self.model]) + 1 or self.low > self.high:
            raise CalibrationError("This calibration has not the numbers that its model needs.")
        shape = [len(self.coefficients)] * len(self.coefficients)
        if [len(row) for row in self.covariance] != shape:
            raise CalibrationError("This calibration's covariance has not the right shape.")
        if any(self.covariance[k][k] < 0 for k in range(len(shape))):
            raise CalibrationError("This calibration has a negative variance.")
        _refuse_turning(self)

    def apply(self, raw: Floats) -> Floats:
        """Turn raw readings into values; any shape."""
        values: Floats = self._basis(raw) @ np.asarray(self.coefficients)
        return values

    def invert(self, values: Floats) -> Floats:
        """Turn values back into raw readings, by Newton's method from the straight chord."""
        if len(self.coefficients) == 2:
            return self.centre + (values - self.coefficients[0]) / self.coefficients[1]
        wanted = np.asarray(values, dtype=np.float64)
        ends = self.apply(np.array([self.low, self.high]))
        slopes = self.slope(np.array([self.low, self.high]))
        rising = ends[1] > ends[0]
        inside = (wanted >= ends.min()) & (wanted <= ends.max())
        below = (wanted < ends[0]) if rising else (wanted > ends[0])
        raw = np.where(
            below,
            self.low + (wanted - ends[0]) / slopes[0],
            self.high + (wanted - ends[1]) / slopes[1],
        )
        low, high = np.full_like(wanted, self.low), np.full_like(wanted, self.high)
        for _ in range(60):  # bisection: the curve is monotonic between its ends
            middle = (low + high) / 2
            short = (self.apply(middle) < wanted) == rising
            low, high = np.where(short, middle, low), np.where(short, high, middle)
        return np.where(inside, (low + high) / 2, raw)

    def slope(self, raw: Floats) -> Floats:
        """Give the change of the value with the raw reading; any shape."""
        powers = np.arange(1, len(self.coefficients))
        inside = np.clip(raw, self.low, self.high)[..., None] - self.centre
        slope: Floats = (powers * inside ** (powers - 1)) @ np.asarray(self.coefficients[1:])
        return slope

    @property
    def slope_in_the_middle(self) -> float:
        """The slope in the middle of the raw readings that it was made from."""
        return float(self.slope(np.array((self.low + self.high) / 2)))

    def uncertainty(self, raw: Floats, zero: float | None = None) -> Floats:
        """Standard uncertainty of the values that the calibration itself brings; any shape.

        It is shared by all readings and so does not average out. What is common to a reading
        and to the zero taken from it cancels.

            u² = g · covariance · g,  g = basis(raw) - basis(zero)

        Source: JCGM 100:2008 (GUM), 5.2.2 and the calibration curve of H.3.
        """
        gradient = self._basis(raw)
        if zero is not None:
            gradient = gradient - self._basis(np.asarray(zero, dtype=np.float64))
        variance = np.einsum("...i,ij,...j->...", gradient, np.asarray(self.covariance), gradient)
        u: Floats = np.sqrt(np.clip(variance, 0.0, None))
        return u

    def _basis(self, raw: Floats) -> Floats:
        """Give what each coefficient multiplies: shape (…, p)."""
        powers = np.arange(len(self.coefficients))
        raw = np.asarray(raw, dtype=np.float64)
        if powers.size == 2:
            return (raw - self.centre)[..., None] ** powers
        ends = np.clip(raw, self.low, self.high)
        inside = (ends - self.centre)[..., None]
        beyond = (raw - ends)[..., None]
        basis: Floats = inside**powers + beyond * powers * inside ** np.maximum(powers - 1, 0)
        return basis


@dataclass(frozen=True)
class Correction:
    """What is done to raw readings on their way out; the raw ones are never changed.

    shown = factor · sign · (value(raw) - value(zero)) + shift

    `zero` is the raw value that is read as zero, or None, and `u_zero` its standard uncertainty;
    `factor` and `shift` carry the value into the unit in which it is shown.
    """

    zero: float | None = None
    calibration: Calibration | None = None
    sign: int = 1
    factor: float = 1.0
    shift: float = 0.0
    u_zero: float = 0.0

    def __post_init__(self) -> None:
        if self.zero is not None and not math.isfinite(self.zero):
            raise ValueError(f"A zero must be a finite number, not {self.zero}.")
        if self.sign not in (1, -1):
            raise ValueError(f"A sign is 1 or -1, not {self.sign}.")

    def apply(self, raw: Floats) -> Floats:
        """Turn raw readings into corrected ones; any shape."""
        shown: Floats = self.factor * self.sign * (self._value(raw) - self._taken) + self.shift
        return shown

    def invert(self, shown: Floats) -> Floats:
        """Turn corrected readings back into raw ones; any shape."""
        value = self.sign * (shown - self.shift) / self.factor + self._taken
        return value if self.calibration is None else self.calibration.invert(value)

    @property
    def has_shared_uncertainty(self) -> bool:
        """Tell whether all readings share an error, from a calibration or a zero."""
        return self.calibration is not None or (self.zero is not None and self.u_zero > 0)

    def shared_uncertainty(self, raw: Floats) -> Floats:
        """Standard uncertainty that all readings share; any shape.

        From the calibration and from the zero: that was a mean of readings too, and its error
        is in all that is read after it. Source: JCGM 100:2008 (GUM), F.1.2.3.
        """
        return np.hypot(self.curve_uncertainty(raw), self.zero_uncertainty)

    def curve_uncertainty(self, raw: Floats) -> Floats:
        """Standard uncertainty from the calibration, shared by all readings; any shape."""
        if self.calibration is None:
            return np.zeros_like(np.asarray(raw, dtype=np.float64))
        return abs(self.factor) * self.calibration.uncertainty(raw, self.zero)

    @property
    def zero_uncertainty(self) -> float:
        """Standard uncertainty from the zero, the same shift of all readings."""
        if self.zero is None or not self.u_zero:
            return 0.0
        at = np.asarray(self.zero, dtype=np.float64)
        steep = 1.0 if self.calibration is None else abs(float(self.calibration.slope(at)))
        return abs(self.factor) * steep * self.u_zero

    @property
    def zero_value(self) -> float:
        """What is taken from every value, in the unit before the last step."""
        return float(self._taken)

    @property
    def _taken(self) -> float:
        if self.zero is None:
            return 0.0
        return float(self._value(np.asarray(self.zero, dtype=np.float64)))

    def _value(self, raw: Floats) -> Floats:
        return raw if self.calibration is None else self.calibration.apply(raw)


def _refuse_turning(calibration: Calibration) -> None:
    slopes = calibration.slope(np.linspace(calibration.low, calibration.high, 401))
    if not ((slopes > 0).all() or (slopes < 0).all()):
        raise CalibrationError(
            f"{LABELS[calibration.model].capitalize()} through these standards turns back within "
            "their range, so that one value would belong to two readings. "
            "Choose a simpler curve, or take the odd standard again."
        )
