"""Whether a wave that was fitted stands out of the scatter at all."""

from __future__ import annotations

import math

import numpy as np
from numpy.typing import NDArray

from galena.core.errors import FitError
from galena.core.fits.curved_models import CurvedModel
from galena.core.fits.result import Fit
from galena.core.fits.separable import turning
from galena.core.formula.model import ModelFormula
from galena.core.formula.parsing import parse
from galena.core.formula.syntax import Binary, Call, Group, Name, Negative, Node

Floats = NDArray[np.float64]
_CONSISTENT = 2.0  # of its uncertainties: an amplitude within them of zero may be none
_BY_CHANCE = 0.05


def refuse_no_wave(fit: Fit, y: Floats, *, searched: bool) -> None:
    """Refuse a wave whose amplitude is consistent with zero beside what is left over.

    searched: whether its frequency was looked for among many; then the highest of as many peaks
    of plain scatter must be surpassed. Raises FitError.
    Source: J. D. Scargle, The Astrophysical Journal 263 (1982) 835, equation 18.
    """
    names = amplitudes(fit)
    if not names or fit.dof < 1 or not fit.rss > 0:
        return
    small = [abs(fit.params[name]) <= _CONSISTENT * fit.uncertainties[name] for name in names]
    about_mean = float(np.sum((y - y.mean()) ** 2))
    left = float(fit.residuals @ fit.residuals)
    explained = (about_mean - left) / left if left else math.inf
    height = explained * fit.dof / 2  # of its peak in the normalised periodogram
    # Between the y.size/2 independent frequencies peaks can be higher still: about twice as many.
    by_chance = -math.expm1(y.size * math.log1p(-min(math.exp(-height), 1 - 1e-12)))
    if all(small) or (searched and by_chance > _BY_CHANCE and _is_wave_alone(fit, names)):
        raise FitError(
            "No wave stands out of the scatter: the amplitude is consistent with zero, whatever "
            "the period. Take a simpler model, or type a period to begin with."
        )


def _is_wave_alone(fit: Fit, names: list[str]) -> bool:
    """Tell whether a model has nothing but its wave, and perhaps a constant."""
    if not isinstance(fit.model, ModelFormula):
        return True
    turned = {name for one in turning(fit.model) for name in (*one.frequency, *one.phase)}
    rest = [name for name in fit.model.parameters if name not in turned and name not in names]
    jacobian = fit.model.jacobian(np.linspace(*fit.reach, 7), fit.params)
    return all(np.ptp(jacobian[:, fit.model.parameters.index(name)]) == 0 for name in rest)


def amplitudes(fit: Fit) -> list[str]:
    """Name the amplitudes of a model whose frequency was fitted."""
    if isinstance(fit.model, CurvedModel):
        names, periods = ["A"], ["T"]
    elif isinstance(fit.model, ModelFormula):
        periods = [name for one in turning(fit.model) for name in one.frequency]
        names = list(dict.fromkeys(_factors_of_waves(parse(fit.model.formula), ())))
    else:
        return []
    free = fit.free
    if not any(name in free for name in periods):
        return []
    return [name for name in names if name in free]


def _factors_of_waves(node: Node, factors: tuple[str, ...]) -> list[str]:
    """List the symbols that multiply a sine or cosine."""
    if isinstance(node, Group):
        return _factors_of_waves(node.inside, factors)
    if isinstance(node, Negative):
        return _factors_of_waves(node.operand, factors)
    if isinstance(node, Call):
        if node.function in ("sin", "cos"):
            return list(factors)
        return [name for one in node.arguments for name in _factors_of_waves(one, ())]
    if not isinstance(node, Binary):
        return []
    if node.operator in ("multiply", "divide"):
        left, right = _names_in_product(node.left), _names_in_product(node.right)
        of_right = left + factors if node.operator == "multiply" else ()
        return _factors_of_waves(node.left, right + factors) + _factors_of_waves(
            node.right, of_right
        )
    if node.operator in ("add", "subtract"):
        return _factors_of_waves(node.left, factors) + _factors_of_waves(node.right, factors)
    return []


def _names_in_product(node: Node) -> tuple[str, ...]:
    if isinstance(node, Name):
        return (node.symbol,)
    if isinstance(node, Group):
        return _names_in_product(node.inside)
    if isinstance(node, Binary) and node.operator in ("multiply", "divide"):
        return _names_in_product(node.left) + _names_in_product(node.right)
    return ()
