"""What the page of quantities lists: quantities with what they depend on, givens, insertions."""

from dataclasses import dataclass

from django.db.models.functions import Substr

from galena.core import symbols, units
from galena.core.conditions import shown
from galena.core.errors import GalenaError
from galena.core.formula import FUNCTIONS
from galena.core.formula.constants import constants
from galena.core.formula.typesetting import mathml
from galena.core.numbers import decimals_of_text
from galena.experiments.formulas.symbols import TIME, Formulas
from galena.experiments.models import Experiment, Quantity, TypedColumn

LOOKED_AT = 50_000  # characters of a typed column


@dataclass(frozen=True)
class Listed:
    """A quantity of the list; `trouble` says why its formula does not work."""

    quantity: Quantity
    math: str = ""
    trouble: str = ""
    users: tuple[str, ...] = ()
    remark: str = ""


@dataclass(frozen=True)
class Insertion:
    """Something that can be put into a formula: its text, what it is, and its value or unit."""

    text: str
    name: str
    value: str = ""


def listed(experiment: Experiment, formulas: Formulas) -> list[Listed]:
    """List the quantities that have readings or a formula, or that a formula uses."""
    shown = experiment.shown
    used = {one for quantity in formulas.quantities for one in formulas.uses(quantity)}
    wanted = [*shown, *(one for one in formulas.quantities if one in used and one not in shown)]
    mixed = _mixed(experiment)
    return [_listed(one, formulas, mixed.get(one.pk, "")) for one in wanted]


def _listed(quantity: Quantity, formulas: Formulas, remark: str) -> Listed:
    users = tuple(one.symbol for one in formulas.users(quantity))
    if not quantity.is_derived:
        return Listed(quantity, users=users, remark=remark)
    math = trouble = ""
    try:
        math = mathml(quantity.formula)
        formulas.expression(quantity)
    except GalenaError as error:
        trouble = str(error)
    return Listed(quantity, math, trouble, users)


def _mixed(experiment: Experiment) -> dict[int, str]:
    """Remark on typed columns whose numbers have different numbers of decimals."""
    kept = TypedColumn.objects.filter(run__experiment=experiment, replaced_at=None)
    kept = kept.filter(run__removed_at=None).annotate(begin=Substr("texts", 1, LOOKED_AT))
    remarks: dict[int, str] = {}
    for key, number, begin in kept.values_list("quantity_id", "run__number", "begin"):
        remark = mixed_decimals(begin.split("\n")[: -1 if len(begin) == LOOKED_AT else None])
        if remark:
            remarks.setdefault(key, f"Run {number}: {remark}")
    return remarks


def mixed_decimals(cells: list[str]) -> str:
    """Say that typed numbers differ in their decimals; nothing where they agree."""
    places = {decimals_of_text(cell.replace(",", ".")) for cell in cells if cell.strip()}
    if len(places) < 2:
        return ""
    return (
        f"numbers with {min(places)} and with {max(places)} decimals are mixed. Type trailing "
        "zeros too, if they were read."
    )


def insertions(formulas: Formulas) -> list[tuple[str, list[Insertion]]]:
    """List what can be put into a formula, in groups."""
    own = formulas.symbols()
    groups = [
        ("Quantities", [_of_quantity(one) for one in formulas.quantities if one.symbol in own]),
        ("Givens", [Insertion(one.symbol, one.name, _value(one)) for one in formulas.givens]),
        ("Conditions", [Insertion(one.symbol, one.name, units.shown(one.unit))
                        for one in formulas.conditions]),
        ("Constants", [
            Insertion(symbol, one.name, f"{one.value:.6g} {one.unit}".strip())
            for symbol, one in constants().items()
            if symbol not in own and symbol != "pi"
        ]),
        ("Functions", [Insertion(f"{one.name}(", one.about, one.form)
                       for one in FUNCTIONS.values()]),
    ]  # fmt: skip
    if TIME not in formulas.things:
        groups[0][1].append(Insertion(TIME, "time since the start of the run", "s"))
    return [(name, offered) for name, offered in groups if offered]


def _of_quantity(quantity: Quantity) -> Insertion:
    return Insertion(quantity.symbol, quantity.name, units.shown(quantity.unit))


def _value(given) -> str:
    return f"{shown(given.text)} {units.shown(given.unit)}".strip()


def offers(groups: list[tuple[str, list[Insertion]]]) -> list[dict[str, str]]:
    """Give all insertions for the list that opens while one types."""
    return [
        {"text": one.text, "shown": symbols.plain(one.text.removesuffix("(")), "name": one.name,
         "value": one.value}
        for _, offered in groups
        for one in offered
    ]  # fmt: skip
