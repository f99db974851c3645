"""A relation that somebody types: a formula for what is plotted along each axis."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace

import numpy as np
from numpy.typing import ArrayLike

from galena.core import formula
from galena.core.errors import FormulaError
from galena.core.fits.result import Fit
from galena.core.formula import Expression
from galena.core.straightening.relation import Relation, Straightened, rows
from galena.core.straightening.transforms import Floats
from galena.core.units import Unit


@dataclass(frozen=True)
class Own(Relation):
    """What is plotted along both axes by formulas of x and y; without them as they are.

    `symbols` are those that the formulas have for x and y, with their units.
    """

    symbols: tuple[tuple[str, Unit], tuple[str, Unit]] = (("x", Unit()), ("y", Unit()))
    of_x: Expression | None = None
    of_y: Expression | None = None

    def with_formulas(
        self,
        of_x: str,
        of_y: str,
        symbols: tuple[tuple[str, Unit], tuple[str, Unit]] = (("x", Unit()), ("y", Unit())),
    ) -> Own:
        """Give the relation with its formulas.

        Raises FormulaError, which says of which of both axes it speaks.
        """
        units = dict(symbols)
        compiled = []
        for axis, text in (("across", of_x), ("upwards", of_y)):
            try:
                expression = formula.compile(text, units)
                if not expression.symbols:
                    raise FormulaError(f"It must hold {symbols[0][0]} or {symbols[1][0]}.")
            except FormulaError as error:
                raise FormulaError(
                    f"What is plotted {axis}: {error}", error.start, error.end
                ) from error
            compiled.append(expression)
        return replace(self, symbols=symbols, of_x=compiled[0], of_y=compiled[1])

    def straighten(
        self,
        x: ArrayLike,
        y: ArrayLike,
        *,
        u_y: ArrayLike | None = None,
        u_x: ArrayLike | None = None,
    ) -> Straightened:
        """Give readings in the axes of both formulas, as every relation does."""
        if self.of_x is None or self.of_y is None:
            return super().straighten(x, y, u_y=u_y, u_x=u_x)
        places, values = rows(x, y)
        inputs = {
            self.symbols[0][0]: _with(places, u_x),
            self.symbols[1][0]: _with(values, u_y),
        }
        across, u_across = _worked_out(self.of_x, inputs, places.size)
        upwards, u_upwards = _worked_out(self.of_y, inputs, places.size)
        kept = np.isfinite(across) & np.isfinite(upwards)
        return Straightened(
            across[kept], upwards[kept], _of(u_upwards, kept), kept, self, _of(u_across, kept)
        )

    def units(self, x: Unit, y: Unit) -> dict[str, Unit]:
        """Tell each constant's unit from those of both formulas."""
        if self.of_x is None or self.of_y is None:
            return super().units(x, y)
        return {"k": self.of_y.unit / self.of_x.unit, "c": self.of_y.unit}

    def back(self, fit: Fit, x: ArrayLike) -> Floats:
        """Give the curve where y itself is plotted against a formula of x; NaN elsewhere."""
        places = np.asarray(x, dtype=np.float64)
        nowhere = np.full(places.shape, np.nan)
        if self.of_x is None or self.of_y is None:
            return super().back(fit, places)
        symbol = self.symbols[0][0]
        if self.of_y.text.strip() != self.symbols[1][0] or self.of_x.symbols != (symbol,):
            return nowhere
        return fit.predict(_worked_out(self.of_x, {symbol: places}, places.size)[0])


Input = Floats | tuple[Floats, Floats]


def _with(numbers: Floats, u: ArrayLike | None) -> Input:
    if u is None:
        return numbers
    return numbers, np.broadcast_to(np.asarray(u, dtype=np.float64), numbers.shape)


def _worked_out(
    expression: Expression, inputs: Mapping[str, Input], count: int
) -> tuple[Floats, Floats | None]:
    worked_out = expression.evaluate(inputs)
    values = np.broadcast_to(np.asarray(worked_out.values, dtype=np.float64), (count,))
    if worked_out.uncertainties is None:
        return values, None
    return values, np.broadcast_to(np.asarray(worked_out.uncertainties), (count,))


def _of(u: Floats | None, kept: np.ndarray[tuple[int], np.dtype[np.bool_]]) -> Floats | None:
    return None if u is None else u[kept]
