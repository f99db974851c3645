"""How a calibration is found: the curve through standards, weighted by their uncertainties."""

from __future__ import annotations

import math
from collections.abc import Sequence

import numpy as np

from galena.core.calibration import DEGREES, LABELS, Calibration, Floats, Standard
from galena.core.errors import CalibrationError
from galena.core.fits.linear import solve

_NUMBERS = ("no standard", "one standard", "two", "three", "four")
_SAME_DIRECTION = 1e-10  # beside the largest singular value: such a direction stays free
_SAME = 3.0  # raw readings closer than this many standard uncertainties are the same


def calibrate(standards: Sequence[Standard], model: str, unit: str) -> Calibration:
    """Find the curve through standards: "offset", "line", "quadratic" or "cubic".

    Least squares, weighted by u² = u_known² + (slope · u_raw)² where that is known of any
    standard; those without any uncertainty are exact then, and the curve goes through them. The
    covariance is widened where the residuals are larger than the uncertainties say.
    Raises CalibrationError where the standards cannot carry the model, and says why.
    Source: JCGM 100:2008 (GUM), H.3; ISO/TS 28037:2010, 6 (weights from both directions).
    """
    degree = DEGREES[model]
    raw = np.array([standard.raw for standard in standards], dtype=np.float64)
    known = np.array([standard.known for standard in standards], dtype=np.float64)
    _refuse(standards, degree, model)
    if degree == 0:
        return _offset(standards, raw, known, unit)
    centre, half = float(raw.min() + raw.max()) / 2, float(raw.max() - raw.min()) / 2
    design = ((raw - centre) / half)[:, None] ** np.arange(degree + 1)
    powers = np.arange(1, degree + 1)
    first = solve(design, known).parameters
    steep = design[:, :-1] @ (powers * first[1:]) / half
    parameters, covariance = _through(design, known, _uncertainties(standards, steep))
    residuals = known - design @ parameters
    back = half ** -np.arange(degree + 1.0)
    covariance = covariance * np.outer(back, back)
    return Calibration(
        model,
        unit,
        centre,
        tuple((parameters * back).tolist()),
        _rows(covariance),
        float(raw.min()),
        float(raw.max()),
        _residual_sd(residuals, degree + 1),
    )


def residuals(calibration: Calibration, standards: Sequence[Standard]) -> Floats:
    """Known value less that of the curve for each standard, shape (n,)."""
    raw = np.array([standard.raw for standard in standards], dtype=np.float64)
    known = np.array([standard.known for standard in standards], dtype=np.float64)
    return known - calibration.apply(raw)


def _offset(standards: Sequence[Standard], raw: Floats, known: Floats, unit: str) -> Calibration:
    u = _uncertainties(standards, np.ones_like(raw))
    parameters, covariance = _through(np.ones((raw.size, 1)), known - raw, u)
    offset = float(parameters[0])
    centre = float(raw.mean())
    rows = ((float(covariance[0, 0]), 0.0), (0.0, 0.0))
    return Calibration(
        "offset", unit, centre, (centre + offset, 1.0), rows, float(raw.min()), float(raw.max()),
        _residual_sd(known - raw - offset, 1),
    )  # fmt: skip


def _uncertainties(standards: Sequence[Standard], slopes: Floats) -> Floats:
    return np.array(
        [
            math.hypot(standard.u_known, slope * standard.u_raw)
            for standard, slope in zip(standards, slopes, strict=True)
        ]
    )


def _through(design: Floats, y: Floats, u: Floats) -> tuple[Floats, Floats]:
    """Give parameters and their covariance: exact standards (u = 0) bind, the others weigh.

    design: shape (n, p). The exact ones fix as many directions of the parameters as they can;
    in those that are left free the others are weighted by 1/u². That is the limit of weighted
    least squares as the weight of the exact ones grows without bound.
    Source: Björck, Numerical Methods for Least Squares Problems (1996), 5.1 (null space method).
    """
    exact = u == 0
    if exact.all() or not exact.any():
        weights = np.ones_like(u) if exact.any() else 1 / u
        solution = solve(design * weights[:, None], y * weights)
        left = (y - design @ solution.parameters) * weights
        spread = _spread(left, design.shape[1], known_weights=not exact.any())
        return solution.parameters, spread * solution.unscaled_covariance
    left_vectors, sizes, right_vectors = np.linalg.svd(design[exact])
    rank = int(np.count_nonzero(sizes > _SAME_DIRECTION * sizes[0]))
    along, free = right_vectors[:rank].T, right_vectors[rank:].T
    parameters = along @ ((left_vectors[:, :rank].T @ y[exact]) / sizes[:rank])
    off = y[exact] - design[exact] @ parameters
    spread = float(off @ off) / (off.size - rank) if off.size > rank else 0.0
    covariance = spread * (along / sizes[:rank] ** 2) @ along.T
    if free.size:
        weights = 1 / u[~exact]
        inside = (design[~exact] @ free) * weights[:, None]
        solution = solve(inside, (y[~exact] - design[~exact] @ parameters) * weights)
        parameters = parameters + free @ solution.parameters
        left = (y[~exact] - design[~exact] @ parameters) * weights
        spread = _spread(left, free.shape[1], known_weights=True)
        covariance = covariance + spread * free @ solution.unscaled_covariance @ free.T
    return parameters, covariance


def _spread(weighted: Floats, parameters: int, known_weights: bool) -> float:
    """By how much the unscaled covariance is multiplied."""
    dof = weighted.size - parameters
    seen = float(weighted @ weighted) / dof if dof > 0 else 0.0
    return max(1.0, seen) if known_weights else seen


def _residual_sd(left: Floats, parameters: int) -> float:
    dof = left.size - parameters
    return math.sqrt(float(left @ left) / dof) if dof > 0 else math.nan


def _rows(matrix: Floats) -> tuple[tuple[float, ...], ...]:
    return tuple(tuple(row) for row in matrix.tolist())


def _refuse(standards: Sequence[Standard], degree: int, model: str) -> None:
    needed = degree + 1
    if len(standards) < needed:
        have = {0: "none is taken yet", 1: "there is only one"}.get(
            len(standards), f"there are only {len(standards)}"
        )
        many = _NUMBERS[needed] + (" standards" if needed > 1 else "")
        raise CalibrationError(
            f"{LABELS[model].capitalize()} needs at least {many}; {have}. "
            "Take another, or choose a simpler curve."
        )
    if len({standard.known for standard in standards}) < needed:
        twice = next(
            first.known
            for place, first in enumerate(standards)
            if any(first.known == other.known for other in standards[:place])
        )
        raise CalibrationError(
            f"Two standards are equal: both are {twice:g}. {LABELS[model].capitalize()} needs "
            f"{_NUMBERS[needed]} different ones. Take one away, or correct its known value."
        )
    for place, first in enumerate(standards if degree else ()):
        for other in standards[:place]:
            near = _SAME * math.hypot(first.u_raw, other.u_raw)
            if first.known != other.known and abs(first.raw - other.raw) <= near:
                raise CalibrationError(
                    f"The sensor reads the standards {other.known:g} and {first.known:g} the same "
                    f"({first.raw:.6g}). Was it in the second one, and had it settled? "
                    "Take it again."
                )
