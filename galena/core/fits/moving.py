"""How the parameters of a fit move with the readings that it was made of."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

from galena.core.fits import linear, polynomial
from galena.core.fits.result import Fit

Floats = NDArray[np.float64]


def moved(
    fit: Fit, x: ArrayLike, shift: ArrayLike, u_y: ArrayLike | None = None
) -> dict[str, float]:
    """Tell by how much each parameter moves if every y moves by `shift`, to first order.

    x, shift: shape (n,), of the readings of the fit; u_y as in the fit. So an error that all
    readings share, as that of a calibration, goes into the parameters: it does not average out.
    Source: JCGM 100:2008 (GUM), F.1.2.3 and 5.2.2.
    """
    places, by = np.asarray(x, dtype=np.float64), np.asarray(shift, dtype=np.float64)
    good = np.isfinite(places) & np.isfinite(by)
    good[good] = ~fit.model.outside(places[good])
    free = fit.free
    columns = [fit.model.parameters.index(name) for name in free]
    if not free or not good.any():
        return dict.fromkeys(fit.params, 0.0)
    weights = np.ones(by.shape) if u_y is None else 1 / np.broadcast_to(np.asarray(u_y), by.shape)
    weights = weights[good]
    if fit.centred is not None:
        degree = fit.centred.coefficients.size - 1
        of_x = polynomial.fitted(places[good], by[good], weights, degree).in_powers_of_x()
        powers = polynomial.powers_of(fit.model, places[good])
        return dict.fromkeys(fit.params, 0.0) | {
            name: float(of_x.parameters[power]) for name, power in powers.items()
        }
    slopes = fit.model.slopes(places[good], fit.params)[:, columns]
    step = linear.solve(slopes * weights[:, None], by[good] * weights).parameters
    return dict.fromkeys(fit.params, 0.0) | dict(zip(free, map(float, step), strict=True))
