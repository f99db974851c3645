"""Which unit each parameter of a model has, worked out from those of x and y."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from fractions import Fraction

from galena.core.errors import FormulaError
from galena.core.formula.syntax import Binary, Call, Group, Name, Negative, Node, Number
from galena.core.units import Unit, exponent

Vector = dict[str, Fraction]
_OF_NUMBER = ("exp", "sin", "cos", "tan", "asin", "acos", "atan", "erf")
_ALIKE = ("min", "max", "abs")
_LARGEST = 12


@dataclass(frozen=True)
class Powers:
    """A unit as powers of those of x and y."""

    y: float = 0
    x: float = 0

    @staticmethod
    def of_basis(power: float) -> Powers:
        """Give the unit of what multiplies a power of x to make y."""
        return Powers(y=1, x=-power)

    def unit(self, x: Unit, y: Unit) -> Unit:
        """Give the unit itself."""
        parts = [one ** _exact(power) for one, power in ((y, self.y), (x, self.x)) if power]
        product = Unit()
        for part in parts:
            product = product * part
        return product

    def size(self, x: float, y: float) -> float:
        """Give a typical size of a parameter where x and y reach so far."""
        return float(y**self.y * x**self.x)


def _exact(power: float) -> int | Fraction:
    return exponent(Fraction(power).limit_denominator(2))


def work_out(
    text: str, tree: Node, places: Mapping[str, Vector], result: Vector, parameters: tuple[str, ...]
) -> dict[str, Vector]:
    """Give the unit of each parameter as powers, such that both sides of a model fit.

    places: the units of x (or of several); result: that of y, as powers of anything. A parameter
    that may have any unit gets none. A power with a parameter in it, and a logarithm, take their
    base as a number counted in its unit. Raises FormulaError where no units fit.
    """
    walk = _Walk(text, dict(places), set(parameters))
    both = walk.minus(walk.of(tree), {("", name): power for name, power in result.items()})
    walk.equal(both, tree)
    return {name: walk.solved.get(name, {}) for name in _solve(walk)}


Form = dict[tuple[str, str], Fraction]  # ("p", parameter) or ("", unit) to its power


class _Walk:
    """One walk through a model, that collects which products of units must be a plain number."""

    def __init__(self, text: str, places: dict[str, Vector], parameters: set[str]) -> None:
        self.text, self.places, self.parameters = text, places, parameters
        self.wanted: list[tuple[Form, Node]] = []
        self.solved: dict[str, Vector] = {}

    def of(self, node: Node) -> Form:
        if isinstance(node, Number):
            return {}
        if isinstance(node, Name):
            if node.symbol in self.parameters:
                return {("p", node.symbol): Fraction(1)}
            return {("", name): power for name, power in self.places.get(node.symbol, {}).items()}
        if isinstance(node, Negative):
            return self.of(node.operand)
        if isinstance(node, Group):
            return self.of(node.inside)
        if isinstance(node, Call):
            return self._call(node)
        assert isinstance(node, Binary)
        left = self.of(node.left)
        if node.operator == "power":
            return self._raised(left, node.right)
        right = self.of(node.right)
        if node.operator == "multiply":
            return self.minus(left, right, -1)
        if node.operator == "divide":
            return self.minus(left, right)
        self.equal(self.minus(left, right), node)
        return left

    def _call(self, node: Call) -> Form:
        forms = [self.of(form) for form in node.arguments]
        if node.function == "sqrt":
            return {key: power / 2 for key, power in forms[0].items()}
        if node.function in _OF_NUMBER:
            self.equal(forms[0], node)
            return {}
        if node.function in _ALIKE:
            for form in forms[1:]:
                self.equal(self.minus(forms[0], form), node)
            return forms[0]
        return {}  # a logarithm takes the number in its unit

    def _raised(self, base: Form, power: Node) -> Form:
        self.equal(self.of(power), power)
        exponent = _number(power)
        if exponent is None:
            return {}
        return {key: one * exponent for key, one in base.items()}

    @staticmethod
    def minus(left: Form, right: Form, sign: int = 1) -> Form:
        difference = dict(left)
        for key, power in right.items():
            difference[key] = difference.get(key, Fraction(0)) - sign * power
        return {key: power for key, power in difference.items() if power}

    def equal(self, form: Form, node: Node) -> None:
        if form:
            self.wanted.append((form, node))


def _solve(walk: _Walk) -> list[str]:
    """Eliminate one parameter after the other; what is left over must be a plain number."""
    solved: dict[str, Form] = {}

    def put_in(form: Form) -> Form:
        put: Form = {}
        for key, power in form.items():
            of = solved.get(key[1]) if key[0] == "p" else None
            for other, share in (of if of is not None else {key: Fraction(1)}).items():
                put[other] = put.get(other, Fraction(0)) + share * power
        return {key: power for key, power in put.items() if power}

    for form, node in walk.wanted:
        rest = put_in(form)
        chosen = next((key for key in rest if key[0] == "p"), None)
        if chosen is None:
            if rest:
                raise _misfit(walk.text, node)
            continue
        factor = rest.pop(chosen)
        solved[chosen[1]] = {key: -power / factor for key, power in rest.items()}
        for name in list(solved):
            solved[name] = put_in(solved[name])
    for name in walk.parameters:
        solution = solved.get(name, {})
        powers = {key[1]: power for key, power in solution.items() if key[0] == ""}
        if any(abs(power) > _LARGEST or power.denominator > 2 for power in powers.values()):
            raise FormulaError(f"No unit fits {name} in this model.", 0, len(walk.text))
        walk.solved[name] = powers
    return sorted(walk.parameters)


def _misfit(text: str, node: Node) -> FormulaError:
    part = text[node.start : node.end]
    return FormulaError(
        f"The units do not fit in {part}: x and y carry units, plain numbers have none. Write a "
        "parameter wherever something with a unit is meant, for example exp(-x/τ), a*x + b.",
        node.start,
        node.end,
    )


def _number(node: Node) -> Fraction | None:
    """Give the plain number that an exponent is; None if a parameter or x stands in it."""
    if isinstance(node, Number) and not node.unit:
        return Fraction(node.text).limit_denominator(1000)
    if isinstance(node, Group):
        return _number(node.inside)
    if isinstance(node, Negative):
        inside = _number(node.operand)
        return None if inside is None else -inside
    if isinstance(node, Binary):
        left, right = _number(node.left), _number(node.right)
        if left is None or right is None:
            return None
        if node.operator == "divide":
            return left / right if right else None
        if node.operator == "multiply":
            return left * right
        return left + right if node.operator == "add" else left - right
    return None
