"""Where to begin the fit of a typed formula: most of its parameters follow from a few.

Parameters that only multiply, as a in a*exp(-b*x), follow from the others by linear least
squares; what turns a sine follows from the frequencies that stand out of the readings. Only for
the rest are sizes tried.
Source: Golub and Pereyra, SIAM Journal on Numerical Analysis 10 (1973) 413.
"""

from __future__ import annotations

import itertools
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

import numpy as np
from numpy.typing import NDArray

from galena.core.budget import spend
from galena.core.fits.spectrum import frequencies
from galena.core.formula.evaluation import evaluated
from galena.core.formula.model import ModelFormula
from galena.core.formula.rows import Rows
from galena.core.formula.semantics import Term
from galena.core.formula.values import Value

Floats = NDArray[np.float64]
ENOUGH, OF_WAVE = 240, 960  # readings that tell a start
BEST = 8
_WAVES = ("sin", "cos", "tan")
_SIZES = (1.0, 0.3, 3.0, 0.1, 10.0, 0.03, 30.0, 0.01, 100.0)
_PHASES = (0.0, 0.25 * np.pi, 0.5 * np.pi, 0.75 * np.pi)
_FEW_CYCLES = (0.25, 0.5, 0.75, 1.0, 1.5, 2.0, 3.0)
_MOST = 320  # settings of the other parameters that are tried
_DRAWN = 5


@dataclass(frozen=True)
class Turning:
    """What a sine or cosine turns by as `place` goes on: the parameters of its frequency, and
    those of its phase only."""

    place: str
    angle: Term
    frequency: tuple[str, ...]
    phase: tuple[str, ...]


def starts(
    model: ModelFormula, x: Floats, y: Floats, held: Mapping[str, float]
) -> list[dict[str, float]]:
    """Give parameters to begin with, likely ones first; those in `held` keep their values."""
    free = [name for name in model.parameters if name not in held]
    turnings = [one for one in turning(model) if set(one.frequency) & set(free)]
    rng = np.random.default_rng(7)  # the same starts each time
    count = OF_WAVE if turnings else ENOUGH
    some = np.arange(x.size)
    if x.size > count:
        some = np.sort(rng.choice(x.size, count, replace=False))
    few_x, few_y = x[some], y[some]
    sizes = _usual_sizes(model, few_x, few_y)
    linear = _linear_in(model, few_x, free, sizes, held)
    others = [name for name in free if name not in linear]
    if not linear and not turnings:
        return []
    tried: list[tuple[float, dict[str, float]]] = []
    with np.errstate(all="ignore"):
        for setting in _settings(turnings, others, sizes, held, x, y):
            spend()
            fitted = _rest(model, few_x, few_y, {**setting, **held}, linear)
            if fitted is not None:
                tried.append(fitted)
    tried.sort(key=lambda pair: pair[0])
    return [params for _, params in tried[:BEST]]


def turning(model: ModelFormula) -> list[Turning]:
    """List what the sines and cosines of a formula turn by."""
    if len(model.places) > 1:
        return []
    place, turnings = model.places[0], []
    pending = [model.term]
    while pending:
        term = pending.pop()
        pending += term.terms
        if term.operation in _WAVES and place in _symbols(term.terms[0]):
            angle = term.terms[0]
            inside = [name for name in model.parameters if name in _symbols(angle)]
            frequency = tuple(name for name in inside if _is_frequency(angle, place, inside, name))
            phase = tuple(name for name in inside if name not in frequency)
            if frequency:
                turnings.append(Turning(place, angle, frequency, phase))
    return turnings


def _symbols(term: Term) -> set[str]:
    inside = set().union(*(_symbols(one) for one in term.terms)) if term.terms else set()
    return inside | ({term.symbol} if term.operation == "symbol" else set())


def _slope(angle: Term, params: Mapping[str, float | Floats], symbol: str) -> Floats:
    """Give by how much an angle changes with one of its symbols; others may be rows of values."""
    inputs = {name: Value(value) for name, value in params.items()}
    inputs[symbol] = Value(params[symbol], shared={symbol: 1.0})
    with np.errstate(all="ignore"):
        worked = evaluated(angle, Rows(1), inputs)
    return np.asarray(worked.shared.get(symbol, 0.0), dtype=np.float64)


def _is_frequency(angle: Term, place: str, inside: Sequence[str], name: str) -> bool:
    """Tell whether an angle changes faster or slower with its place as a parameter changes."""
    params: dict[str, float | Floats] = {one: 0.7 + 0.11 * n for n, one in enumerate(inside)}
    params[place] = 0.9
    speeds = [float(_slope(angle, {**params, name: value}, place)) for value in (0.83, 1.31)]
    return abs(speeds[0] - speeds[1]) > 1e-9 * max(map(abs, speeds))


def _usual_sizes(model: ModelFormula, x: Floats, y: Floats) -> dict[str, float]:
    """Give a size for each parameter by its unit, counted in what x and y reach."""
    reach_x = float(np.ptp(x)) or float(np.max(np.abs(x))) or 1.0
    reach_y = float(np.max(np.abs(y))) or 1.0
    return {name: powers.size(reach_x, reach_y) for name, powers in model.powers.items()}


def _linear_in(
    model: ModelFormula, x: Floats, free: Sequence[str], sizes: Mapping[str, float],
    held: Mapping[str, float],
) -> list[str]:  # fmt: skip
    """List parameters in which the formula is linear, all of them together."""
    rng = np.random.default_rng(_DRAWN)
    base = {name: float(sizes[name] * rng.uniform(0.4, 1.2)) for name in model.parameters}
    base |= held
    some = x[np.unique(np.linspace(0, x.size - 1, min(12, x.size)).astype(int))]
    chosen: list[str] = []
    with np.errstate(all="ignore"):
        for name in free:
            together = [*chosen, name]
            places = [model.parameters.index(one) for one in together]
            moved = {**base, **{one: base[one] * rng.uniform(-2, 3) for one in together}}
            here = model.jacobian(some, base)[:, places]
            there = model.jacobian(some, moved)[:, places]
            if np.isfinite(here).all() and np.allclose(here, there, rtol=1e-9, atol=0.0):
                chosen = together
    return chosen


def _settings(
    turnings: Sequence[Turning], others: Sequence[str], sizes: Mapping[str, float],
    held: Mapping[str, float], x: Floats, y: Floats,
) -> list[dict[str, float]]:  # fmt: skip
    """List values to try of the parameters that are not linear, likely ones first."""
    frequency = {value.frequency[0]: value for value in turnings if value.frequency[0] in others}
    phases = {name for value in turnings for name in value.phase}
    rest = [name for name in others if name not in frequency]
    values = [
        _PHASES
        if name in phases
        else [way * size * sizes[name] for size in _SIZES for way in (1, -1)]
        for name in rest
    ]
    settings = _mixed(rest, values, _MOST if not frequency else 16)
    if not frequency:
        return settings
    reach, middle = float(np.ptp(x)) or 1.0, float(np.median(x))
    standing_out = [*frequencies(x, y)[:6], *(cycles / reach for cycles in _FEW_CYCLES)]
    turned = []
    for setting, cycles in itertools.product(settings, standing_out):
        params = {**dict.fromkeys(sizes, 1.0), **setting, **held}
        for name, value in frequency.items():
            params[name] = _at_speed(
                value, name, {**params, value.place: middle}, 2 * np.pi * cycles
            )
        for value in turnings:
            for name in set(value.phase) & set(rest):
                by = abs(float(_slope(value.angle, {**params, value.place: middle}, name)))
                params[name] = setting[name] / by if by > 0 else setting[name]
        turned.append({name: params[name] for name in others})
    return turned


def _mixed(
    names: Sequence[str], values: Sequence[Sequence[float]], most: int
) -> list[dict[str, float]]:
    """Give so many of all combinations: all where there are few, otherwise a fixed choice."""
    total = 1
    for of_it in values:
        total *= len(of_it)
    if total <= most:
        return [dict(zip(names, one, strict=True)) for one in itertools.product(*values)]
    rng = np.random.default_rng(_DRAWN)
    return [{name: float(rng.choice(of_it)) for name, of_it in zip(names, values, strict=True)}
            for _ in range(most)]  # fmt: skip


def _at_speed(turns: Turning, name: str, params: Mapping[str, float], speed: float) -> float:
    """Find the value of a parameter at which an angle changes so fast; NaN if none does."""
    tried = np.geomspace(1e-15, 1e15, 601)
    speeds = np.abs(_slope(turns.angle, {**params, name: tried}, turns.place))
    speeds = np.broadcast_to(speeds, tried.shape)
    good = np.isfinite(speeds) & (speeds > 0)
    if np.count_nonzero(good) < 2:
        return np.nan
    log_speed, log_value = np.log(speeds[good]), np.log(tried[good])
    order = np.argsort(log_speed, kind="stable")
    return float(np.exp(np.interp(np.log(speed), log_speed[order], log_value[order])))


def _rest(
    model: ModelFormula, x: Floats, y: Floats, setting: Mapping[str, float], linear: Sequence[str]
) -> tuple[float, dict[str, float]] | None:
    """Give the sum of squares and all parameters, the linear ones by least squares."""
    params = {**dict.fromkeys(linear, 0.0), **setting}
    if not all(np.isfinite(value) for value in params.values()):
        return None
    off = y - model.values(x, params)
    if linear:
        columns = model.jacobian(x, params)[:, [model.parameters.index(one) for one in linear]]
        size = np.linalg.norm(columns, axis=0)
        if not (np.isfinite(size).all() and (size > 0).all() and np.isfinite(off).all()):
            return None
        factors = np.linalg.lstsq(columns / size, off, rcond=1e-12)[0]
        off = off - (columns / size) @ factors
        params |= dict(zip(linear, (factors / size).tolist(), strict=True))
    rss = float(off @ off)
    ordered = {name: float(params[name]) for name in model.parameters}
    return (rss, ordered) if np.isfinite(rss) else None
