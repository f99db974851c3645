"""Models fitted to a span, or laid over it by hand."""

from __future__ import annotations

import math
from collections.abc import Mapping
from typing import Any

import numpy as np

from galena.core import fits, numbers, second_look
from galena.core.dimensions import is_celsius, of_difference
from galena.core.errors import FitError, FormulaError
from galena.core.fits.sensitivity import moved
from galena.core.fits.widened import no_surer_than_readings, widened
from galena.core.runs_test import runs_test
from galena.core.second_look import straightness, unless_within_uncertainty
from galena.core.second_look.fits import Fitted
from galena.core.symbols import is_logarithm
from galena.core.units import Unit, typeset
from galena.desk.findings.questions.answer import Answer, Estimate, Subject, following

TYPED = "model"  # the kind whose formula stands in the details


def model_of(kind: str, details: Mapping[str, Any]) -> str:
    """Give the model of a fit: a key of fits.MODELS, or a formula."""
    return str(details.get("formula", "")) if kind == TYPED else kind


def weights_of(subject: Subject) -> np.ndarray | None:
    """Give the uncertainties that a fit is to be weighted by, if it is. Raises FitError."""
    if not subject.details.get("weighted"):
        return None
    u = subject.inside.u
    if u is None or not np.any(np.nan_to_num(u) > 0):
        raise FitError(
            f"Nothing is known of the uncertainties of {subject.y_symbol}. Choose a rule for them "
            "under Quantities, or fit without weights."
        )
    return u


def fitted(kind: str):
    """Give the answer of a model."""

    def answer(subject: Subject) -> Answer:
        details = subject.details
        by_hand = details.get("by_hand")
        fixed = by_hand if isinstance(by_hand, dict) else details.get("fixed")
        u = None if by_hand else weights_of(subject)
        fit = fits.fit(
            model_of(kind, details), subject.inside.t, subject.inside.y, u_y=u,
            fixed=fixed or None, start=None if by_hand else details.get("start") or None,
        )  # fmt: skip
        return stated(subject, fit, u, by_hand=bool(by_hand))

    return answer


def stated(
    subject: Subject, fit: fits.Fit, u: np.ndarray | None, *, by_hand: bool = False
) -> Answer:
    """State a fit as an answer: its parameters with units, its residuals, what to look at."""
    ups = runs_test(fit.residuals)
    if not by_hand and fit.scatter_dof is None:
        inside = subject.inside
        fit = widened(fit, inside.t, inside.y, u, inside.rows)
        if subject.harvested:
            fit = no_surer_than_readings(
                fit, inside.t, inside.y, inside.u, inside.u_x, weighted_by=u
            )
    remark = _how_fitted(subject, fit, by_hand=by_hand)
    remarks: tuple[str, ...] = ()
    if not by_hand:
        straight = None
        if fit.model.facts.is_line:
            inside = subject.inside
            straight = unless_within_uncertainty(
                straightness(inside.t, inside.y, u), inside.t, inside.y, inside.u
            )
        has_origin = not (is_logarithm(subject.x_symbol) or is_logarithm(subject.y_symbol))
        seen = Fitted(fit, ups, straight, has_origin)
        remarks = tuple(str(one) for one in second_look.remarks("fit", seen))
    try:
        units = fit.model.units(subject.x_unit, subject.y_unit)
    except FormulaError as error:
        units = dict.fromkeys(fit.params, Unit())
        remarks = (*remarks, f"No units for its parameters: {error}")
    if is_celsius(subject.y_unit):
        units = _as_differences(fit, units)
    shifts = shifts_of(subject, fit, u) if not by_hand else {}
    without_u = set(fit.params) if by_hand else set(fit.held)
    x = (max(fit.reach[0], subject.places[0]) + min(fit.reach[1], subject.places[1])) / 2
    return Answer(
        _parameters(subject, fit, units, shifts, without_u), remark, fit, runs_test=ups,
        by_hand=by_hand, remarks=remarks, at=(x, float(fit.predict(x)[0])),
    )  # fmt: skip


def _how_fitted(subject: Subject, fit: fits.Fit, *, by_hand: bool) -> str:
    """Say how many readings a fit is of, what they leave over, and in what they were counted."""
    y = typeset(of_difference(subject.y_unit))
    off = numbers.significant(fit.residual_sd) if math.isfinite(fit.residual_sd) else "–"
    count = numbers.grouped(fit.count)
    if by_hand:
        remark = f"by hand, not fitted: {count} readings, residuals {off} {y}"
    elif fit.weighted:
        remark = f"weighted by uncertainty: {count} readings, χ²/{fit.dof} = "
        remark += numbers.significant(fit.reduced_chi_squared)
    else:
        remark = f"{count} readings, residuals {off} {y}"
    if fit.counts_as is not None:
        remark += f"; {following(fit.count, fit.counts_as)}"
    if fit.model.facts.counts_x:
        remark += f"; {subject.x_symbol} counted in {typeset(subject.x_unit) or '1'}"
    return remark


def _parameters(
    subject: Subject, fit: fits.Fit, units: dict[str, Unit], shifts: dict[str, float],
    without_u: set[str],
) -> tuple[Estimate, ...]:  # fmt: skip
    """Give the parameters with their own uncertainty and what all readings share."""
    parts = _parts(fit)
    estimates = []
    for name, value in fit.params.items():
        shift = shifts.get(name, 0.0)
        of_parameter = dict(parts[name])
        if shift:
            of_parameter[subject.calibration] = shift
        total = math.nan if name in without_u else math.hypot(fit.uncertainties[name], shift)
        estimates.append(Estimate(name, name, value, total, units[name], of_parameter))
    return tuple(estimates)


def _as_differences(fit: fits.Fit, units: dict[str, Unit]) -> dict[str, Unit]:
    """Take as kelvins what is no temperature by itself, as the amplitude of a decay."""
    lo, hi = fit.reach
    jacobian = fit.model.jacobian(np.linspace(lo, hi, 5), fit.params)
    return {
        name: unit if np.allclose(jacobian[:, place], 1.0) else of_difference(unit)
        for place, (name, unit) in enumerate(units.items())
    }


def shifts_of(subject: Subject, fit: fits.Fit, u: np.ndarray | None) -> dict[str, float]:
    """Give by how much each parameter moves with what all readings share."""
    shared = subject.inside.shared
    if shared is None or not np.any(np.nan_to_num(shared)):
        return {}
    try:
        return moved(fit, subject.inside.t, shared, u)
    except FitError:
        return {}


def _parts(fit: fits.Fit) -> dict[str, dict[str, float]]:
    """Take the covariance of the parameters apart into independent sources.

    C = V diag(λ) Vᵀ of the correlations: parameter i has √λ_k V_ik of source k.
    """
    names = list(fit.params)
    u = np.array([fit.uncertainties[name] for name in names])
    if not (np.isfinite(u).all() and u.any()):
        return {name: {} for name in names}
    values, vectors = np.linalg.eigh(fit.correlation)
    sizes = u[:, None] * vectors * np.sqrt(np.maximum(values, 0.0))
    return {
        name: {f"fit {k}": float(size) for k, size in enumerate(sizes[i]) if size}
        for i, name in enumerate(names)
    }
