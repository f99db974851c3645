"""All changes of quantities, formulas, uncertainty rules and givens."""

import contextlib

from django.db import transaction

from galena.core.conditions import hold
from galena.core.errors import ConditionError, FormulaError, GalenaError, NumberError
from galena.core.formula import parsing as reading
from galena.core.symbols import is_symbol, renamed
from galena.core.uncertainty_rules import RULES, size
from galena.experiments.errors import ExperimentError
from galena.experiments.flows import free_symbol, refuse_symbol, touch, unit_of
from galena.experiments.formulas.symbols import TIME, Formulas, Thing, formulas_of
from galena.experiments.honest_decimals import DecimalsJudge
from galena.experiments.models import Condition, Experiment, Given, Quantity

JUDGES = 3  # runs that are looked at for the decimals that values deserve
MOST = 60  # derived quantities, and as many givens
CALLED = {Quantity: "quantity", Given: "given", Condition: "condition"}


def add_derived(
    experiment: Experiment, formula: str, name: str, symbol: str, unit: str = "", decimals: str = ""
) -> Quantity:
    """Make a quantity of a formula; an empty unit or decimals follow from it.

    Raises FormulaError, ExperimentError.
    """
    _refuse_many(experiment)
    # Never the same twice: what was undone may come back beside what was made since.
    quantity = Quantity(experiment=experiment, kind=Quantity.Kind.DERIVED, decimals=2)
    return change_derived(quantity, formula, name, symbol, unit, decimals)


def _refuse_many(experiment: Experiment) -> None:
    if experiment.derived.count() >= MOST:
        raise ExperimentError("symbol", f"An experiment has at most {MOST} formulas.")


def change_derived(
    quantity: Quantity, formula: str, name: str, symbol: str, unit: str = "", decimals: str = ""
) -> Quantity:
    """Give a derived quantity another formula, name, symbol, unit or decimals.

    Raises FormulaError, ExperimentError; nothing is changed then.
    """
    with transaction.atomic():
        _name(quantity, name, symbol)
        _set_formula(quantity, formula, unit, decimals)
    quantity.refresh_from_db()
    return quantity


def add_transformed(experiment: Experiment, formula: str, name: str, symbol: str) -> Quantity:
    """Give the quantity of a formula that is one of its symbols transformed, as 1/d^2.

    What is there already is not made again. Its symbol is written as the formula itself, as d⁻²:
    where a formula names it, it reads the same. Raises FormulaError, ExperimentError.
    """
    there = experiment.derived.filter(formula=formula, symbol=symbol).first()
    if there is not None:
        return there
    _refuse_many(experiment)
    quantity = Quantity(experiment=experiment, kind=Quantity.Kind.DERIVED, decimals=2,
                        name=name[:60], symbol=symbol[:20])  # fmt: skip
    with transaction.atomic():
        _set_formula(quantity, formula, "", "")
    quantity.refresh_from_db()
    return quantity


def _set_formula(quantity: Quantity, formula: str, unit: str, decimals: str) -> None:
    """Keep a quantity with its formula, and what follows from it."""
    experiment = quantity.experiment
    with transaction.atomic():
        quantity.formula = formula.strip()
        quantity.unit_chosen, quantity.decimals_chosen = bool(unit.strip()), bool(decimals.strip())
        if quantity.decimals_chosen:
            quantity.decimals = _decimals(decimals)
        formulas = formulas_of(experiment)
        wanted = unit_of(unit.strip()) if quantity.unit_chosen else None
        ready = formulas.compiled(quantity.formula, wanted, quantity if quantity.pk else None)
        quantity.unit = str(ready.unit)
        _refuse_length(quantity.unit)
        quantity.save()
        formulas_of(experiment).refuse_circle(quantity)
        refresh(experiment)
        touch(experiment)


def describe(quantity: Quantity, name: str, symbol: str, decimals: str = "") -> None:
    """Give a measured or entered quantity another name, symbol or number of decimals.

    Its symbol changes in every formula. Raises ExperimentError.
    """
    with transaction.atomic():
        _name(quantity, name, symbol)
        if decimals.strip():
            quantity.decimals = _decimals(decimals)
        quantity.save()
        refresh(quantity.experiment)
        touch(quantity.experiment)


def set_rule(
    quantity: Quantity, rule: str, absolute: str = "", relative: str = "", calibration: bool = True
) -> None:
    """Choose where the uncertainty of a quantity's readings comes from. Raises ExperimentError.

    absolute: in the quantity's unit; relative: in percent, as typed.
    """
    if quantity.is_derived:
        raise ExperimentError("rule", "The uncertainty of a formula follows from what goes in.")
    if rule not in RULES:
        raise ExperimentError("rule", f"There is no rule “{rule}” for uncertainties.")
    sizes: dict[str, float | None] = {"absolute": None, "relative": None}
    typed = {"absolute": absolute, "relative": relative.strip().removesuffix("%")}
    for name in RULES[rule].takes:
        try:
            sizes[name] = size(typed[name], f"The {name} uncertainty")
        except NumberError as error:
            raise ExperimentError(name, str(error)) from error
    quantity.u_rule, quantity.u_calibration = rule, calibration
    quantity.u_absolute = sizes["absolute"]
    quantity.u_relative = None if sizes["relative"] is None else sizes["relative"] / 100
    quantity.save(update_fields=["u_rule", "u_calibration", "u_absolute", "u_relative"])
    refresh(quantity.experiment)
    touch(quantity.experiment)


def drop(named: Quantity | Given) -> None:
    """Take a derived quantity or a given away; refused while formulas use it."""
    formulas = formulas_of(named.experiment)
    refuse_in_use(formulas, named)
    if isinstance(named, Quantity) and not named.is_derived:
        raise ExperimentError(
            "symbol", f"{named.symbol} is {named.kind}, not made by a formula. It stays."
        )
    named.delete()
    touch(named.experiment)


def refuse_in_use(formulas: Formulas, named: Thing) -> None:
    """Raise ExperimentError, which names the formulas that use a thing."""
    users = formulas.users(named)
    if users:
        listed = ", ".join(f"{one.symbol} = {one.formula}" for one in users[:4])
        raise ExperimentError(
            "symbol", f"{named.symbol} is used by {listed}. Change or remove that first."
        )


def save_given(
    experiment: Experiment,
    given: Given | None,
    name: str,
    symbol: str,
    value: str,
    unit: str = "",
    note: str = "",
) -> Given:
    """Make a given or change it; the value may carry an uncertainty: 0.250 ± 0.002.

    Raises ExperimentError, which names the field; FormulaError where a formula would not fit.
    """
    if given is None and experiment.givens.count() >= MOST:
        raise ExperimentError("symbol", f"An experiment has at most {MOST} givens.")
    given = given or Given(experiment=experiment)
    if not value.strip():
        raise ExperimentError("value", "Type the value, for example 0.250 ± 0.002.")
    with transaction.atomic():
        _name(given, name, symbol)
        given.unit = unit_of(unit.strip())
        try:
            held = hold(value, given.name, "number", given.unit)
        except ConditionError as error:
            raise ExperimentError("value", str(error)) from error
        given.text, given.value, given.u = held.text, held.value, held.u
        given.note = " ".join(note.split())[:200]
        given.save()
        refresh(experiment)
        touch(experiment)
    return given


def set_symbol(condition: Condition, symbol: str) -> None:
    """Give a condition a symbol, so that formulas can use it. Raises ExperimentError."""
    with transaction.atomic():
        _name(condition, condition.name, symbol)
        condition.save(update_fields=["symbol"])
        refresh(condition.experiment)
        touch(condition.experiment)


def shift_origin(quantity: Quantity) -> Quantity:
    """Make a quantity that counts from the first reading of each run."""
    symbol = quantity.symbol
    return add_derived(
        quantity.experiment,
        f"{symbol} - first({symbol})",
        f"{quantity.name} from its start",
        free_symbol(quantity.experiment, f"Δ{symbol}"),
    )


def reverse_sign(quantity: Quantity) -> Quantity:
    """Make a quantity that counts the other way."""
    return add_derived(
        quantity.experiment,
        f"-{quantity.symbol}",
        f"{quantity.name} reversed",
        free_symbol(quantity.experiment, f"{quantity.symbol.replace('_', '')}_rev"),
    )


def refresh(experiment: Experiment) -> None:
    """Have the units and decimals of all formulas follow what they are made of.

    A formula that does not fit any more stays as it is; its page says why.
    """
    if not experiment.derived.exists():
        return
    formulas = formulas_of(experiment)
    done: list[Quantity] = []
    before = {quantity.pk: quantity.unit for quantity in formulas.quantities}
    for quantity in formulas.quantities:
        _follow_units(formulas, quantity, done)
    Quantity.objects.bulk_update([one for one in done if one.unit != before[one.pk]], ["unit"])
    judges = _judges(experiment)
    for quantity in done:
        if not quantity.decimals_chosen:
            usual = _usual_decimals(quantity, judges)
            quantity.decimals = quantity.decimals if usual is None else usual
    Quantity.objects.bulk_update(done, ["decimals"])


def _follow_units(formulas: Formulas, quantity: Quantity, done: list[Quantity]) -> None:
    """Give a derived quantity the unit that its formula has now, after those that it uses."""
    if not quantity.is_derived or quantity in done:
        return
    done.append(quantity)
    for used in formulas.uses(quantity):
        if isinstance(used, Quantity):
            _follow_units(formulas, used, done)
    if quantity.unit_chosen:
        return
    with contextlib.suppress(FormulaError):
        quantity.unit = str(formulas.compiled(quantity.formula, None, quantity).natural)


def _judges(experiment: Experiment) -> list[DecimalsJudge]:
    """Give the first runs as judges of decimals, each loaded once."""
    judges = []
    for run in experiment.runs.kept().filter(unused="")[:JUDGES]:
        with contextlib.suppress(GalenaError):
            judges.append(DecimalsJudge(experiment, run))
    return judges


def _usual_decimals(quantity: Quantity, judges: list[DecimalsJudge]) -> int | None:
    for judge in judges:
        with contextlib.suppress(GalenaError):
            usual = judge.decimals(quantity)
            if usual is not None:
                return usual
    return None


def rename_in_formulas(experiment: Experiment, old: str, new: str) -> None:
    """Write a symbol's new name into every formula."""
    if old == new or not old:
        return
    for quantity in experiment.derived:
        try:
            changed = reading.rename(quantity.formula, reading.same_symbol(old), new)
        except FormulaError:
            continue
        if changed == quantity.formula:
            continue
        symbol = quantity.symbol
        if not is_symbol(symbol):  # one that is written with those of its formula, as d⁻²
            symbol = renamed(symbol, old, new)
        Quantity.objects.filter(pk=quantity.pk).update(formula=changed, symbol=symbol)


def _name(named: Thing, name: str, symbol: str) -> None:
    """Give a thing its name and symbol, the symbol in all formulas as well."""
    name, symbol = " ".join(name.split()), reading.same_symbol(symbol.strip())
    called = CALLED[type(named)]
    if not symbol:
        raise ExperimentError("symbol", f"Give the {called} a symbol, for example E_kin.")
    if symbol == TIME and not (isinstance(named, Quantity) and not named.is_derived):
        raise ExperimentError("symbol", "t is the time since the start of a run. Take another.")
    if len(name) > 60:
        raise ExperimentError("name", "Keep the name to 60 characters.")
    if symbol != named.symbol:
        refuse_symbol(named.experiment, symbol, named if named.pk else None)
        if named.pk:
            rename_in_formulas(named.experiment, named.symbol, symbol)
    named.name, named.symbol = name or symbol, symbol


def _decimals(text: str) -> int:
    typed = text.strip()
    if not (typed.isascii() and typed.isdigit() and int(typed) <= 9):
        raise ExperimentError("decimals", "Decimals are a whole number from 0 to 9.")
    return int(typed)


def _refuse_length(unit: str) -> None:
    if len(unit) > 60:
        raise ExperimentError("unit", "This unit is too long to be shown. Choose another.")
