"""Template tags for quantities, units, numbers and marks, available in every template."""

from django import template
from django.utils.html import format_html

from galena.core import numbers, plans, units
from galena.core.errors import UnitError
from galena.shell.marks import mark_of

register = template.Library()


@register.filter
def symbol(text):
    """Typeset a quantity's symbol: italic, with what follows an underscore as a subscript."""
    base, _, below = str(text).partition("_")
    if base == "pH":  # the one symbol that is upright (ISO 80000-9, Annex C)
        return format_html(
            "<span>{}</span>{}", base, format_html("<sub>{}</sub>", below) if below else ""
        )
    if not below:
        return format_html('<i class="symbol">{}</i>', base)
    # A descriptive subscript is upright, a running number too (ISO 80000-1, 7.1.2).
    return format_html('<i class="symbol">{}</i><sub>{}</sub>', base, below)


@register.filter
def unit(text):
    """Typeset a unit; text that is no unit is shown as it stands."""
    try:
        return units.format(units.parse(str(text)))
    except UnitError:
        return str(text)


@register.filter
def grouped(count):
    """Show a count with thin spaces between groups of three digits."""
    return numbers.grouped(int(count))


@register.filter
def plain_number(value):
    """Show a number as short as it is exact: 20, 0.5, 1000."""
    return numbers.fixed(float(value), 9).rstrip("0").rstrip(".")


@register.filter
def rate_in_words(rate):
    """Say how often a reading comes."""
    return plans.rate_in_words(float(rate))


@register.filter
def duration_in_words(seconds):
    """Say a time in the unit in which it is short."""
    return plans.duration_in_words(float(seconds))


@register.filter
def clock(seconds):
    """Show a duration as minutes and seconds with one decimal."""
    minutes, rest = divmod(float(seconds), 60)
    return f"{int(minutes):02d}:{rest:04.1f}"


@register.simple_tag
def run_mark(number, size=14):
    """Draw the mark of a run; its shape is named for those who do not see it."""
    mark = mark_of(int(number))
    return format_html(
        '<svg class="run-mark" viewBox="-7 -7 14 14" width="{}" height="{}" role="img" '
        'aria-label="{}"><path d="{}" fill="{}"/></svg>',
        size, size, mark.shape, mark.path, mark.colour,
    )  # fmt: skip
