"""How many decimals the values of a formula deserve."""

from dataclasses import replace

from galena.core.errors import FormulaError
from galena.core.uncertainty_rules import honest_decimals
from galena.experiments import columns
from galena.experiments.derived import Derivation, Rows
from galena.experiments.models import Quantity, Run

ENOUGH = 2000  # readings that tell how uncertain they usually are


def decimals(quantity: Quantity, run: Run) -> int | None:
    """Tell how many decimals a formula's values deserve: two digits of their uncertainty.

    Where nothing is known of that, as many as the digits of what goes in can carry. None where
    the run does not have what it needs.
    """
    derivation = Derivation(quantity.experiment, [run])
    try:
        rows = columns.rows_of(run, quantity, derivation)
        if rows is None:
            return None
        read, _ = derivation.readings(quantity, first(rows, ENOUGH))
        if read.combined is not None:
            found = honest_decimals(read.combined, digits=2)
            if found is not None:
                return found
        return _by_digits(quantity, run, first(rows, ENOUGH))
    except FormulaError:
        return None


def _by_digits(quantity: Quantity, run: Run, rows: Rows) -> int | None:
    """Follow the last digit of each input through the formula, as if it were uncertain."""
    derivation = Derivation(quantity.experiment, [run], by_digits=True)
    found = derivation.digits(quantity, rows)
    return None if found is None else honest_decimals(found, digits=1)


def first(rows: Rows, count: int) -> Rows:
    """Give the first rows, so many at most."""
    if rows.count <= count:
        return rows
    some = slice(0, count)
    return replace(
        rows,
        columns={key: one.at(some) for key, one in rows.columns.items()},
        times=None if rows.times is None else rows.times[some],
        version=(rows.version, count),
    )
