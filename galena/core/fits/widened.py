"""A fit whose uncertainties take in that its readings follow each other."""

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
    free = [fit.model.parameters.index(name) for name in fit.free]
    if not autoregression.follow_each_other(errors, len(free)):
        return fit
    if fit.centred is not None:
        centred = fit.centred
        z = (places - centred.centre) / centred.half
        slopes = z[:, None] ** np.arange(centred.coefficients.size)
    else:
        slopes = fit.model.slopes(places, fit.params)[:, free]
    design = (slopes * weights[:, None])[in_time]
    if not np.isfinite(design).all() or not (np.linalg.norm(design, axis=0) > 0).all():
        return fit
    model = autoregression.of_residuals(errors, design)
    correlations = model.correlations(places.size)
    size = np.linalg.norm(design, axis=0)
    gains = np.linalg.pinv(design / size).T / size
    variance = 1.0 if fit.weighted else model.variance
    covariance = variance * autoregression.spread_through(gains, correlations)
    return _with(fit, free, covariance)


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


def _with(fit: Fit, free: list[int], part: Floats) -> Fit:
    centred = fit.centred
    if centred is not None:
        centred = Centred(centred.centre, centred.half, centred.coefficients, part)
        powers = centred.in_powers_of_x().unscaled_covariance
        of_power = [_power(fit, name) for name in fit.free]
        part = powers[np.ix_(of_power, of_power)]
    covariance = np.zeros_like(fit.covariance)
    covariance[np.ix_(free, free)] = part
    u = np.sqrt(np.maximum(np.diag(covariance), 0.0))
    plain = np.array(list(fit.uncertainties.values()))
    with np.errstate(all="ignore"):
        shares = (plain[free] / u[free]) ** 2
    least = float(np.nanmin(shares)) if np.isfinite(shares).any() else math.nan
    return replace(
        fit,
        covariance=covariance,
        uncertainties=dict(zip(fit.params, u.tolist(), strict=True)),
        centred=centred,
        counts_as=max(1.0, min(1.0, least) * fit.count) if math.isfinite(least) else None,
    )


def _power(fit: Fit, name: str) -> int:
    assert fit.centred is not None
    reach = np.linspace(*fit.reach, 7)
    return polynomial.powers_of(fit.model, reach)[name]
