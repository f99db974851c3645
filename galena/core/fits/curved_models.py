"""Models that are not linear in all their parameters, with their slopes and ways to begin.

For given `shapes` (a decay time, a period, a centre) each is linear in its other parameters,
so that a start needs a search in the shapes alone.
Source of the search: Golub and Pereyra, SIAM Journal on Numerical Analysis 10 (1973) 413.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cached_property

import numpy as np
from numpy.typing import NDArray

from galena.core.fits.models import columns_of
from galena.core.fits.spectrum import frequencies
from galena.core.formula.parameter_units import Powers
from galena.core.loading import later
from galena.core.model_facts import NO_FACTS, Facts, Family, example
from galena.core.units import Unit

special = later("scipy.special")

Floats = NDArray[np.float64]
Columns = tuple[Floats | float, ...]
# The values, and what works out the slope in each parameter in order.
Worked = tuple[Floats, Callable[[], Columns]]
Params = Mapping[str, float]
Slope = Callable[[str], Floats]
Rate = Callable[[Floats, Floats, Params, Slope], Floats]
TURN = 2 * np.pi
_FEW_CYCLES = 6  # in the reach: up to so many a spectrum tells a period too coarsely


@dataclass(frozen=True)
class CurvedModel:
    """A shipped model with analytic slopes.

    powers: the unit of each parameter, as powers of those of x and y.
    work: values and slopes from x and the parameters in order.
    grid: shapes to try, from x and y; each is a tuple.
    linear: for shapes, the columns that the other parameters multiply.
    begin: parameters in order, from shapes and the factors of those columns.
    derivative_of: the rate of change with x, from x, y, the parameters and the slopes in them.
    """

    key: str
    label: str
    formula: str
    powers: Mapping[str, Powers]
    work: Callable[..., Worked] = field(repr=False)
    grid: Callable[[Floats, Floats], list[tuple[float, ...]]] = field(repr=False)
    linear: Callable[..., Columns] = field(repr=False)
    begin: Callable[[tuple[float, ...], Floats], tuple[float, ...]] = field(repr=False)
    derivative_of: Rate = field(repr=False)
    above_zero: bool = False
    facts: Facts = NO_FACTS

    @cached_property
    def parameters(self) -> tuple[str, ...]:
        return tuple(self.powers)

    def values(self, x: Floats, params: Mapping[str, float]) -> Floats:
        """Give y at x, shape (n,)."""
        return self.worked(x, params)[0]

    def jacobian(self, x: Floats, params: Mapping[str, float]) -> Floats:
        """Give the slope of y in each parameter, shape (n, parameters)."""
        with np.errstate(all="ignore"):
            return columns_of(self.worked(x, params)[1](), x.size)

    def derivative(self, x: Floats, params: Mapping[str, float]) -> Floats:
        """Give the rate of change of y with x, shape (n,)."""
        with np.errstate(all="ignore"):
            jacobian = self.jacobian(x, params)
            y = self.values(x, params)
            return self.derivative_of(
                x, y, params, lambda name: jacobian[:, self.parameters.index(name)]
            )

    def outside(self, x: Floats) -> NDArray[np.bool_]:
        """Tell the places at which the model has no value, shape (n,)."""
        return x <= 0 if self.above_zero else np.zeros(x.shape, dtype=bool)

    def units(self, x: Unit, y: Unit) -> dict[str, Unit]:
        """Tell each parameter's unit from those of x and y."""
        return {name: one.unit(x, y) for name, one in self.powers.items()}

    def worked(self, x: Floats, params: Mapping[str, float]) -> Worked:
        """Give y at x, and what works out its slopes from what that has shown already."""
        with np.errstate(all="ignore"):
            # As numpy's numbers: what divides by zero gives no number, and no error.
            return self.work(x, *(np.asarray(params[name]) for name in self.parameters))


def _by_centre(x: Floats, y: Floats, p: Params, slope: Slope) -> Floats:
    return -slope("x_0")


def _by_growth(sign: float) -> Rate:
    return lambda x, y, p, slope: (y - p.get("c", 0.0)) * (sign / p["τ"])


def _by_phase(x: Floats, y: Floats, p: Params, slope: Slope) -> Floats:
    dying = (y - p["c"]) / p["τ"] if "τ" in p else 0.0
    return slope("φ") * (TURN / p["T"]) - dying


def _turning(x: Floats, a: float, x0: float, y0: float) -> Worked:
    off = x - x0
    return a * off**2 + y0, lambda: (off**2, -2 * a * off, 1.0)


def _power(x: Floats, a: float, n: float) -> Worked:
    raised = x**n
    return a * raised, lambda: (raised, a * raised * np.log(x))


def _exponential(sign: float) -> Callable[..., Worked]:
    def work(x: Floats, a: float, tau: float, *constant: float) -> Worked:
        e = np.exp(x * (sign / tau))
        ones = (1.0,) * len(constant)
        y = a * e
        if constant:
            y += constant[0]
        return y, lambda: (e, x * e * (-sign * a / tau**2), *ones)

    return work


def _saturating(x: Floats, a: float, tau: float) -> Worked:
    e = np.exp(x * (-1 / tau))
    return a * (1 - e), lambda: (1 - e, x * e * (-a / tau**2))


def _sine(x: Floats, a: float, period: float, phase: float, c: float) -> Worked:
    angle = x * (TURN / period) + phase
    s = np.sin(angle)

    def jacobian() -> Columns:
        k = a * np.cos(angle)
        return s, x * k * (-TURN / period**2), k, 1.0

    return a * s + c, jacobian


def _damped(x: Floats, a: float, tau: float, period: float, phase: float, c: float) -> Worked:
    angle, e = x * (TURN / period) + phase, np.exp(x * (-1 / tau))
    s = e * np.sin(angle)

    def jacobian() -> Columns:
        k = a * e * np.cos(angle)
        return s, x * s * (a / tau**2), x * k * (-TURN / period**2), k, 1.0

    return a * s + c, jacobian


def _gaussian(x: Floats, a: float, x0: float, sigma: float, c: float) -> Worked:
    z = (x - x0) / sigma
    e = np.exp(-(z**2) / 2)

    def jacobian() -> Columns:
        tilted = e * z * (a / sigma)
        return e, tilted, tilted * z, 1.0

    return a * e + c, jacobian


def _risen(z: Floats) -> Floats:
    return np.asarray((1 + special.erf(z)) / 2)


def _step(x: Floats, a: float, x0: float, sigma: float, c: float) -> Worked:
    z = (x - x0) / (np.sqrt(2) * sigma)
    share = _risen(z)

    def jacobian() -> Columns:
        bell = np.exp(-(z**2)) * (-a / (sigma * np.sqrt(TURN)))
        return share, bell, bell * z * np.sqrt(2), 1.0

    return a * share + c, jacobian


def _logistic(x: Floats, a: float, x0: float, s: float) -> Worked:
    z = (x - x0) / s
    share = special.expit(z)

    def jacobian() -> Columns:
        bell = share * (1 - share) * (-a / s)
        return share, bell, bell * z

    return a * share, jacobian


def _reach(x: Floats) -> float:
    return float(np.ptp(x)) or float(np.max(np.abs(x))) or 1.0


def _times(x: Floats, _: Floats) -> list[tuple[float, ...]]:
    """Give decay times from a hundredth of the reach to ten times as long."""
    return [(float(one),) for one in _reach(x) * np.geomspace(0.01, 10.0, 40)]


def _periods(x: Floats, y: Floats) -> list[float]:
    """Give the periods that stand out of the spectrum, and those of a few cycles in the reach."""
    reach = _reach(x)
    standing_out = [1 / frequency for frequency in frequencies(x, y)]
    return standing_out + [reach / cycles for cycles in np.arange(0.25, _FEW_CYCLES, 0.25)]


def _waves(x: Floats, y: Floats) -> list[tuple[float, ...]]:
    return [(one,) for one in _periods(x, y)]


def _dying_waves(x: Floats, y: Floats) -> list[tuple[float, ...]]:
    reach = _reach(x)
    times = [0.03 * reach, 0.1 * reach, 0.3 * reach, reach, 4 * reach, 30 * reach]
    periods = _periods(x, y)
    return [(tau, period) for tau in times for period in periods]


def _places(x: Floats, y: Floats) -> list[tuple[float, ...]]:
    """Give centres at the readings' quantiles and where y is least or most, each in widths."""
    centres = [*np.quantile(x, np.linspace(0.02, 0.98, 25)), x[np.argmax(y)], x[np.argmin(y)]]
    widths = _reach(x) * np.geomspace(0.004, 1.0, 14)
    return [(float(centre), float(width)) for centre in centres for width in widths]


def _either_way(x: Floats, y: Floats) -> list[tuple[float, ...]]:
    return [(at, way * width) for at, width in _places(x, y) for way in (1, -1)]


def _exponents(x: Floats, _: Floats) -> list[tuple[float, ...]]:
    return [(float(one),) for one in np.arange(-6.0, 6.01, 0.25)]


def _middles(x: Floats, _: Floats) -> list[tuple[float, ...]]:
    reach = _reach(x)
    return [(float(one),) for one in np.linspace(x.min() - reach, x.max() + reach, 61)]


def _ones(x: Floats) -> Floats:
    return np.ones_like(x)


def _wave(x: Floats, period: float) -> tuple[Floats, Floats]:
    angle = x * (TURN / period)
    return np.sin(angle), np.cos(angle)


def _of_wave(factors: Floats) -> tuple[float, float]:
    """Give amplitude and phase from the factors of sine and cosine."""
    return float(np.hypot(factors[0], factors[1])), float(np.arctan2(factors[1], factors[0]))


_A, _X, _ONE = Powers(y=1), Powers(x=1), Powers()
_BENT = {"a": _A, "x_0": _X, "σ": _X, "c": _A}
_GROWS: Family = "grows and decays"
_WAVES: Family = "waves, steps, peaks"

CURVED = (
    CurvedModel(
        "turning_point", "quadratic by its turning point", "a*(x - x_0)^2 + y_0",
        {"a": Powers(y=1, x=-2), "x_0": _X, "y_0": _A}, _turning, _middles,
        lambda x, x0: ((x - x0) ** 2, _ones(x)), lambda s, f: (f[0], s[0], f[1]),
        _by_centre,
        facts=Facts(example=example(0.0, 1.0, a=-4.0, x_0=0.5)),
    ),
    CurvedModel(
        "power", "power", "a*x^n", {"a": _A, "n": _ONE}, _power, _exponents,
        lambda x, n: (x**n,), lambda s, f: (f[0], s[0]), lambda x, y, p, slope: y * p["n"] / x,
        above_zero=True, facts=Facts(counts_x=True, example=example(0.02, 1.0, n=2.6)),
    ),
    CurvedModel(
        "growth", "exponential growth", "a*exp(x/τ)", {"a": _A, "τ": _X}, _exponential(1.0),
        _times, lambda x, tau: (np.exp(x / tau),), lambda s, f: (f[0], s[0]),
        _by_growth(1.0),
        facts=Facts(family=_GROWS, example=example(0.0, 3.0)),
    ),
    CurvedModel(
        "growth_constant", "exponential growth plus constant", "a*exp(x/τ) + c",
        {"a": _A, "τ": _X, "c": _A}, _exponential(1.0), _times,
        lambda x, tau: (np.exp(x / tau), _ones(x)), lambda s, f: (f[0], s[0], f[1]),
        _by_growth(1.0),
        facts=Facts(family=_GROWS, example=example(0.0, 3.0, c=6.0)),
    ),
    CurvedModel(
        "decay", "exponential decay", "a*exp(-x/τ)", {"a": _A, "τ": _X}, _exponential(-1.0),
        _times, lambda x, tau: (np.exp(-x / tau),), lambda s, f: (f[0], s[0]),
        _by_growth(-1.0),
        facts=Facts(family=_GROWS, example=example(0.0, 3.0)),
    ),
    CurvedModel(
        "decay_constant", "exponential decay plus constant", "a*exp(-x/τ) + c",
        {"a": _A, "τ": _X, "c": _A}, _exponential(-1.0), _times,
        lambda x, tau: (np.exp(-x / tau), _ones(x)), lambda s, f: (f[0], s[0], f[1]),
        _by_growth(-1.0),
        facts=Facts(family=_GROWS, example=example(0.0, 4.0, c=0.35)),
    ),
    CurvedModel(
        "saturating", "saturating exponential", "a*(1 - exp(-x/τ))", {"a": _A, "τ": _X},
        _saturating, _times, lambda x, tau: (1 - np.exp(-x / tau),), lambda s, f: (f[0], s[0]),
        lambda x, y, p, slope: (p["a"] - y) / p["τ"],
        facts=Facts(family=_GROWS, example=example(0.0, 4.0)),
    ),
    CurvedModel(
        "sine", "sine", "A*sin(2*π*x/T + φ) + c", {"A": _A, "T": _X, "φ": _ONE, "c": _A}, _sine,
        _waves, lambda x, period: (*_wave(x, period), _ones(x)),
        lambda s, f: (_of_wave(f)[0], s[0], _of_wave(f)[1], f[2]),
        _by_phase,
        facts=Facts(family=_WAVES, example=example(0.0, 2.25, φ=0.0, c=1.1)),
    ),
    CurvedModel(
        "damped_sine", "damped sine", "A*exp(-x/τ)*sin(2*π*x/T + φ) + c",
        {"A": _A, "τ": _X, "T": _X, "φ": _ONE, "c": _A}, _damped, _dying_waves,
        lambda x, tau, period: (*(np.exp(-x / tau) * one for one in _wave(x, period)), _ones(x)),
        lambda s, f: (_of_wave(f)[0], s[0], s[1], _of_wave(f)[1], f[2]),
        _by_phase,
        facts=Facts(family=_WAVES, example=example(0.0, 5.0, τ=1.8, φ=0.0, c=1.1)),
    ),
    CurvedModel(
        "gaussian", "Gaussian", "a*exp(-(x - x_0)^2/(2*σ^2)) + c", _BENT, _gaussian, _places,
        lambda x, x0, sigma: (np.exp(-(((x - x0) / sigma) ** 2) / 2), _ones(x)),
        lambda s, f: (f[0], *s, f[1]),
        _by_centre,
        facts=Facts(family=_WAVES, example=example(-3.5, 3.5, x_0=0.0, c=0.1)),
    ),
    CurvedModel(
        "step", "error-function step", "a*(1 + erf((x - x_0)/(sqrt(2)*σ)))/2 + c", _BENT, _step,
        _places, lambda x, x0, sigma: (_risen((x - x0) / (np.sqrt(2) * sigma)), _ones(x)),
        lambda s, f: (f[0], *s, f[1]),
        _by_centre,
        facts=Facts(family=_WAVES, example=example(-3.5, 3.5, x_0=0.0, c=0.1)),
    ),
    CurvedModel(
        "logistic", "logistic", "a/(1 + exp(-(x - x_0)/s))", {"a": _A, "x_0": _X, "s": _X},
        _logistic, _either_way,
        lambda x, x0, s: (special.expit((x - x0) / s),), lambda s, f: (f[0], *s),
        _by_centre,
        facts=Facts(family=_GROWS, example=example(-5.0, 5.0, x_0=0.0)),
    ),
)  # fmt: skip
