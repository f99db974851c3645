"""What is typed of the columns that a board prints."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from django import forms

from galena.core import symbols, units
from galena.core.errors import UnitError
from galena.instruments.protocols.plain_board import CLOCKS, BoardFacts, ColumnFacts
from galena.shell import fields, requested
from galena.shell.fields import NumberField, TextField

MEASURED = "none"  # the choice that no column is the board's clock


class ColumnForm(forms.Form):
    """A column: what it measures, its symbol and unit, and from where to where it reads."""

    quantity = TextField(100)
    symbol = TextField(20)
    unit = TextField(60)

    def __init__(self, typed: Mapping[str, str], *, place: int) -> None:
        super().__init__(typed)
        self.place = place
        which = f"column {place + 1}"
        self.fields["min"] = NumberField(f"The lowest reading of {which}", "-40")
        self.fields["max"] = NumberField(f"The highest reading of {which}", "125")
        self.fields["resolution"] = NumberField(f"The step of {which}", "0.1", above_zero=True)

    def clean_quantity(self) -> str:
        return self.cleaned_data["quantity"].strip() or f"column {self.place + 1}"

    def clean_symbol(self) -> str:
        symbol = self.cleaned_data["symbol"].strip()
        if not symbols.is_symbol(symbol):
            raise forms.ValidationError(
                f"“{symbol}” is no symbol for column {self.place + 1}: begin with a letter; digits "
                "and _ may follow."
            )
        return symbol

    def clean_unit(self) -> str:
        unit = self.cleaned_data["unit"].strip()
        try:
            return str(units.parse(unit)) if unit else ""
        except UnitError as error:
            raise forms.ValidationError(str(error)) from error

    def clean(self) -> dict[str, Any]:
        cleaned = self.cleaned_data
        if {"min", "max"} <= cleaned.keys() and not cleaned["min"] < cleaned["max"]:
            raise forms.ValidationError(
                f"Column {self.place + 1} reads from its lowest to its highest reading: the "
                "second must be above the first."
            )
        return cleaned


def read_facts(typed: Mapping[str, str], columns: int) -> BoardFacts:
    """Read what is typed of so many columns. Raises RequestError."""
    clock, clock_unit = _clock(typed, columns)
    described = []
    for place in range(columns):
        of_it = {key: typed.get(f"{key}-{place}", "") for key in ColumnFacts.__annotations__}
        try:
            described.append(ColumnFacts(**fields.read(ColumnForm, of_it, place=place)))
        except requested.RequestError:
            if place != clock:  # of the clock nothing need be said
                raise
            described.append(ColumnFacts("time", "t", "", 0.0, 1e12, 1.0))
    measured = [one.symbol for place, one in enumerate(described) if place != clock]
    twice = next((one for one in measured if measured.count(one) > 1), None)
    if twice is not None:
        raise requested.RequestError(f"Two columns have the symbol {twice}. Give one another.")
    if not measured:
        raise requested.RequestError("A clock alone measures nothing: leave a column beside it.")
    return BoardFacts(tuple(described), clock, clock_unit)


def _clock(typed: Mapping[str, str], columns: int) -> tuple[int | None, str]:
    unit = typed.get("clock_unit", "ms")
    if unit not in CLOCKS:
        raise requested.RequestError("A clock counts lines, s, ms or µs.")
    choice = typed.get("clock", MEASURED)
    if choice in ("", MEASURED):
        return None, unit
    return requested.whole(choice, "The column of the clock", 0, columns - 1), unit
