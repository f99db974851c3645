"""What is typed at the Bench: how a channel is shown, a tolerance, a rig's handles."""

from django import forms

from galena.bench.channel_display.display import Shown
from galena.core import symbols
from galena.shell.fields import NumberField, TextField, WholeField

MOST_DECIMALS = 9


class ChannelForm(forms.Form):
    """How a channel is shown in an experiment; a field that was not sent stays as it is."""

    name = TextField(100)
    symbol = TextField(60)
    unit = TextField(60)
    decimals = WholeField("Decimals", 0, MOST_DECIMALS, needed=False)
    used = TextField(10)

    def __init__(self, typed, *, shown: Shown) -> None:
        super().__init__(typed)
        self.shown = shown

    def clean_unit(self) -> str | None:
        if "unit" not in self.data:
            return None
        unit = self.cleaned_data["unit"]
        if unit not in self.shown.unit_choices:
            raise forms.ValidationError(f"{self.shown.name} cannot be shown in “{unit[:20]}”.")
        return unit

    def clean_symbol(self) -> str:
        symbol = self.cleaned_data["symbol"].strip()
        if symbol and symbol != self.shown.symbol and not symbols.is_symbol(symbol):
            raise forms.ValidationError(
                f"“{symbol[:20]}” is no symbol: begin with a letter; digits and _ may follow."
            )
        return symbol

    def clean_used(self) -> bool | None:
        return self.cleaned_data["used"] == "yes" if "used" in self.data else None


class ToleranceForm(forms.Form):
    """How far apart matched channels may be."""

    tolerance = NumberField("The tolerance", "5", above_zero=True)


class HandleForm(forms.Form):
    """A handle of a rig and where it is moved to."""

    handle = TextField(60)
    value = NumberField("The handle", "40")


class PaceForm(forms.Form):
    """How many of its seconds a rig lives in one of ours."""

    pace = NumberField("The time factor", "20")


class StandardForm(forms.Form):
    """A standard of a calibration: its known value and what that is uncertain by."""

    known = NumberField("The known value", "7.00")
    u_known = NumberField("Its uncertainty", "0.01", otherwise=0.0)
