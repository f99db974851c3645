"""What a further condition and a further typed quantity are described by."""

from django import forms

from galena.shell.fields import TextField


class NewCondition(forms.Form):
    """A condition that runs can have from now on."""

    prefix = "new"
    name = TextField(100)
    kind = TextField(20)
    symbol = TextField(20)
    unit = TextField(60)
    choices = TextField(600)


class NewEntered(forms.Form):
    """A quantity that is typed with each reading."""

    prefix = "typed"
    name = TextField(100)
    symbol = TextField(20)
    unit = TextField(60)
    decimals = TextField(4, initial="2")
