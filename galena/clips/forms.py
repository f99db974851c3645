"""What is typed or drawn on a clip's page."""

import math

from django import forms

from galena.shell.fields import NumberField, TextField, WholeField


class DrawnScale(forms.Form):
    """A length in the picture: its ends in pixels, what it is, and its unit."""

    x1 = NumberField("The first end")
    y1 = NumberField("The first end")
    x2 = NumberField("The second end")
    y2 = NumberField("The second end")
    length = TextField(60)
    unit = TextField(60)


class DrawnPlane(forms.Form):
    """A rectangle seen at a slant: its corners in pixels, in order around it, and its sides."""

    width = TextField(60)
    height = TextField(60)
    unit = TextField(60)
    x1 = NumberField("The first corner")
    y1 = NumberField("The first corner")
    x2 = NumberField("The second corner")
    y2 = NumberField("The second corner")
    x3 = NumberField("The third corner")
    y3 = NumberField("The third corner")
    x4 = NumberField("The fourth corner")
    y4 = NumberField("The fourth corner")


class DrawnAxes(forms.Form):
    """The origin in pixels, and the angle of the x axis in degrees."""

    x = NumberField("The origin")
    y = NumberField("The origin")
    angle = NumberField("The angle", "30", otherwise=0.0)


class SetMark(forms.Form):
    """A place in a picture, in pixels; pictures are counted from 0."""

    picture = WholeField("The picture", 0, 1_000_000)
    x = NumberField("The place")
    y = NumberField("The place")


class Pictures(forms.Form):
    """From which to which picture, counted from 1, and every how manieth."""

    start = WholeField("From picture", 1, 1_000_000)
    stop = WholeField("To picture", 1, 1_000_000)
    every = WholeField("Every", 1, 100_000)


class Steadiness(forms.Form):
    """How far a mark may be off, as a standard uncertainty in pixels."""

    u_mark = NumberField("How far a mark may be off", "0.5", above_zero=True)


class Filmed(forms.Form):
    """During which run a film is made, and when its first picture was, in ms of the browser."""

    run = WholeField("The run", 0, 1_000_000, needed=False)
    first = NumberField("The first picture", otherwise=math.nan)


class TiedMoment(forms.Form):
    """A moment of a run, in s, and the picture that shows it, counted from 0."""

    run_time = NumberField("The moment in the run", "2.34")
    picture = WholeField("The picture", 0, 1_000_000)
