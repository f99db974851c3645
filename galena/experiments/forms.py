from django import forms

from galena.core.errors import UnitError
from galena.core.formats.heads import head
from galena.core.symbols import is_symbol

LONGEST_NAME = 60


class NewExperiment(forms.Form):
    """What is asked before there is an experiment."""

    title = forms.CharField(
        label="Title",
        max_length=200,
        error_messages={
            "required": "Give the experiment a title, so that it is found again.",
            "max_length": "Keep the title to 200 characters.",
        },
    )
    conditions = forms.CharField(
        label="Conditions that change from run to run",
        required=False,
        max_length=300,
        help_text="Separated by commas, units in brackets. For example: pump (mL/s), weight m (kg)",
    )

    def clean_conditions(self) -> list[tuple[str, str, str]]:
        """Split “weight m (kg), drain” into names, units and symbols."""
        conditions = []
        for part in self.cleaned_data["conditions"].split(","):
            try:
                named = head(part)
            except UnitError as error:
                raise forms.ValidationError(f"“{part.strip()}”: {error}") from error
            symbol = named.symbol if is_symbol(named.symbol) else ""
            name = named.name if symbol else f"{named.name} {named.symbol}"
            if name.strip() or symbol:
                conditions.append((name.strip()[:LONGEST_NAME], named.unit, symbol))
        if len({name or symbol for name, _, symbol in conditions}) < len(conditions):
            raise forms.ValidationError("Two conditions have the same name. Rename one of them.")
        symbols = [symbol for *_, symbol in conditions if symbol]
        if len(set(symbols)) < len(symbols):
            raise forms.ValidationError("Two conditions have the same symbol. Change one of them.")
        return conditions
