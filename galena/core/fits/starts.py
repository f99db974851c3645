"""Where to begin a fit that is not linear in its parameters, from the readings alone."""

from __future__ import annotations

import itertools
from collections.abc import Mapping

import numpy as np
from numpy.typing import NDArray

from galena.core.fits.curved_models import CurvedModel
from galena.core.formula.model import ModelFormula

Floats = NDArray[np.float64]
ENOUGH = 240  # readings tell a start
BEST = 3
_SIZES = (1.0, 0.1, 10.0, 0.01)
_TRIED = 60


def starts(
    model: CurvedModel | ModelFormula, x: Floats, y: Floats, known: Mapping[str, float]
) -> list[dict[str, float]]:
    """Give parameters to begin with, likely ones first; those in `known` keep their values."""
    if all(name in known for name in model.parameters):
        return [dict(known)]
    if isinstance(model, CurvedModel):
        return [{**one, **known} for one in _by_shapes(model, x, y)]
    return [{**one, **known} for one in _by_sizes(model, x, y)]


def _by_shapes(model: CurvedModel, x: Floats, y: Floats) -> list[dict[str, float]]:
    """Try the model's shapes, its other parameters by linear least squares on some readings."""
    # Of a wave too few readings would show another one.
    enough = 8 * ENOUGH if "T" in model.parameters else ENOUGH
    some = np.unique(np.linspace(0, x.size - 1, min(enough, x.size)).astype(int))
    few_x, few_y = x[some], y[some]
    tried: list[tuple[float, tuple[float, ...]]] = []
    with np.errstate(all="ignore"):
        for shapes in model.grid(few_x, few_y):
            columns = np.stack(model.linear(few_x, *shapes), axis=1)
            size = np.linalg.norm(columns, axis=0)
            if not (np.isfinite(size).all() and (size > 0).all()):
                continue
            factors = np.linalg.lstsq(columns / size, few_y, rcond=1e-10)[0] / size
            off = few_y - columns @ factors
            rss = float(off @ off)
            if np.isfinite(rss):
                tried.append((rss, tuple(map(float, model.begin(shapes, factors)))))
    tried.sort(key=lambda one: one[0])
    return [dict(zip(model.parameters, one, strict=True)) for _, one in tried[:BEST]]


def _by_sizes(model: ModelFormula, x: Floats, y: Floats) -> list[dict[str, float]]:
    """Try parameters of several sizes, counted in what x and y reach."""
    reach_x = float(np.max(np.abs(x))) or 1.0
    reach_y = float(np.max(np.abs(y))) or 1.0
    scale = [one.size(reach_x, reach_y) for one in model.powers.values()]
    sizes = (*_SIZES, 1 / reach_x, reach_x)
    made = [[size * one for one in scale] for size in _SIZES]
    made += [[size] * len(scale) for size in sizes]
    random = np.random.default_rng(7)  # the same starts each time
    pool = list(itertools.islice(itertools.product(_SIZES, repeat=len(scale)), 2000))
    for row in random.permutation(len(pool))[:_TRIED]:
        signs = random.choice([-1.0, 1.0], len(scale))
        made.append(
            [float(s) * w * size for s, w, size in zip(signs, pool[row], scale, strict=True)]
        )
    pool = list(itertools.islice(itertools.product(sizes, repeat=len(scale)), 2000))
    for row in random.permutation(len(pool))[:_TRIED]:
        signs = random.choice([-1.0, 1.0], len(scale))
        made.append([float(s) * w for s, w in zip(signs, pool[row], strict=True)])
    return [dict(zip(model.parameters, one, strict=True)) for one in made]
