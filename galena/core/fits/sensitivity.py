"""How the parameters of a fit move with the readings that it was made of."""

from __future__ import annotations

import numpy as np
from numpy.typing import ArrayLike, NDArray

from galena.core.errors import FitError
from galena.core.fits import polynomial
from galena.core.fits.polynomial import Centred
from galena.core.fits.result import Fit

Floats = NDArray[np.float64]


def sensitivities(
    fit: Fit, x: ArrayLike, y: ArrayLike, u_y: ArrayLike | None = None
) -> tuple[NDArray[np.bool_], Floats]:
    """Tell by how much each free parameter moves with each reading, to first order.

    x, y: shape (n,), as they were given to the fit, with u_y. Gives which readings count, shape
    (n,), and for these the gains, shape (m, free): (Jᵀ W J)⁻¹ Jᵀ W of the slopes J and weights W.
    Raises FitError where the slopes are no numbers.
    Source: JCGM 100:2008 (GUM), 5.1.3 (sensitivity coefficients) of a least-squares estimate.
    """
    places, values = np.asarray(x, dtype=np.float64), np.asarray(y, dtype=np.float64)
    kept = np.isfinite(places) & np.isfinite(values)
    kept[kept] = ~fit.model.outside(places[kept])
    weights = np.ones(values.shape) if u_y is None else 1 / np.broadcast_to(
        np.asarray(u_y, dtype=np.float64), values.shape)  # fmt: skip
    some, weights = places[kept], weights[kept]
    if fit.centred is not None:
        return kept, _of_polynomial(fit, fit.centred, some, weights)
    columns = [fit.model.parameters.index(name) for name in fit.free]
    jacobian = fit.model.jacobian(some, fit.params)[:, columns] * weights[:, None]
    size = np.linalg.norm(jacobian, axis=0)
    if not (np.isfinite(size).all() and (size > 0).all()):
        raise FitError("The model has no slopes at these readings.")
    return kept, (np.linalg.pinv(jacobian / size).T / size) * weights[:, None]


def _of_polynomial(fit: Fit, centred: Centred, x: Floats, weights: Floats) -> Floats:
    count = centred.coefficients.size
    z = (x - centred.centre) / centred.half
    powers = z[:, None] ** np.arange(count) * weights[:, None]
    of_z = np.linalg.pinv(powers).T * weights[:, None]
    columns = [Centred(centred.centre, centred.half, one, np.zeros((count, count)))
               .in_powers_of_x().parameters for one in np.eye(count)]  # fmt: skip
    of_x = of_z @ np.array(columns)
    order = polynomial.powers_of(fit.model, x)
    return np.asarray(of_x[:, [order[name] for name in fit.free]])


def moved(
    fit: Fit, x: ArrayLike, shift: ArrayLike, u_y: ArrayLike | None = None
) -> dict[str, float]:
    """Tell by how much each parameter moves if every y moves by `shift`, to first order.

    x, shift: shape (n,), of the readings of the fit; u_y as in the fit. So an error that all
    readings share, as that of a calibration, goes into the parameters: it does not average out.
    Source: JCGM 100:2008 (GUM), F.1.2.3 and 5.2.2.
    """
    by = np.asarray(shift, dtype=np.float64)
    if not fit.free or not np.isfinite(by).any():
        return dict.fromkeys(fit.params, 0.0)
    kept, by_reading = sensitivities(fit, x, by, u_y)
    step = by[kept] @ by_reading
    return dict.fromkeys(fit.params, 0.0) | dict(zip(fit.free, map(float, step), strict=True))
