"""Models fitted to a span, or laid over it by hand."""

from __future__ import annotations

import math
from collections.abc import Mapping

import numpy as np

from galena.core import fits, numbers, second_look
from galena.core.dimensions import is_celsius, of_difference
from galena.core.errors import FitError, FormulaError
from galena.core.fits.moving import moved
from galena.core.fits.widened import no_surer_than_readings, widened
from galena.core.residual_signs import signs
from galena.core.second_look import straightness
from galena.core.second_look.fits import Fitted
from galena.core.units import Unit
from galena.core.units import format as typeset
from galena.desk.findings.questions.answer import Answer, Asked, Estimate, following

TYPED = "model"  # the kind whose formula stands in the details


def model_of(kind: str, details: Mapping[str, object]) -> str:
    """Give the model of a fit: a key of fits.MODELS, or a formula."""
    return str(details.get("formula", "")) if kind == TYPED else kind


def weights_of(asked: Asked) -> np.ndarray | None:
    """Give the uncertainties that a fit is to be weighted by, if it is. Raises FitError."""
    if not asked.details.get("weighted"):
        return None
    u = asked.inside.u
    if u is None or not np.any(np.nan_to_num(u) > 0):
        raise FitError(
            f"Nothing is known of the uncertainties of {asked.y_symbol}. Choose a rule for them "
            "under Quantities, or fit without weights."
        )
    return u


def fitted(kind: str):
    """Give the answer of a model."""

    def answer(asked: Asked) -> Answer:
        details = asked.details
        by_hand = details.get("by_hand")
        fixed = by_hand if isinstance(by_hand, dict) else details.get("fixed")
        u = None if by_hand else weights_of(asked)
        found = fits.fit(
            model_of(kind, details), asked.inside.t, asked.inside.y, u_y=u,
            fixed=fixed or None, start=None if by_hand else details.get("start") or None,
        )  # fmt: skip
        return stated(asked, found, u, by_hand=bool(by_hand))

    return answer


def stated(asked: Asked, found: fits.Fit, u: np.ndarray | None, *, by_hand: bool = False) -> Answer:
    """State a fit as an answer: its parameters with units, its residuals, what to look at."""
    ups = signs(found.residuals)
    if not by_hand and found.scatter_dof is None:
        inside = asked.inside
        found = widened(found, inside.t, inside.y, u, inside.rows)
        if asked.harvested:
            found = no_surer_than_readings(
                found, inside.t, inside.y, inside.u, inside.u_x, weighted_by=u
            )
    y = typeset(of_difference(asked.y_unit))
    off = numbers.significant(found.residual_sd) if math.isfinite(found.residual_sd) else "–"
    count = numbers.grouped(found.count)
    if by_hand:
        said = f"by hand, not fitted: {count} readings, residuals {off} {y}"
    elif found.weighted:
        said = f"weighted by uncertainty: {count} readings, χ²/{found.dof} = "
        said += numbers.significant(found.reduced_chi_squared)
    else:
        said = f"{count} readings, residuals {off} {y}"
    remarks: tuple[str, ...] = ()
    if not by_hand:
        straight = None
        if found.model.facts.is_line:
            straight = straightness(asked.inside.t, asked.inside.y, u)
        remarks = tuple(
            str(one) for one in second_look.remarks("fit", Fitted(found, ups, straight))
        )
    try:
        units = found.model.units(asked.x_unit, asked.y_unit)
    except FormulaError as error:
        units = dict.fromkeys(found.params, Unit())
        remarks = (*remarks, f"No units for its parameters: {error}")
    if is_celsius(asked.y_unit):
        units = _as_differences(found, units)
    if found.counts_as is not None:
        said += f"; {following(found.count, found.counts_as)}"
    if found.model.facts.counts_x:
        said += f"; {asked.x_symbol} counted in {typeset(asked.x_unit) or '1'}"
    shifts = shifts_of(asked, found, u) if not by_hand else {}
    parts = _parts(found)
    estimates = []
    for name, value in found.params.items():
        shift = shifts.get(name, 0.0)
        own = found.uncertainties[name]
        known = dict(parts[name])
        if shift:
            known[asked.calibration] = shift
        total = math.nan if by_hand or name in found.held else math.hypot(own, shift)
        estimates.append(Estimate(name, name, value, total, units[name], known))
    x = (max(found.reach[0], asked.places[0]) + min(found.reach[1], asked.places[1])) / 2
    return Answer(
        tuple(estimates), said, found, signs=ups, by_hand=by_hand, remarks=remarks,
        at=(x, float(found.predict(x)[0])),
    )  # fmt: skip


def _as_differences(found: fits.Fit, units: dict[str, Unit]) -> dict[str, Unit]:
    """Take as kelvins what is no temperature by itself, as the amplitude of a decay."""
    lo, hi = found.reach
    slopes = found.model.slopes(np.linspace(lo, hi, 5), found.params)
    return {
        name: unit if np.allclose(slopes[:, place], 1.0) else of_difference(unit)
        for place, (name, unit) in enumerate(units.items())
    }


def shifts_of(asked: Asked, found: fits.Fit, u: np.ndarray | None) -> dict[str, float]:
    """Give by how much each parameter moves with what all readings share."""
    shared = asked.inside.shared
    if shared is None or not np.any(np.nan_to_num(shared)):
        return {}
    try:
        return moved(found, asked.inside.t, shared, u)
    except FitError:
        return {}


def _parts(found: fits.Fit) -> dict[str, dict[str, float]]:
    """Take the covariance of the parameters apart into independent sources.

    C = V diag(λ) Vᵀ of the correlations: parameter i has √λ_k V_ik of source k.
    """
    names = list(found.params)
    u = np.array([found.uncertainties[name] for name in names])
    if not (np.isfinite(u).all() and u.any()):
        return {name: {} for name in names}
    values, vectors = np.linalg.eigh(found.correlation)
    sizes = u[:, None] * vectors * np.sqrt(np.maximum(values, 0.0))
    return {
        name: {f"fit {k}": float(size) for k, size in enumerate(sizes[i]) if size}
        for i, name in enumerate(names)
    }
