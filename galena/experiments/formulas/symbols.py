"""The symbols of an experiment, its formulas made ready, and what depends on what."""

from dataclasses import dataclass, field
from functools import lru_cache
from itertools import pairwise
from typing import cast

from galena.core import units
from galena.core.errors import FormulaError, UnitError
from galena.core.formula import Expression, Symbol, compile
from galena.core.formula.parsing import parse, same_symbol
from galena.core.formula.semantics import Kind
from galena.core.formula.syntax import names
from galena.experiments.models import Condition, Experiment, Given, Quantity

TIME = "t"
Thing = Quantity | Given | Condition


@dataclass
class Formulas:
    """What the formulas of an experiment can use, by symbol; all of it is loaded."""

    experiment: Experiment
    quantities: list[Quantity]
    givens: list[Given]
    conditions: list[Condition]
    things: dict[str, Thing] = field(default_factory=dict)
    shared: dict[str, list[Thing]] = field(default_factory=dict)
    _ready: dict[int, Expression] = field(default_factory=dict)

    def __post_init__(self) -> None:
        everything: list[Thing] = [*self.quantities, *self.givens, *self.conditions]
        for named in everything:
            symbol = same_symbol(named.symbol)
            if symbol in self.things:
                self.shared.setdefault(symbol, [self.things[symbol]]).append(named)
            elif symbol:
                self.things[symbol] = named

    def symbols(self, without: Quantity | None = None) -> dict[str, Symbol]:
        """Give what each symbol stands for."""
        by_symbol = {TIME: Symbol(units.parse("s"), "time", "time")}
        for symbol, named in self.things.items():
            if symbol not in self.shared and named != without:
                by_symbol[symbol] = Symbol(_unit(named), _kind(named), named.name)
        return by_symbol

    def expression(self, quantity: Quantity) -> Expression:
        """Give a quantity's formula ready for use. Raises FormulaError, also for a circle."""
        if quantity.pk in self._ready:
            return self._ready[quantity.pk]
        self.refuse_circle(quantity)
        ready = self.compiled(quantity.formula, quantity.unit, quantity)
        self._ready[quantity.pk] = ready
        return ready

    def compiled(
        self, formula: str, unit: str | None = None, of: Quantity | None = None
    ) -> Expression:
        """Make a formula ready, with its values in a unit if one is given. Raises FormulaError."""
        for name in names(parse(formula)):
            if name.symbol in self.shared:
                both = " and ".join(f"“{one}”" for one in self.shared[name.symbol][:2])
                raise FormulaError(
                    f"{name.symbol} stands for {both}. Give one of them another symbol.",
                    name.start,
                    name.end,
                )
            if of is not None and self.things.get(name.symbol) == of:
                raise FormulaError(
                    f"The formula of {of.symbol} uses {of.symbol} itself. Use what it is made of.",
                    name.start,
                    name.end,
                )
        wanted = None if unit is None else units.parse(unit)
        symbols_of_it = tuple(self.symbols(of).items())
        return _compiled(formula, symbols_of_it, wanted)

    def uses(self, quantity: Quantity) -> list[Thing]:
        """List what a quantity's formula uses, each once, in the order in which it stands."""
        if not quantity.is_derived:
            return []
        try:
            used = dict.fromkeys(name.symbol for name in names(parse(quantity.formula)))
        except FormulaError:
            return []
        return [self.things[symbol] for symbol in used if symbol in self.things]

    def users(self, named: Thing) -> list[Quantity]:
        """List the quantities whose formulas use a thing."""
        return [one for one in self.quantities if named in self.uses(one)]

    def bases(self, quantity: Quantity) -> list[Quantity]:
        """List the measured and entered quantities that a quantity comes from, each once.

        Raises FormulaError for formulas that go round in a circle.
        """
        self.refuse_circle(quantity)
        if not quantity.is_derived:
            return [quantity]
        bases_of_it: dict[Quantity, None] = {}
        for used in self.uses(quantity):
            if isinstance(used, Quantity):
                bases_of_it.update(dict.fromkeys(self.bases(used)))
        return list(bases_of_it)

    def refuse_circle(self, quantity: Quantity) -> None:
        """Raise FormulaError where a quantity comes from itself, naming the way round."""
        way = self._circle(quantity, [])
        if way:
            steps = ", ".join(f"{one.symbol} uses {other.symbol}" for one, other in pairwise(way))
            raise FormulaError(
                f"The formulas go round in a circle: {steps}. Break it at one place."
            )

    def _circle(self, quantity: Quantity, way: list[Quantity]) -> list[Quantity]:
        if quantity in way:
            return [*way[way.index(quantity) :], quantity]
        for used in self.uses(quantity):
            if isinstance(used, Quantity) and used.is_derived:
                circle = self._circle(used, [*way, quantity])
                if circle:
                    return circle
        return []


def formulas_of(experiment: Experiment) -> Formulas:
    """Load all symbols of an experiment; three queries."""
    conditions = experiment.conditions.filter(kind=Condition.Kind.NUMBER).exclude(symbol="")
    return Formulas(
        experiment,
        _usable_quantities(experiment),
        list(experiment.givens.all()),
        list(conditions),
    )


def _usable_quantities(experiment: Experiment) -> list[Quantity]:
    """List the quantities; one that nothing was ever measured of makes room for another."""
    everything = list(experiment.quantities.order_by("pk"))
    counts: dict[str, int] = {}
    for quantity in everything:
        counts[quantity.symbol] = counts.get(quantity.symbol, 0) + 1
    if max(counts.values(), default=0) < 2:
        return everything
    measured = set(experiment.measured.values_list("pk", flat=True))
    return [
        quantity
        for quantity in everything
        if counts[quantity.symbol] == 1 or quantity.pk in measured or quantity.kind != "measured"
    ]


def _unit(named: Thing) -> units.Unit:
    try:
        return units.parse(named.unit)
    except UnitError:
        return units.Unit()


def _kind(named: Thing) -> Kind:
    return cast(Kind, type(named).__name__.lower())


@lru_cache(maxsize=512)
def _compiled(
    formula: str, symbols: tuple[tuple[str, Symbol], ...], unit: units.Unit | None
) -> Expression:
    return compile(formula, dict(symbols), unit=unit)
