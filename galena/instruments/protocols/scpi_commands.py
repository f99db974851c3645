"""The list of measuring commands of instruments that speak SCPI: scpi_commands.txt."""

from __future__ import annotations

import fnmatch
import math
from collections.abc import Iterable
from dataclasses import dataclass
from pathlib import Path

from galena.instruments.errors import InstrumentError

SHIPPED = Path(__file__).with_name("scpi_commands.txt")
_FIELDS = 9
_VOWELS = "AEIOU"


@dataclass(frozen=True)
class MeasuringCommand:
    """One line of the list; `least` and `most` are in `unit`."""

    function: str
    quantity: str
    symbol: str
    unit: str
    least: float
    most: float
    command: str
    is_tried: bool
    models: str

    def is_for(self, model: str) -> bool:
        """Tell whether it is meant for a model."""
        return fnmatch.fnmatchcase(model.upper(), self.models.upper())


def read_commands(text: str, name: str = SHIPPED.name) -> list[MeasuringCommand]:
    """Read a list of commands; InstrumentError names the line that cannot be read."""
    commands = []
    for number, line in enumerate(text.splitlines(), start=1):
        if not line.strip() or line.lstrip().startswith("#"):
            continue
        fields = [field.strip() for field in line.split("|")]
        try:
            function, quantity, symbol, unit, least, most, command, tried, models = fields
            limits = float(least), float(most)
        except ValueError:
            raise InstrumentError(
                f"{name}, line {number}: {_FIELDS} fields with | between are needed, the fifth and "
                f"sixth numbers; it has {len(fields)}."
            ) from None
        if not limits[0] < limits[1] or not all(map(math.isfinite, limits)):
            raise InstrumentError(f"{name}, line {number}: the smallest is not below the largest.")
        if not command.endswith("?") or not (command.isascii() and command.isprintable()):
            raise InstrumentError(f"{name}, line {number}: a command that is answered ends with ?.")
        commands.append(
            MeasuringCommand(short_form(function), quantity, symbol, unit, *limits, command,
                             tried.lower() == "yes", models or "*")
        )  # fmt: skip
    return commands


def commands_of(own: Path | None = None) -> list[MeasuringCommand]:
    """Give a person's own commands first, then those that ship."""
    listed = []
    if own is not None and own.is_file():
        listed = read_commands(own.read_text("utf-8", "replace"), own.name)
    return listed + read_commands(SHIPPED.read_text("utf-8"))


def short_form(function: str) -> str:
    """Give the short form of a function's name: VOLTAGE:DC and VOLT are both VOLT.

    Of each word four letters, or three where the fourth is a vowel (SCPI-99, volume 1, 6.2.1);
    direct voltage and current are what is meant where nothing is said.
    """
    words = [_short_word(word) for word in function.strip().strip('"').upper().split(":") if word]
    if len(words) > 1 and words[-1] == "DC":
        words.pop()
    return ":".join(words)


def _short_word(word: str) -> str:
    if len(word) <= 4:
        return word
    return word[:3] if word[3] in _VOWELS else word[:4]


def fitting(
    commands: Iterable[MeasuringCommand], model: str, function: str
) -> MeasuringCommand | None:
    """Give the first command for a model that measures what it is set to."""
    name = short_form(function)
    return next((one for one in commands if one.function == name and one.is_for(model)), None)
