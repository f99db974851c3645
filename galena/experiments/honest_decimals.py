"""How many decimals the values of a formula deserve."""

from galena.core.errors import FormulaError
from galena.core.uncertainty_rules import honest_decimals
from galena.experiments import columns
from galena.experiments.data.rows import Rows
from galena.experiments.formulas.derivation import Derivation
from galena.experiments.models import Experiment, Quantity, Run

ENOUGH = 2000  # readings that tell how uncertain they usually are


class DecimalsJudge:
    """Tells decimals by what a run has; the run is loaded once for all formulas."""

    def __init__(self, experiment: Experiment, run: Run) -> None:
        self.derivation = Derivation(experiment, [run])
        self.by_digits = Derivation(experiment, [run], by_digits=True)
        self.columns = columns.load([run], None, self.derivation)[run.pk]

    def decimals(self, quantity: Quantity) -> int | None:
        """Tell how many decimals a formula's values deserve: two digits of their uncertainty.

        Where nothing is known of that, as many as the digits of what goes in can carry. None
        where the run does not have what it needs.
        """
        try:
            rows = self.columns.rows(self.derivation.formulas.bases(quantity))
            if rows is None:
                return None
            rows = rows.first(ENOUGH)
            read, _ = self.derivation.readings(quantity, rows)
            usual = None if read.combined is None else honest_decimals(read.combined, digits=2)
            return self._by_digits(quantity, rows) if usual is None else usual
        except FormulaError:
            return None

    def _by_digits(self, quantity: Quantity, rows: Rows) -> int | None:
        """Follow the last digit of each input through the formula, as if it were uncertain."""
        steps = self.by_digits.digits(quantity, rows)
        return None if steps is None else honest_decimals(steps, digits=1)
