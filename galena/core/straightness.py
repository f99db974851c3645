"""Whether readings lie on a straight line: what *line*, *linear*, *proportional* may rest on."""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from functools import lru_cache, partial

import numpy as np
from numpy.typing import ArrayLike, NDArray

from galena.core import autoregression
from galena.core.distributions import normal_quantile, student_above
from galena.core.loading import later

signal = later("scipy.signal")

Floats = NDArray[np.float64]
FEWEST = 5
_UNLIKELY = 0.05
_SIMULATED = 8000  # sets of straight readings with plain scatter, always the same ones
_SIMULATED_AT = 200  # of more readings so many places stand for all in the simulation
_MORE, _LASTING = 1.5, 0.98  # standard deviations more of the last error; and at most so much
_PLAINLY = 0.15  # of the first sets: three times as many as are unlikely
_SETS, _FEWEST_SETS, _NUMBERS, _SETTLING = 600, 120, 2_000_000, 200
_ROUNDING = 1e-11  # of all readings: what is left over is the arithmetic's
_AT_MOST = 1500  # means of neighbours stand for more readings
_COARSE = 1.0  # a step of the readings as large as their scatter is coarse
_WITHIN = 0.75  # of a step: nothing beyond rounding is left over
_NAMES = ("a square", "a cube", "a logarithm", "an inverse")


@dataclass(frozen=True)
class Straightness:
    """is_straight: None where too few readings can tell; why: in words."""

    is_straight: bool | None
    why: str


@dataclass(frozen=True)
class _Null:
    """What happens by chance alone on these places.

    smallest, ratios: sorted, of the simulated sets; joint: how rare the rarer of both must be;
    alone: the smallest probability of extra terms that is rare where the ratio does not count.
    """

    smallest: Floats
    ratios: Floats
    joint: float
    alone: float


def straightness(x: ArrayLike, y: ArrayLike, u_y: ArrayLike | None = None) -> Straightness:
    """Judge whether readings lie on a straight line but for their scatter.

    x, y: shape (n,); u_y: standard uncertainties by which readings are weighted, shape (n,) or
    a number. Two questions: does one more term (x², x³ and, where all x > 0, ln x and 1/x)
    explain more than scatter would, by the smallest of their probabilities; and do the residuals
    of the parabola still run with their neighbours, by von Neumann's ratio. How small these get
    by chance is simulated on these very places with a fixed seed, so that straight readings are
    called curved in 5 % of all cases.
    Where readings follow each other, or their last digit is coarse, the ratio says nothing and
    terms are judged by the uncertainty that then holds.
    Source: von Neumann, The Annals of Mathematical Statistics 12 (1941) 367; the permutation of
    two tests into one by the smaller of their ranks: Westfall and Young, Resampling-Based
    Multiple Testing (1993), 2.
    """
    places, values, weights = _thinned(*_in_order(x, y, u_y))
    if values.size < FEWEST or np.unique(places).size < FEWEST:
        return Straightness(None, f"{values.size} readings are too few to tell a line from a curve")
    columns, terms = _columns(places, weights)
    line = np.linalg.qr(columns)[0]
    scaled = values * weights
    left = scaled - line @ (line.T @ scaled)
    if np.linalg.norm(left) <= _ROUNDING * np.linalg.norm(scaled):
        return Straightness(True, "nothing is left over beside a line")
    step = _step(values)
    off = left / weights
    scatter = float(np.sqrt(off @ off / (values.size - 2)))
    if step and float(np.abs(off).max()) <= _WITHIN * step:
        return Straightness(True, "what is left over beside a line is less than the last digit")
    coarse = bool(step >= _COARSE * scatter)
    by_chance = partial(_null, places.tobytes(), weights.tobytes())
    return _judged(scaled, left, columns, line, terms, by_chance, coarse)


def unless_within_uncertainty(
    judged: Straightness, x: ArrayLike, y: ArrayLike, u_y: ArrayLike | None
) -> Straightness:
    """Take back that readings curve where their own uncertainties explain what a line leaves.

    x, y: shape (n,); u_y: standard uncertainties of y, each by itself, shape (n,) or a number;
    where some are unknown the judgement stays. An extra term is told from none where its share
    is more than k standard uncertainties of itself, the greatest of m terms in 5 % of all cases
    by chance (Bonferroni).
    Source: JCGM 100:2008 (GUM), 5.1.2, for the uncertainty of a sum of readings.
    """
    if judged.is_straight is not False or u_y is None:
        return judged
    u = np.broadcast_to(np.asarray(u_y, dtype=np.float64), np.shape(y))
    if not np.all(np.isfinite(u) & (u > 0)):
        return judged
    places, values, weights = _in_order(x, y, u)
    columns, terms = _columns(places, weights)
    line = np.linalg.qr(columns)[0]
    scaled = values * weights
    left = scaled - line @ (line.T @ scaled)
    shares = np.abs([term @ left for term in terms])
    if shares.max() > -normal_quantile(_UNLIKELY / 2 / len(terms)):
        return judged
    return Straightness(True, "no curve is seen beyond the readings' uncertainties")


def _in_order(x: ArrayLike, y: ArrayLike, u_y: ArrayLike | None) -> tuple[Floats, Floats, Floats]:
    """Give what is finite, with the weight of each, in the order of its places."""
    places, values = np.asarray(x, dtype=np.float64), np.asarray(y, dtype=np.float64)
    good = np.isfinite(places) & np.isfinite(values)
    weights = np.ones(values.shape)
    if u_y is not None:
        u = np.broadcast_to(np.asarray(u_y, dtype=np.float64), values.shape)
        good &= np.isfinite(u) & (u > 0)
        weights[good] = 1 / u[good]
    order = np.flatnonzero(good)[np.argsort(places[good], kind="stable")]
    return places[order], values[order], weights[order]


def _judged(
    scaled: Floats, left: Floats, columns: Floats, line: Floats, terms: list[Floats],
    by_chance: Callable[[], _Null], coarse: bool,
) -> Straightness:  # fmt: skip
    """Judge by the two questions whether what a line leaves over is more than scatter.

    What happens by chance is simulated only where the answer is not plain without: the smallest
    of k probabilities is rarer than p by chance between p and k p of the time (Bonferroni).
    """
    parabola = _parabola(columns, terms)
    probabilities, ratio = _seen(left[None], line, terms, parabola)
    best = int(np.argmin(probabilities[:, 0]))
    smallest, most = float(probabilities[best, 0]), len(terms)
    extended = np.linalg.qr(np.column_stack((line, terms[best])))[0]
    rest = scaled - extended @ (extended.T @ scaled)
    if coarse or _follow(rest, columns[:, 1] / columns[:, 0]):
        curved = _is_rare_while_following(left, rest, line, terms, smallest)
        how = "although readings follow each other, "
    elif scaled.size >= autoregression.FEWEST:
        # Where the ratio is small readings follow each other; what is left to judge are terms.
        curved, how = _is_rare(smallest, most, by_chance), ""
    elif most * smallest < _UNLIKELY / 2:
        curved, how = True, ""
    elif smallest > _UNLIKELY and _is_usual(float(ratio[0]), parabola):
        curved, how = False, ""
    else:
        null = by_chance()
        rank = min(_rank(null.smallest, smallest), _rank(null.ratios, ratio[0]))
        curved, how = bool(rank < null.joint), ""
    if not curved:
        return Straightness(True, "no curve is seen beyond the scatter")
    if _is_rare(smallest, most, by_chance):
        return Straightness(False, f"{how}{_NAMES[best]} more explains what a line leaves over")
    return Straightness(False, f"{how}what is left over runs with its neighbours")


def _follow(rest: Floats, x: Floats) -> bool:
    """Tell whether what is left over follows its neighbours, and is no smooth curve itself."""
    follow = autoregression.follow_each_other(rest, 3)
    return follow and autoregression.follow_beside_a_curve(rest, x)


def _is_rare(smallest: float, most: int, by_chance: Callable[[], _Null]) -> bool:
    """Tell whether the smallest of so many probabilities is smaller than usual by chance."""
    if most * smallest < _UNLIKELY:
        return True
    return bool(smallest <= _UNLIKELY and smallest <= by_chance().alone)


def _is_usual(ratio: float, parabola: Floats) -> bool:
    """Tell whether von Neumann's ratio of a parabola's residuals is nowhere near too small.

    parabola: its columns, orthonormal, shape (n, 3). Mean and variance of a ratio of quadratic
    forms: Durbin and Watson, Biometrika 37 (1950) 409, section 3.
    """
    count, spare = parabola.shape[0], parabola.shape[0] - parabola.shape[1]
    if count > _SIMULATED_AT:
        return False
    across = np.eye(count) - parabola @ parabola.T
    steps = np.diff(across, axis=0)
    form = steps.T @ steps
    trace = float(np.trace(form))
    mean = trace / spare
    squares = float(np.einsum("ij,ji->", form, form))
    variance = 2 * (spare * squares - trace**2) / (spare**2 * (spare + 2))
    return bool(ratio > mean - math.sqrt(max(0.0, variance)))


def _thinned(x: Floats, y: Floats, weights: Floats) -> tuple[Floats, Floats, Floats]:
    """Take means of neighbours where there are very many: a straight line stays one."""
    each = x.size // _AT_MOST
    if each < 2:
        return x, y, weights
    whole = x.size - x.size % each
    squares = weights[:whole].reshape(-1, each) ** 2
    total = squares.sum(axis=1)
    means = [(part[:whole].reshape(-1, each) * squares).sum(axis=1) / total for part in (x, y)]
    return means[0], means[1], np.sqrt(total)


def _columns(x: Floats, weights: Floats) -> tuple[Floats, list[Floats]]:
    """Give the columns of a line, shape (n, 2), and the extra terms, each of length one across
    it."""
    z = (x - x.mean()) / np.ptp(x)
    columns = np.stack((np.ones_like(z), z), axis=1) * weights[:, None]
    line = np.linalg.qr(columns)[0]
    raw = [z**2, z**3]
    if (x > 0).all():
        raw += [np.log(x / x.mean()), x.mean() / x]
    terms = []
    for term in raw:
        across = term * weights - line @ (line.T @ (term * weights))
        terms.append(across / (np.linalg.norm(across) or 1.0))
    return columns, terms


def _parabola(columns: Floats, terms: list[Floats]) -> Floats:
    return np.asarray(np.linalg.qr(np.column_stack((columns, terms[0])))[0])


def _seen(
    left: Floats, line: Floats, terms: list[Floats], parabola: Floats
) -> tuple[Floats, Floats]:
    """Give the probability of each extra term, shape (terms, m), and von Neumann's ratio of the
    residuals of the parabola, shape (m,), for m sets of residuals of a line."""
    rss = np.einsum("ij,ij->i", left, left)
    spare = left.shape[1] - 3
    share = np.stack([left @ term for term in terms])
    rest = np.maximum(rss - share**2, 1e-300)
    probabilities = 2 * student_above(np.abs(share) / np.sqrt(rest / spare), spare)
    bent = left - (left @ parabola) @ parabola.T
    steps = np.diff(bent, axis=1)
    ratio = np.einsum("ij,ij->i", steps, steps)
    return probabilities, ratio / np.maximum(np.einsum("ij,ij->i", bent, bent), 1e-300)


@lru_cache(maxsize=128)
def _null(x_bytes: bytes, weights_bytes: bytes) -> _Null:
    x, weights = np.frombuffer(x_bytes), np.frombuffer(weights_bytes)
    count = x.size
    if count > _SIMULATED_AT:
        some = np.linspace(0, count - 1, _SIMULATED_AT).astype(int)
        x, weights = x[some], weights[some]
    columns, terms = _columns(x, weights)
    line, parabola = np.linalg.qr(columns)[0], _parabola(columns, terms)
    noise = np.random.default_rng(20).normal(size=(_SIMULATED, x.size))
    left = noise - (noise @ line) @ line.T
    probabilities, ratios = _seen(left, line, terms, parabola)
    smallest = probabilities.min(axis=0)
    by_term, by_ratio = np.sort(smallest), np.sort(ratios)
    rarer = np.minimum(_rank(by_term, smallest), _rank(by_ratio, ratios))
    joint, alone = float(np.quantile(rarer, _UNLIKELY)), float(np.quantile(smallest, _UNLIKELY))
    if count > x.size:  # the ratio narrows with the number of readings, to 2 ± 2/√n
        by_ratio = 2 + (by_ratio - 2) * math.sqrt(x.size / count)
    return _Null(by_term, by_ratio, joint, alone)


def _rank(among: Floats, value: float | Floats) -> Floats:
    return np.asarray(np.searchsorted(among, value, side="right") / among.size)


def _is_rare_while_following(
    left: Floats, rest: Floats, line: Floats, terms: list[Floats], smallest: float
) -> bool:
    """Tell whether so small a probability is rare where errors follow each other.

    left, rest: residuals of the line, and of the line with its best term. Errors of the same
    kind are simulated, with a little more of the last one in each than was seen: from few
    readings that is told too small as often as too large, and only the former calls too much
    curved.
    """
    count = rest.size
    design = np.column_stack((line, *terms[:1]))
    followed = autoregression.of_residuals(rest, design).coefficients.copy()
    if not followed.size:
        followed = np.array([max(0.0, float(rest[1:] @ rest[:-1]) / float(rest @ rest))])
    lasting = min(0.99, float(followed.sum()))
    followed[0] += _MORE * math.sqrt(max(0.0, 1 - lasting**2) / count)
    root = float(np.abs(np.roots(np.concatenate(([1.0], -followed)))).max(initial=0.0))
    if root > _LASTING:
        followed = followed * (_LASTING / root) ** np.arange(1, followed.size + 1)
    sets = max(_FEWEST_SETS, min(_SETS, _NUMBERS // count))
    draw = np.random.default_rng(3)
    as_small = 0
    for some in (_FEWEST_SETS, sets - _FEWEST_SETS):
        noise = draw.normal(size=(some, count + _SETTLING))
        following = np.concatenate(([1.0], -followed))
        errors = signal.lfilter([1.0], following, noise, axis=1)[:, _SETTLING:]
        simulated = errors - (errors @ line) @ line.T
        by_chance = _seen(simulated, line, terms, line)[0].min(axis=0) if some else np.empty(0)
        as_small += int(np.count_nonzero(by_chance <= smallest))
        if as_small == 0 or as_small > _PLAINLY * _FEWEST_SETS:  # no further sets would change it
            return as_small == 0
    return as_small / sets < _UNLIKELY


def _step(y: Floats) -> float:
    """Give the step in which readings are written; 0 where none is seen.

    It is the least difference of two readings, where all differences are whole multiples of it.
    """
    apart = np.diff(np.unique(y))
    if not apart.size:
        return 0.0
    least = float(apart.min())
    counts = apart / least
    whole = np.abs(counts - np.round(counts)) <= 1e-6 * np.maximum(counts, 1.0)
    return least if whole.all() and apart.size < y.size - 1 else 0.0
