from django import forms


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
        help_text="Separated by commas, a unit in brackets. For example: pump (mL/s), drain",
    )

    def clean_conditions(self) -> list[tuple[str, str]]:
        """Split “pump (mL/s), drain” into names and units."""
        found = []
        for part in self.cleaned_data["conditions"].split(","):
            name, _, unit = part.partition("(")
            if name.strip():
                found.append((name.strip()[:100], unit.strip().rstrip(")").strip()[:60]))
        if len({name for name, _ in found}) < len(found):
            raise forms.ValidationError("Two conditions have the same name. Rename one of them.")
        return found
