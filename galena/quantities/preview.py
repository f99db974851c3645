"""What a formula that is being typed would give: typeset, with unit, first values and mistakes."""

from dataclasses import dataclass, field

import numpy as np

from galena.core import dimensions, numbers, units
from galena.core.errors import FormulaError, GalenaError, UnitError, UnknownSymbolError
from galena.core.formula import Expression
from galena.core.formula.typesetting import mathml
from galena.core.uncertainty_rules import honest_decimals
from galena.experiments import columns
from galena.experiments.data.readings import Readings
from galena.experiments.formulas.derivation import Derivation
from galena.experiments.honest_decimals import DecimalsJudge
from galena.experiments.models import Experiment, Quantity, Run

FIRST = 4  # values shown of each run
RUNS = 3
MOST_PLAIN, MOST_PLACES = 1e6, 6  # beyond these a power of ten is taken out
UNSAVED = -1
LONG = 200_000  # readings from which a preview is of the first ones only


@dataclass(frozen=True)
class Mistake:
    """What is wrong, and the text of the formula before, at and behind the place."""

    message: str
    before: str = ""
    wrong: str = ""
    after: str = ""
    missing: str = ""  # the symbol that could be made a given


@dataclass(frozen=True)
class OfRun:
    """The first values for a run, as pairs of value and uncertainty; or why there are none."""

    run: Run
    values: list[tuple[str, str]] = field(default_factory=list)
    count: int = 0
    gaps: int = 0
    trouble: str = ""
    is_part: bool = False


@dataclass(frozen=True)
class Preview:
    """All that is said of a formula while it is typed."""

    math: str = ""
    mistake: Mistake | None = None
    unit: str = ""
    natural: str = ""
    choices: list[str] = field(default_factory=list)
    remarks: tuple[str, ...] = ()
    runs: list[OfRun] = field(default_factory=list)
    decimals: int = 2


def preview(
    experiment: Experiment,
    formula: str,
    symbol: str = "",
    unit: str = "",
    decimals: str = "",
    quantity: Quantity | None = None,
) -> Preview:
    """Work a formula out as far as it goes. Nothing is kept, nothing is raised."""
    math = _typeset(formula, symbol)
    if not formula.strip():
        return Preview()
    runs = _runs(experiment)
    derivation = Derivation(experiment, runs)
    try:
        wanted = str(units.parse(unit)) if unit.strip() else None
    except UnitError as error:
        return Preview(math, Mistake(str(error)))
    try:
        ready = derivation.formulas.compiled(formula, wanted, quantity)
        unsaved = _unsaved(experiment, formula, ready, symbol, quantity)
        derivation.formulas.refuse_circle(unsaved)
    except FormulaError as error:
        return Preview(math, _mistake(formula, error))
    of_runs = [_of_run(run, unsaved, derivation) for run in runs]
    places = _places(decimals, of_runs, unsaved)
    return Preview(
        math,
        None,
        str(ready.unit),
        str(ready.natural),
        [str(one) for one in dimensions.choices(ready.natural)],
        ready.remarks,
        [_shown(one, places) for one in of_runs],
        places,
    )


def _runs(experiment: Experiment) -> list[Run]:
    runs = experiment.runs.kept().filter(unused="")
    return list(runs.prefetch_related("condition_values__condition")[:RUNS])


def _typeset(formula: str, symbol: str) -> str:
    try:
        return mathml(formula, symbol.strip())
    except FormulaError:
        return ""


def _mistake(formula: str, error: FormulaError) -> Mistake:
    start, end = error.start, max(error.end, error.start)
    missing = error.symbol if isinstance(error, UnknownSymbolError) else ""
    return Mistake(str(error), formula[:start], formula[start:end], formula[end:], missing)


def _unsaved(
    experiment: Experiment, formula: str, ready: Expression, symbol: str, quantity: Quantity | None
) -> Quantity:
    return Quantity(
        pk=quantity.pk if quantity else UNSAVED,
        experiment=experiment,
        symbol=symbol or "result",
        formula=formula,
        unit=str(ready.unit),
        kind=Quantity.Kind.DERIVED,
    )


def _of_run(
    run: Run, unsaved: Quantity, derivation: Derivation
) -> tuple[Run, Readings | None, str, bool]:
    try:
        bases = derivation.formulas.bases(unsaved)
        rows = columns.load([run], bases, derivation)[run.pk].rows(bases)
        if rows is None:
            if not bases:
                return run, None, derivation.why_without_rows(unsaved), False
            return run, None, "has not all that the formula uses", False
        part = rows.count > LONG
        read, _ = derivation.readings(unsaved, rows.first(LONG))
    except GalenaError as error:
        return run, None, str(error), False
    return run, read, "", part


def _places(decimals: str, of_runs: list, unsaved: Quantity) -> int:
    """Tell how many decimals are shown: those chosen, or those that the values deserve."""
    if decimals.strip().isascii() and decimals.strip().isdigit():
        return min(int(decimals), 9)
    for run, read, *_ in of_runs:
        if read is None:
            continue
        usual = None if read.combined is None else honest_decimals(read.combined, digits=2)
        usual = (
            usual if usual is not None else DecimalsJudge(unsaved.experiment, run).decimals(unsaved)
        )
        if usual is not None:
            return usual
    return 2


def _shown(of_run: tuple[Run, Readings | None, str, bool], places: int) -> OfRun:
    run, read, trouble, part = of_run
    if read is None:
        return OfRun(run, trouble=trouble)
    u = read.combined
    values = [
        _text(float(read.y[row]), None if u is None else float(u[row]), places)
        for row in range(min(FIRST, len(read)))
    ]
    gaps = int(np.count_nonzero(~np.isfinite(read.y)))
    return OfRun(run, values, len(read), gaps, is_part=part)


def _text(value: float, u: float | None, places: int) -> tuple[str, str]:
    """Write a value and its uncertainty with the decimals that the whole row deserves."""
    if u is None or not (u > 0 and np.isfinite(u) and np.isfinite(value)):
        return (numbers.fixed(value, places), "")
    if max(abs(value), u) < MOST_PLAIN and u > 10.0**-MOST_PLACES:
        return (numbers.fixed(value, places), numbers.fixed(u, places))
    rounded, _, error = numbers.estimate(value, u).partition(" ± ")
    return (rounded, error)
