"""The one door to fitting: choose the readings, solve, and state the result."""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from functools import lru_cache

import numpy as np
from numpy.typing import ArrayLike, NDArray

from galena.core.errors import FitError, TooFewReadings
from galena.core.fits.curved_models import CURVED, CurvedModel
from galena.core.fits.models import LINEAR, LinearModel, Model
from galena.core.fits.result import Fit
from galena.core.fits.solving import solution_of
from galena.core.fits.stating import state
from galena.core.fits.waves import refuse_no_wave
from galena.core.formula.model import ModelFormula, compile_model

Floats = NDArray[np.float64]
MODELS: Mapping[str, LinearModel | CurvedModel] = {one.key: one for one in (*LINEAR, *CURVED)}


def fit(
    model: str,
    x: ArrayLike,
    y: ArrayLike,
    *,
    u_y: ArrayLike | None = None,
    start: Mapping[str, float] | None = None,
    fixed: Mapping[str, float] | None = None,
) -> Fit:
    """Fit a model to readings by least squares.

    model: a key of MODELS, or a formula of x such as "a*(1-exp(-b*x))", whose other symbols are
    its parameters. x, y: shape (n,); pairs that are not finite, or at which the model has no
    value, are left out. x of shape (n, k) goes with a formula of x1 … xk.
    u_y: standard uncertainties of y, shape (n,) or a number; given, the fit is weighted by
    1/u_y² and the parameters' uncertainties follow from u_y alone, otherwise from the scatter.
    start: values to begin with; without them several are tried. Models that are linear in
    their parameters need none.
    fixed: parameters held at a value; their uncertainty is zero.

    Raises FormulaError for a formula that cannot be read; FitError for an unknown parameter,
    a fit that does not converge, shapes that differ, uncertainties that
    are not positive and x that are all equal; TooFewReadings where no scatter could be seen.
    Source: JCGM 100:2008 (GUM), H.3; Draper and Smith, Applied Regression Analysis, 3rd ed., 5.
    """
    places, values, u = finite(x, y, u_y)
    chosen = chosen_model(model, 1 if places.ndim == 1 else places.shape[1])
    held = dict(fixed or {})
    _refuse_unknown(chosen, (*held, *(start or {})))
    places, values, u, excluded = _within(chosen, places, values, u)
    free = [name for name in chosen.parameters if name not in held]
    needed = len(free) + (u is None)
    if values.size < needed:
        raise TooFewReadings(f"A fit ({chosen.label})", needed, int(values.size))
    weights = np.ones_like(values) if u is None else 1 / u
    solved = solution_of(chosen, places, values, weights, held, start or {})
    stated = state(chosen, places, values, weights, solved, tuple(held), u is not None, excluded)
    refuse_no_wave(stated, values, searched=not start)
    return stated


def _refuse_unknown(model: Model, names: Iterable[str]) -> None:
    """Raise FitError for a name that is no parameter of the model."""
    for name in names:
        if name not in model.parameters:
            has = ", ".join(model.parameters)
            raise FitError(f"{model.label} has no parameter “{name}”. It has {has}.")


@lru_cache(maxsize=256)
def chosen_model(model: str, places: int = 1) -> LinearModel | CurvedModel | ModelFormula:
    """Give a model by its key, or of a formula. Raises FitError, FormulaError."""
    if model in MODELS:
        return MODELS[model]
    if model.isidentifier() and model != "x":
        raise FitError(f"There is no model “{model}”. Choose one of {', '.join(MODELS)}.")
    return compile_model(model, "x" if places == 1 else tuple(f"x{n + 1}" for n in range(places)))


def finite(
    x: ArrayLike, y: ArrayLike, u_y: ArrayLike | None
) -> tuple[Floats, Floats, Floats | None]:
    """Give the readings that are numbers, and their uncertainties. Raises FitError."""
    places = np.asarray(x, dtype=np.float64)
    values = np.asarray(y, dtype=np.float64)
    if places.shape[:1] != values.shape or places.ndim not in (1, 2):
        raise FitError(
            f"x and y must be two rows of the same length, not {places.shape} and {values.shape}."
        )
    along = np.isfinite(places) if places.ndim == 1 else np.isfinite(places).all(axis=1)
    good = along & np.isfinite(values)
    if u_y is None:
        return places[good], values[good], None
    u = np.broadcast_to(np.asarray(u_y, dtype=np.float64), values.shape)
    if not np.all(u[good] > 0):
        raise FitError("Each uncertainty must be above zero to weight a reading by it.")
    return places[good], values[good], u[good]


def _within(
    model: Model, x: Floats, y: Floats, u: Floats | None
) -> tuple[Floats, Floats, Floats | None, int]:
    """Leave out the readings at which a model has no value; tells how many."""
    outside = model.outside(x)
    if isinstance(model, LinearModel) and not (~outside).any() and x.size and not x.any():
        raise FitError("All readings have x = 0, so no slope can be found. Choose a wider stretch.")
    count = int(np.count_nonzero(outside))
    if not count:
        return x, y, u, 0
    kept = ~outside
    return x[kept], y[kept], None if u is None else u[kept], count
