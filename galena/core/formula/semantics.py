"""What a part of a formula means: its kind of quantity, its unit as written, and its operation."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Literal

from galena.core import dimensions
from galena.core.dimensions import Dimension
from galena.core.errors import FormulaError
from galena.core.formula.syntax import Node
from galena.core.units import Unit, in_words

Kind = Literal["quantity", "given", "condition", "time", "constant"]


@dataclass(frozen=True)
class Symbol:
    """What a symbol of a formula stands for: its unit, and in words what it is."""

    unit: Unit
    kind: Kind = "quantity"
    name: str = ""


@dataclass(frozen=True)
class Term:
    """A part of a formula whose units fit.

    written   the product of units as they stand there; None where it cannot be told
    points    how often the zero of °C is counted in: once for a temperature, not at all for a
              difference of two
    number    its value where it is a plain number that can be told now
    turns     whether π stands in it, so that a plain number may be an angle
    factor, origin   for a number with a unit and for symbols: value in SI = factor·value + origin
    """

    node: Node
    operation: str
    dimension: Dimension
    written: Unit | None
    terms: tuple[Term, ...] = ()
    points: float = 0.0
    number: float | None = None
    turns: bool = False
    factor: float = 1.0
    origin: float = 0.0
    symbol: str = ""

    @property
    def unit(self) -> Unit:
        """The unit in which its values are shown; raises UnitError where none is."""
        if self.points == 1.0:
            return dimensions.CELSIUS
        if self.written == dimensions.CELSIUS:
            return dimensions.KELVIN
        return dimensions.simplest(self.written, self.dimension)

    @property
    def in_words(self) -> str:
        """Name its unit as one reads it aloud."""
        return in_words(self.unit)

    def is_inside(self, text: str) -> str:
        """Give its text, shortened where it is long."""
        text_of_node = text[self.node.start : self.node.end]
        return text_of_node if len(text_of_node) <= 30 else text_of_node[:29] + "…"

    def refuse(self, message: str) -> FormulaError:
        """Make the error that names its place."""
        return FormulaError(message, self.node.start, self.node.end)


@dataclass(frozen=True)
class Reader:
    """What is known while units are worked out: the text, its symbols, and remarks made.

    free: whether nothing has a unit and angles are plain numbers, as in a model to be fitted.
    """

    text: str
    symbols: Mapping[str, Symbol]
    remarks: list[str]
    free: bool = False

    def quote(self, term: Term) -> str:
        """Give a part as it was typed."""
        return term.is_inside(self.text)

    def remark(self, words: str) -> None:
        """Note something that is no error but may not be meant."""
        if words not in self.remarks:
            self.remarks.append(words)
