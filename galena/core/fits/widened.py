"""A fit whose uncertainties take in what is known of its readings: that they follow each other,
and how sure each of them is."""

from __future__ import annotations

import math
from dataclasses import replace

import numpy as np
from numpy.typing import ArrayLike, NDArray

from galena.core import autoregression
from galena.core.fits import polynomial
from galena.core.fits.polynomial import Centred
from galena.core.fits.result import Fit

Floats = NDArray[np.float64]


def widened(
    fit: Fit,
    x: ArrayLike,
    y: ArrayLike,
    u_y: ArrayLike | None = None,
    order: ArrayLike | None = None,
) -> Fit:
    """Give a fit with the covariance that its parameters have if errors go on from reading to
    reading: H R Hᵀ, with R from an autoregressive model of the residuals.

    x, y: shape (n,), as they were given to the fit, with u_y; order: numbers by which they are
    put in the order in which they were made, where that is not the order of x. Where neighbours
    are no more alike than by chance the fit is given as it is. `counts_as` is by how many
    independent readings the least certain parameter would be as uncertain.
    The values of the parameters stay those of `fit`.
    Source: JCGM 102:2011 (GUM, supplement 2), 6.2.1.3; Newey and West, Econometrica 55 (1987)
    703, for the idea of a covariance under correlated errors.
    """
    places, values, u, in_time = _counted(fit, x, y, u_y, order)
    if not fit.free or places.ndim > 1 or values.size != fit.residuals.size:
        return fit
    weights = np.ones(places.size) if u is None else 1 / u
    errors = (weights * fit.residuals)[in_time]
    if not autoregression.follow_each_other(errors, len(fit.free)):
        return fit
    design = (_slopes(fit, places) * weights[:, None])[in_time]
    if not _is_usable(design):
        return fit
    model = autoregression.of_residuals(errors, design)
    correlations = model.correlations(places.size)
    variance = 1.0 if fit.weighted else model.variance
    covariance = variance * autoregression.spread_through(_gains(design), correlations)
    wider = _with(fit, covariance)
    return replace(wider, counts_as=_counts_as(fit, wider))


def no_surer_than_readings(
    fit: Fit,
    x: ArrayLike,
    y: ArrayLike,
    u_y: ArrayLike | None,
    u_x: ArrayLike | None = None,
    *,
    weighted_by: ArrayLike | None = None,
) -> Fit:
    """Give a fit whose parameters are no surer than the uncertainties of its readings make them.

    x, y: shape (n,), as they were given to the fit, weighted_by too; u_y, u_x: the standard
    uncertainties of both, shape (n,), as far as they are known. A few readings may lie on a
    curve by chance: their scatter is then less than what is known of each. Where H diag(u²) Hᵀ
    with u² = u_y² + (dy/dx u_x)² is more than the variance that a parameter has, it is that.
    Source: JCGM 100:2008 (GUM), 5.1.2 and G.4.2; J. Orear, American Journal of Physics 50
    (1982) 912 (the effective variance).
    """
    places, values, by, _ = _counted(fit, x, y, weighted_by, None)
    if not fit.free or places.ndim > 1 or values.size != fit.residuals.size:
        return fit
    _, _, own, _ = _counted(fit, x, y, 0.0 if u_y is None else u_y, None)
    _, _, of_x, _ = _counted(fit, x, y, 0.0 if u_x is None else u_x, None)
    assert own is not None and of_x is not None
    with np.errstate(all="ignore"):
        from_x = fit.derivative(places) * np.nan_to_num(of_x)
        u = np.nan_to_num(np.hypot(np.nan_to_num(own), from_x))
    weights = np.ones(places.size) if by is None else 1 / by
    design = _slopes(fit, places) * weights[:, None]
    if not u.any() or not _is_usable(design):
        return fit
    carried = _gains(design) * (weights * u)[:, None]
    of_readings = carried.T @ carried
    had = _part(fit)
    with np.errstate(all="ignore"):
        more = np.sqrt(np.nan_to_num(np.diag(of_readings) / np.diag(had), nan=1.0, posinf=np.inf))
    if not np.isfinite(more).all():  # readings without any scatter
        return _with(fit, of_readings)
    more = np.maximum(1.0, more)
    return _with(fit, had * np.outer(more, more))


def _slopes(fit: Fit, places: Floats) -> Floats:
    """Give the slopes of y in what was found: free parameters, or centred coefficients."""
    if fit.centred is not None:
        z = (places - fit.centred.centre) / fit.centred.half
        return z[:, None] ** np.arange(fit.centred.coefficients.size)
    free = [fit.model.parameters.index(name) for name in fit.free]
    return fit.model.jacobian(places, fit.params)[:, free]


def _part(fit: Fit) -> Floats:
    """Give the covariance of the same."""
    if fit.centred is not None:
        return fit.centred.covariance
    free = [fit.model.parameters.index(name) for name in fit.free]
    return fit.covariance[np.ix_(free, free)]


def _is_usable(design: Floats) -> bool:
    return bool(np.isfinite(design).all() and (np.linalg.norm(design, axis=0) > 0).all())


def _gains(design: Floats) -> Floats:
    """Give how what was found changes with each weighted reading, shape (n, p)."""
    size = np.linalg.norm(design, axis=0)
    return np.asarray(np.linalg.pinv(design / size).T / size)


def _counted(
    fit: Fit, x: ArrayLike, y: ArrayLike, u_y: ArrayLike | None, order: ArrayLike | None
) -> tuple[Floats, Floats, Floats | None, NDArray[np.intp]]:
    """Give the readings that the fit counts, and their order in time."""
    places, values = np.asarray(x, dtype=np.float64), np.asarray(y, dtype=np.float64)
    good = np.isfinite(values) & np.isfinite(places).reshape(values.size, -1).all(axis=1)
    good[good] = ~fit.model.outside(places[good])
    u = None if u_y is None else np.broadcast_to(np.asarray(u_y, dtype=np.float64), values.shape)
    when = np.arange(values.size) if order is None else np.asarray(order)
    in_time = np.argsort(when[good], kind="stable")
    return places[good], values[good], None if u is None else u[good], in_time


def _with(fit: Fit, part: Floats) -> Fit:
    """Give a fit with another covariance of what was found."""
    free = [fit.model.parameters.index(name) for name in fit.free]
    centred = fit.centred
    if centred is not None:
        centred = Centred(centred.centre, centred.half, centred.coefficients, part)
        powers = centred.in_powers_of_x().unscaled_covariance
        of_power = [_power(fit, name) for name in fit.free]
        part = powers[np.ix_(of_power, of_power)]
    covariance = np.zeros_like(fit.covariance)
    covariance[np.ix_(free, free)] = part
    u = np.sqrt(np.maximum(np.diag(covariance), 0.0))
    return replace(
        fit,
        covariance=covariance,
        uncertainties=dict(zip(fit.params, u.tolist(), strict=True)),
        centred=centred,
    )


def _counts_as(fit: Fit, wider: Fit) -> float | None:
    """Tell by how many independent readings the least certain parameter would be as uncertain."""
    with np.errstate(all="ignore"):
        shares = [
            float(np.float64(fit.uncertainties[name]) / wider.uncertainties[name]) ** 2
            for name in fit.free
        ]
    least = float(np.nanmin(shares)) if np.isfinite(shares).any() else math.nan
    return max(1.0, min(1.0, least) * fit.count) if math.isfinite(least) else None


def _power(fit: Fit, name: str) -> int:
    assert fit.centred is not None
    reach = np.linspace(*fit.reach, 7)
    return polynomial.powers_of(fit.model, reach)[name]
