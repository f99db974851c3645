"""Fields for forms whose numbers are typed as people write them, and one way to read a form."""

from collections.abc import Mapping
from typing import Any

from django import forms

from galena.core import numbers
from galena.core.errors import NumberError
from galena.shell import requested


class NumberField(forms.Field):
    """A number: 3,5 or 1.2e-3. What is wrong is said with the field's label and an example.

    otherwise: what an empty field stands for; without it one must be typed.
    """

    def __init__(
        self, label: str, example: str = "", *, otherwise: float | None = None,
        above_zero: bool = False,
    ) -> None:  # fmt: skip
        super().__init__(label=label, required=False)
        self.example, self.otherwise, self.above_zero = example, otherwise, above_zero

    def to_python(self, value: str | None) -> float:
        typed = (value or "").strip()
        if not typed and self.otherwise is not None:
            return self.otherwise
        words = [self.example] if self.example else []
        try:
            number = numbers.parse(typed, str(self.label), *words)
            if self.above_zero and number <= 0:
                raise NumberError(typed, f"{self.label}, above zero", *words)
        except NumberError as error:
            raise forms.ValidationError(str(error)) from error
        return number


class WholeField(forms.Field):
    """A whole number within bounds; None where the field was not sent."""

    def __init__(self, label: str, lo: int, hi: int, *, needed: bool = True) -> None:
        super().__init__(label=label, required=False)
        self.lo, self.hi, self.needed = lo, hi, needed

    def to_python(self, value: str | None) -> int | None:
        if value is None and not self.needed:
            return None
        try:
            return requested.whole(value, str(self.label), self.lo, self.hi)
        except requested.RequestError as error:
            raise forms.ValidationError(str(error)) from error


class TextField(forms.CharField):
    """A text that may be empty, as it was typed, so many characters of it."""

    def __init__(self, longest: int = 200, *, initial: str = "") -> None:
        super().__init__(required=False, strip=False, empty_value="", initial=initial)
        self.longest = longest

    def to_python(self, value: Any) -> str:
        return super().to_python(self.initial if value is None else value)[: self.longest]


def read(form: type[forms.Form], typed: Mapping[str, str], **about: Any) -> dict[str, Any]:
    """Read what was typed into a form. Raises RequestError with what is wrong in its first field.

    about: what the form needs to know of what it changes.
    """
    bound = form(typed, **about)
    if not bound.is_valid():
        reasons = next(iter(bound.errors.values()))
        raise requested.RequestError(str(reasons[0]))
    return bound.cleaned_data
