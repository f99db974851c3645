"""Readings of derived quantities: formulas worked out over the rows of a run."""

from collections.abc import Hashable, Iterable
from dataclasses import replace

import numpy as np
from numpy.typing import NDArray

from galena.core import dimensions, units
from galena.core.conditions import shown
from galena.core.errors import FormulaError
from galena.core.formula import Expression, Value
from galena.core.formula.parsing import same_symbol
from galena.core.numbers import decimals_of_text
from galena.experiments.data.cache import Cache
from galena.experiments.data.readings import Readings
from galena.experiments.data.rows import Rows
from galena.experiments.formulas.symbols import TIME, Formulas, formulas_of
from galena.experiments.models import Condition, ConditionValue, Experiment, Given, Quantity, Run

ROOM = 400_000_000  # bytes of worked-out readings

_worked_out: Cache[Readings] = Cache(ROOM)


class Derivation:
    """Works out the derived quantities of runs of one experiment, each once.

    by_digits: one step of the last digit stands for the uncertainty of what goes in.
    """

    def __init__(
        self, experiment: Experiment, runs: Iterable[Run], *, by_digits: bool = False
    ) -> None:
        self.by_digits = by_digits
        self.formulas: Formulas = formulas_of(experiment)
        self._values: dict[tuple[Hashable, int], Value] = {}
        held = ConditionValue.objects.filter(
            run__in=[run.pk for run in runs], condition__in=self.formulas.conditions
        )
        self._held: dict[int, dict[int, ConditionValue]] = {}
        for value in held:
            self._held.setdefault(value.run_id, {})[value.condition_id] = value

    def bases(self, quantities: Iterable[Quantity]) -> dict[int, list[Quantity]]:
        """Give what each derived quantity comes from; none for one whose formula is wrong."""
        by_key: dict[int, list[Quantity]] = {}
        for quantity in quantities:
            try:
                by_key[quantity.pk] = self.formulas.bases(quantity)
            except FormulaError:
                by_key[quantity.pk] = []
        return by_key

    def why_without_rows(self, quantity: Quantity) -> str:
        """Say why a quantity that comes from no readings has no values."""
        try:
            self.formulas.expression(quantity)
        except FormulaError as error:
            return str(error)
        return f"The formula of {quantity.symbol} names no readings, so that it has no rows."

    def readings(self, quantity: Quantity, rows: Rows) -> tuple[Readings, Hashable]:
        """Work a quantity out over the rows of a run, and tell what it is made of.

        Raises FormulaError, which says why it cannot be.
        """
        expression = self.formulas.expression(quantity)
        formula = (rows.run.pk, self._version(quantity, rows.run))
        version = (*formula, rows.version)
        result = _worked_out.get(version)
        if result is None:
            result = self._worked_out(quantity, rows)
            size = result.y.nbytes * (2 + (result.u is not None) + (result.shared is not None))
            grows = (quantity.pk, *formula) if rows.run.is_growing else None
            _worked_out.put(version, result, size, state_of=grows)
        return result, (version, expression.unit)

    def digits(self, quantity: Quantity, rows: Rows) -> NDArray[np.float64] | None:
        """Give what one step of the last digit of all that goes in makes of each value."""
        expression = self.formulas.expression(quantity)
        inputs = self._inputs(expression, rows)
        steps = expression.evaluate(inputs, by_place=rows.by_place).uncertainties
        return None if steps is None else np.atleast_1d(steps)

    def _worked_out(self, quantity: Quantity, rows: Rows) -> Readings:
        expression = self.formulas.expression(quantity)
        aside = rows.aside
        counted = None if aside is None else ~aside
        inputs = self._inputs(expression, rows)
        result = expression.resolve(inputs, counted=counted, by_place=rows.by_place)
        size = rows.count
        times = rows.times if rows.times is not None else np.full(size, np.nan)
        return Readings(
            times,
            _row(result.values, size),
            None if result.shared is None else _row(result.shared, size),
            None if result.independent is None else _row(result.independent, size),
            aside,
        )

    def _inputs(self, expression: Expression, rows: Rows) -> dict[str, Value]:
        """Give all that a formula takes, and the times of rows that have an order in time."""
        inputs = {symbol: self._input(symbol, rows) for symbol in expression.symbols}
        if rows.times is not None and not rows.by_place:
            inputs.setdefault(TIME, Value(rows.times))
        return inputs

    def _input(self, symbol: str, rows: Rows) -> Value:
        """Give what a symbol stands for in these rows, in SI units."""
        named = self.formulas.things.get(symbol)
        if named is None and symbol == TIME:
            if rows.times is None:
                raise FormulaError(f"{rows.run} was typed: nobody knows its times t.")
            return Value(rows.times)
        if isinstance(named, Given):
            u = _last_digit(named.text) if self.by_digits else named.u
            return _single(f"given {named.pk}", named.value, u, named.unit)
        if isinstance(named, Condition):
            return self._condition(named, rows.run)
        assert isinstance(named, Quantity)
        if named.is_derived:
            return self._derived(named, rows)
        column = rows.columns.get(named.pk)
        if column is None:
            raise FormulaError(f"{str(rows.run).capitalize()} has no readings of {symbol}.")
        if self.by_digits:
            step = np.full(len(column), 10.0**-named.decimals)
            column = replace(column, u=step, shared=None, u_zero=0.0)
        return _column(named, column)

    def _derived(self, quantity: Quantity, rows: Rows) -> Value:
        key = (rows.version, quantity.pk)
        if key not in self._values:
            expression = self.formulas.expression(quantity)
            inputs = self._inputs(expression, rows)
            aside = rows.aside
            self._values[key] = expression.value(
                inputs, counted=None if aside is None else ~aside, by_place=rows.by_place
            )
        return self._values[key]

    def _condition(self, condition: Condition, run: Run) -> Value:
        held = self._held.get(run.pk, {}).get(condition.pk)
        if held is None or held.value is None:
            raise FormulaError(
                f"{str(run).capitalize()} has no value for {condition.symbol} ({condition.name}). "
                "Type it at the run."
            )
        u = _last_digit(held.text) if self.by_digits else held.u
        return _single(f"condition {condition.pk} of {run.pk}", held.value, u, condition.unit)

    def _version(self, quantity: Quantity, run: Run) -> Hashable:
        """Tell a formula and all that it uses, as they are now."""
        parts: list[Hashable] = [quantity.formula, quantity.unit]
        for used in self.formulas.uses(quantity):
            if isinstance(used, Given):
                parts.append((used.symbol, used.value, used.u, used.unit))
            elif isinstance(used, Condition):
                held = self._held.get(run.pk, {}).get(used.pk)
                parts.append((used.symbol, used.unit, held and (held.value, held.u)))
            elif used.is_derived:
                parts.append((used.symbol, self._version(used, run)))
            else:
                parts.append((used.symbol, used.pk, used.unit))
        return tuple(parts)


def _row(values: float | NDArray[np.float64], size: int) -> NDArray[np.float64]:
    if np.ndim(values) == 1:
        return np.asarray(values)
    return np.full(size, float(values))


def _last_digit(text: str) -> float:
    value = shown(text).partition("±")[0]
    return float(10.0 ** -decimals_of_text(value.replace(",", ".")))


def _single(source: str, value: float, u: float | None, unit: str) -> Value:
    parsed = units.parse(unit)
    size = dimensions.factor(parsed)
    shared = {source: u * size} if u else {}
    return Value(value * size + dimensions.origin(parsed), shared=shared)


def _column(quantity: Quantity, readings: Readings) -> Value:
    parsed = units.parse(quantity.unit)
    size, origin = dimensions.factor(parsed), dimensions.origin(parsed)
    source = same_symbol(quantity.symbol)
    shared = {} if readings.shared is None else {f"calibration of {source}": readings.shared}
    if readings.u_zero and (readings.u is not None or readings.shared is not None):
        shared[f"zero of {source}"] = np.full(len(readings), readings.u_zero)
    value = Value(
        readings.y,
        {} if readings.u is None else {source: 1.0},
        {} if readings.u is None else {source: readings.u},
        shared,
    )
    if size == 1.0 and not origin:
        return value
    scaled = readings.y if size == 1.0 else readings.y * size
    return Value(
        scaled + origin if origin else scaled,
        value.each,
        {name: u * size for name, u in value.u.items()},
        {name: tangent * size for name, tangent in value.shared.items()},
    )
