"""What is typed at the Desk outside of questions: places, notes, limits of axes, copies."""

from django import forms

from galena.core import axes
from galena.core.errors import GalenaError
from galena.core.formats import pasted
from galena.shell.fields import NumberField, TextField, WholeField


class SpanEnds(forms.Form):
    """The ends of a span."""

    lo = NumberField("The place (lo)")
    hi = NumberField("The place (hi)")


class MarkerPlace(forms.Form):
    """The place of a marker."""

    x = NumberField("The place (x)")


class NotePlace(forms.Form):
    """The place in a graph that a note points to."""

    x = NumberField("The place (x)")
    y = NumberField("The place (y)")


class NewNote(NotePlace):
    """A note with its words, and the side of the graph whose axis its place is on."""

    text = TextField(1000)
    side = TextField(10, initial="left")


class NoteShift(forms.Form):
    """How far a note's words stand from its place, in pixels."""

    dx = NumberField("The place (dx)")
    dy = NumberField("The place (dy)")


class Copies(forms.Form):
    """How often a span is copied along the x axis, and how far apart."""

    count = WholeField("Copies", 0, 10**6)
    step = NumberField("The step")


class Fill(forms.Form):
    """Numbers that fill a column from a row on."""

    count = WholeField("Rows", 1, pasted.MOST_ROWS)
    start = TextField(60)
    step = TextField(60)


class AxisLimits(forms.Form):
    """The limits of an axis, both empty to show all, and whether it is logarithmic.

    Cleaned, `view` is the axis.
    """

    lo = TextField(60)
    hi = TextField(60)
    log = forms.CharField(required=False)

    def clean(self) -> dict:
        cleaned = super().clean()
        if self.errors:  # of a field: that is told
            return cleaned
        try:
            view = axes.typed(cleaned["lo"], cleaned["hi"], log="log" in self.data)
        except GalenaError as error:
            raise forms.ValidationError(str(error)) from error
        return cleaned | {"view": view}
