"""Values from several runs: whether they agree within their uncertainties, and their mean."""

from __future__ import annotations

import math
from collections.abc import Hashable, Sequence
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import ArrayLike, NDArray

from galena.core.distributions import chi_square_above, f_above, normal_above
from galena.core.statistics import describe

UNLIKELY = 0.05

Floats = NDArray[np.float64]


@dataclass(frozen=True)
class Agreement:
    """odd: the place of the value that lies farthest from the weighted mean of all; apart: how
    far, in the uncertainty of that distance; agree: whether among so many values one lies as far
    off by chance alone more often than once in twenty."""

    odd: int
    apart: float
    agree: bool


def agreement(values: ArrayLike, uncertainties: ArrayLike) -> Agreement:
    """Judge whether independent values agree.

    values, uncertainties: shape (n,) with n ≥ 2, uncertainties above zero.

        d_i = (v_i - m)/√(u_i² - u_m²),  m = Σ w_i v_i / Σ w_i,  w_i = 1/u_i²,  u_m² = 1/Σ w_i

    Source: the weighted mean of GUM (JCGM 100:2008), 5.1.2; Šidák, Journal of the American
    Statistical Association 62 (1967) 626, for the largest of several.
    """
    v, u = np.asarray(values, dtype=np.float64), np.asarray(uncertainties, dtype=np.float64)
    weights = 1 / u**2
    mean = float(weights @ v / weights.sum())
    spread = np.sqrt(np.maximum(u**2 - 1 / weights.sum(), 1e-12 * u**2))
    apart = np.abs(v - mean) / spread
    odd = int(np.argmax(apart))
    by_chance = 1 - (1 - 2 * normal_above(apart[odd])) ** (v.size if v.size > 2 else 1)
    return Agreement(odd, float(apart[odd]), by_chance > UNLIKELY)


def mean_of_repeats(values: ArrayLike, uncertainties: ArrayLike) -> tuple[float, float]:
    """Give the mean of repeats and its standard uncertainty.

    values, uncertainties: shape (n,), n ≥ 1; what is no number is left out, zero stands for an
    uncertainty that is not known. Raises TooFewReadings where nothing is left.

        u = max(s/√n, √(Σ u_i²)/n)

    It is no surer than what is known of each makes it: two that agree by chance are no better
    than two. Source: JCGM 100:2008 (GUM), 4.2.3 and 5.1.2.
    """
    v, u = np.asarray(values, dtype=np.float64), np.asarray(uncertainties, dtype=np.float64)
    good = np.isfinite(v)
    described = describe(v[good])
    of_each = float(np.linalg.norm(np.nan_to_num(u[good]))) / described.count
    scatter = described.standard_error if described.count > 1 else 0.0
    return described.mean, max(scatter, of_each) if math.isfinite(scatter) else of_each


APART = 3.5
_MAD_OF_NORMAL = 0.6745  # the median absolute deviation of a normal distribution, in its sd


def far_off(values: ArrayLike, uncertainties: ArrayLike) -> tuple[int, float] | None:
    """Point at the value that lies far from the middle of all, however unsure it says it is.

    values, uncertainties: shape (n,); what is not finite is taken for no uncertainty. Gives its
    place and how many times the spread of the others it is off; None with fewer than four, or
    where none lies far. A spread is not taken for smaller than the values are sure themselves.

        z_i = 0.6745 (v_i - median)/MAD, far for |z| > 3.5

    Source: Iglewicz and Hoaglin, How to Detect and Handle Outliers (ASQC, 1993), section 3.3.
    """
    v = np.asarray(values, dtype=np.float64)
    u = np.nan_to_num(np.asarray(uncertainties, dtype=np.float64), posinf=0.0)
    if v.size < 4:
        return None
    off = np.abs(v - np.median(v))
    spread = max(float(np.median(off)) / _MAD_OF_NORMAL, float(np.median(u)))
    place = int(np.argmax(off))
    if not spread > 0 or off[place] <= APART * spread:
        return None
    return place, float(off[place] / spread)


@dataclass(frozen=True)
class Pooled:
    """What several results say together, all but counts, ratio and probability in their unit.

    mean, u_mean: the plain mean and its standard error, from their scatter alone.
    weighted_mean, u_weighted_mean: weighted by 1 / (u² + s²), with the variance between them s².
    birge_ratio: of what they scatter to what their uncertainties say, with weights 1/u². p_value:
    how often chance alone scatters them at least so far; not a number for a single one. Where an
    uncertainty is not known, all that rests on it is not a number.
    """

    count: int
    mean: float
    u_mean: float
    weighted_mean: float
    u_weighted_mean: float
    birge_ratio: float
    between_sd: float
    median: float
    p_value: float = math.nan

    @property
    def is_more_than_chance(self) -> bool:
        """Whether they differ by more than their uncertainties explain."""
        return self.p_value < UNLIKELY


def pool(values: ArrayLike, uncertainties: ArrayLike, dof: ArrayLike | None = None) -> Pooled:
    """Put results together; those that are not finite are left out.

    values, uncertainties: shape (n,), the results and their standard uncertainties, in one unit.
    dof: degrees of freedom of each uncertainty, where they rest on few readings; none are taken
    for known. Raises TooFewReadings where no result is left.

    With w = 1/u², Q = Σ w (y - Σwy/Σw)², the variance between them is
    s² = max(0, (Q - (n - 1)) / (Σw - Σw²/Σw)), their weights are 1/(u² + s²), and
    u(weighted mean) = 1/√Σ 1/(u² + s²). Source: DerSimonian and Laird, Controlled Clinical
    Trials 7 (1986) 177; Birge, Physical Review 40 (1932) 207.

    Whether there is more than chance is told by χ² of Q where the uncertainties are known, and by
    Welch's test where each rests on few readings: χ² would alarm far too often then. Source:
    Welch, Biometrika 38 (1951) 330.
    """
    y = np.asarray(values, dtype=np.float64).ravel()
    u = np.broadcast_to(np.asarray(uncertainties, dtype=np.float64).ravel(), y.shape)
    kept = np.isfinite(y)
    y, u = y[kept], u[kept]
    plain = describe(y)
    if not np.all(np.isfinite(u) & (u > 0)):
        return Pooled(
            plain.count, plain.mean, plain.standard_error, math.nan, math.nan, math.nan, math.nan,
            plain.median,
        )  # fmt: skip
    if plain.count == 1:
        own = float(u[0])
        return Pooled(1, plain.mean, own, plain.mean, own, math.nan, 0.0, plain.median)
    scale = float(u.min())  # so that no weight is beyond what a number holds
    q, spread = _q(y, u, scale)
    between = math.sqrt(max(0.0, (q - (plain.count - 1)) / spread)) * scale
    weights = (scale / np.hypot(u, between)) ** 2
    weighted = float(y[0] + np.sum(weights * (y - y[0])) / weights.sum())
    freedom = None if dof is None else np.broadcast_to(np.asarray(dof, float).ravel(), kept.shape)
    return Pooled(
        plain.count, plain.mean, plain.standard_error, weighted,
        scale / math.sqrt(float(weights.sum())), math.sqrt(q / (plain.count - 1)), between,
        plain.median, _chance(y, u / scale, scale, q, None if freedom is None else freedom[kept]),
    )  # fmt: skip


def pool_shared(
    values: ArrayLike,
    uncertainties: ArrayLike,
    origins: Sequence[Hashable],
    dof: ArrayLike | None = None,
) -> Pooled:
    """Put results together of which some rest on the same readings, as when several people read
    one recording.

    values, uncertainties, dof: as of `pool`; origins: of each what its readings come from. What
    the readings of one origin are off by is the same in all results of it, so that their mean is
    no surer than one of them: they count as one result, with their mean, and the median of their
    uncertainties. The counts, the plain mean, its scatter and the median stay those of all; with a
    single origin, u_mean is that of one result as well. Source: JCGM 100:2008 (GUM), 5.2.2 and
    F.1.2.3, for a correlation of one.
    """
    y = np.asarray(values, dtype=np.float64).ravel()
    u = np.broadcast_to(np.asarray(uncertainties, dtype=np.float64).ravel(), y.shape)
    freedom = None if dof is None else np.broadcast_to(np.asarray(dof, float).ravel(), y.shape)
    kept = np.flatnonzero(np.isfinite(y))
    of_each: dict[Hashable, list[int]] = {}
    for place in map(int, kept):
        of_each.setdefault(origins[place], []).append(place)
    if len(of_each) == kept.size:
        return pool(y, u, freedom)
    together = list(of_each.values())
    pooled = pool(
        [float(y[places].mean()) for places in together],
        [float(np.median(u[places])) for places in together],
        None if freedom is None else [float(np.min(freedom[places])) for places in together],
    )
    plain = describe(y[kept])
    u_mean = plain.standard_error
    if len(together) == 1:
        u_mean = pooled.u_weighted_mean
    return replace(pooled, count=plain.count, mean=plain.mean, u_mean=u_mean, median=plain.median)


def _q(y: Floats, u: Floats, scale: float) -> tuple[float, float]:
    """Give Q, and Σw - Σw²/Σw with the weights times scale²."""
    w = (scale / u) ** 2
    centred = (y - y[0]) / scale
    centred = centred - np.sum(w * centred) / w.sum()
    return float(np.sum(w * centred**2)), float(w.sum() - np.sum(w**2) / w.sum())


def _chance(y: Floats, u: Floats, scale: float, q: float, dof: Floats | None) -> float:
    """Tell how often chance alone scatters results at least so far."""
    count = y.size
    if dof is None or np.all(np.isinf(dof)):
        return chi_square_above(q, count - 1)
    if not np.all(dof > 0):
        return math.nan
    w = 1 / u**2
    shares = np.sum((1 - w / w.sum()) ** 2 / dof)
    if shares == 0:
        return chi_square_above(q, count - 1)
    ratio = (q / (count - 1)) / (1 + 2 * (count - 2) / (count**2 - 1) * shares)
    return f_above(ratio, count - 1, (count**2 - 1) / (3 * shares))
