"""Where to begin a fit that is not linear in its parameters, from the readings alone."""

from __future__ import annotations

import itertools
from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from galena.core.fits import separable
from galena.core.fits.curved_models import CurvedModel
from galena.core.formula.model import ModelFormula

Floats = NDArray[np.float64]
ENOUGH = 240  # readings tell a start
BEST = 3
_SIZES = (1.0, 0.1, 10.0, 0.01)
_TRIED = 60
_AT_ONCE = 400_000  # numbers in a column of all shapes that are tried together


def starts(
    model: CurvedModel | ModelFormula, x: Floats, y: Floats, held: Mapping[str, float]
) -> list[dict[str, float]]:
    """Give parameters to begin with, likely ones first; those in `held` keep their values."""
    if all(name in held for name in model.parameters):
        return [dict(held)]
    if isinstance(model, CurvedModel):
        return [{**one, **held} for one in _by_shapes(model, x, y)]
    likely = [] if x.ndim > 1 else separable.starts(model, x, y, held)
    return [*likely, *({**one, **held} for one in _by_sizes(model, x, y))]


def _by_shapes(model: CurvedModel, x: Floats, y: Floats) -> list[dict[str, float]]:
    """Try the model's shapes, its other parameters by linear least squares on some readings."""
    is_wave = "T" in model.parameters
    some = some_of(x.size, 8 * ENOUGH if is_wave else ENOUGH, mixed=is_wave)
    few_x, few_y = x[some], y[some]
    tried: list[tuple[float, tuple[float, ...]]] = []
    # The spectrum of a wave needs all readings: some of them would show another wave.
    shapes = np.array(model.grid(x, y) if is_wave else model.grid(few_x, few_y))
    at_once = max(1, _AT_ONCE // few_x.size)
    with np.errstate(all="ignore"):
        for begin in range(0, len(shapes), at_once):
            tried += _linear_parts(model, few_x, few_y, shapes[begin : begin + at_once])
    tried.sort(key=lambda one: one[0])
    return [dict(zip(model.parameters, one, strict=True)) for _, one in tried[:BEST]]


def some_of(count: int, enough: int, *, mixed: bool = False) -> NDArray[np.intp]:
    """Choose readings that tell a start: at even distances, or mixed.

    Of a wave, readings at even distances may show another one.
    """
    if count <= enough:
        return np.arange(count)
    if mixed:
        return np.sort(np.random.default_rng(11).choice(count, enough, replace=False))
    return np.unique(np.linspace(0, count - 1, enough).astype(int))


def _linear_parts(
    model: CurvedModel, x: Floats, y: Floats, shapes: Floats
) -> list[tuple[float, tuple[float, ...]]]:
    """Give for each of some shapes, shape (m, k), the sum of squares and all parameters.

    By normal equations of scaled columns: a start needs no more digits than these leave.
    """
    parts = np.broadcast_arrays(*model.linear(x, *(one[:, None] for one in shapes.T)))
    columns = np.stack(np.broadcast_arrays(*parts, np.empty((len(shapes), x.size)))[:-1], axis=1)
    size = np.linalg.norm(columns, axis=2)
    good = np.isfinite(size).all(axis=1) & (size > 0).all(axis=1)
    columns, size, shapes = columns[good], size[good], shapes[good]
    if not len(shapes):
        return []
    columns = columns / size[:, :, None]
    gram = np.einsum("mkn,mln->mkl", columns, columns)
    factors = np.einsum("mkl,ml->mk", np.linalg.pinv(gram, 1e-10, hermitian=True), columns @ y)
    off = y - np.einsum("mk,mkn->mn", factors, columns)
    sums = np.einsum("mn,mn->m", off, off)
    best = np.argsort(sums)[:BEST]
    return [
        (float(sums[m]), tuple(map(float, model.begin(tuple(shapes[m]), factors[m] / size[m]))))
        for m in best
        if np.isfinite(sums[m])
    ]


def _by_sizes(model: ModelFormula, x: Floats, y: Floats) -> list[dict[str, float]]:
    """Try parameters of several sizes, counted in what x and y reach."""
    reach_x = float(np.max(np.abs(x))) or 1.0
    reach_y = float(np.max(np.abs(y))) or 1.0
    scale = [one.size(reach_x, reach_y) for one in model.powers.values()]
    sizes = (*_SIZES, 1 / reach_x, reach_x)
    scaled = [[size * one for one in scale] for size in _SIZES]
    scaled += [[size] * len(scale) for size in sizes]
    random = np.random.default_rng(7)  # the same starts each time
    pool = list(itertools.islice(itertools.product(_SIZES, repeat=len(scale)), 2000))
    for row in random.permutation(len(pool))[:_TRIED]:
        runs_test = random.choice([-1.0, 1.0], len(scale))
        scaled.append(
            [float(s) * w * size for s, w, size in zip(runs_test, pool[row], scale, strict=True)]
        )
    pool = list(itertools.islice(itertools.product(sizes, repeat=len(scale)), 2000))
    for row in random.permutation(len(pool))[:_TRIED]:
        runs_test = random.choice([-1.0, 1.0], len(scale))
        scaled.append([float(s) * w for s, w in zip(runs_test, pool[row], strict=True)])
    return [dict(zip(model.parameters, one, strict=True)) for one in scaled]
