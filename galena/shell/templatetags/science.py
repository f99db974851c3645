"""Template tags for quantities, units, numbers and marks, available in every template."""

from functools import lru_cache

from django import template
from django.utils.html import format_html, format_html_join

from galena.core import numbers, plans, symbols, units
from galena.core.conditions import shown
from galena.core.dimensions import of_difference
from galena.core.errors import UnitError
from galena.shell.marks import mark_of

register = template.Library()
KEPT = 4096  # typeset texts: pages show the same symbols, units and marks again and again
SYMBOL = '<i class="symbol">{}</i>'


def plain_text(text) -> str:
    """Give text that is escaped whatever it was: what is typeset is kept by it."""
    return str(text) + ""  # a string that counts as safe becomes a plain one


@register.filter
def symbol(text):
    """Typeset a quantity's symbol: italic, with what follows an underscore as a subscript."""
    return _symbol(plain_text(text))


@lru_cache(KEPT)
def _symbol(text: str):
    # A descriptive subscript is upright, a running number too (ISO 80000-1, 7.1.2); so is pH,
    # alone among symbols (ISO 80000-9, Annex C).
    patterns = {"": "<span>{}</span>", "sub": "<sub>{}</sub>", "symbol": SYMBOL}
    return format_html_join(
        "", "{}", ((format_html(patterns[kind], part),) for kind, part in symbols.parts(text))
    )


@register.filter
def plain_symbol(text):
    """Write a symbol where nothing can be typeset, as in a list to choose from."""
    return symbols.plain(str(text))


@register.filter
def unit(text):
    """Typeset a unit; text that is no unit is shown as it stands."""
    return _unit(plain_text(text))


@lru_cache(KEPT)
def _unit(text: str) -> str:
    return units.shown(text)


@register.filter
def unit_of_difference(text):
    """Typeset the unit of a difference, a scatter or an uncertainty: K where values are in °C."""
    try:
        return units.typeset(of_difference(units.parse(str(text))))
    except UnitError:
        return units.shown(str(text))


@register.filter
def grouped(count):
    """Show a count with thin spaces between groups of three digits."""
    return numbers.grouped(int(count))


@register.filter
def plain_number(value):
    """Show a number as short as it is exact: 20, 0.5, 1000."""
    return numbers.fixed(float(value), 9).rstrip("0").rstrip(".")


@register.filter
def unlocalised(value):
    """Write a number for a program: as exact as it is kept."""
    return repr(value)


@register.filter
def as_typed(value):
    """Write a number for a field, with as many digits as a hand would want."""
    return f"{float(value):.10g}"


@register.filter
def words(text):
    """Typeset words: `E_0` gets its subscript, `m^2` its superscript; all else as it stands."""
    return _words(plain_text(text))


@lru_cache(KEPT)
def _words(text: str):
    parts = symbols.pieces(text)
    patterns = {"": "{}", "sub": "<sub>{}</sub>", "sup": "<sup>{}</sup>", "symbol": SYMBOL}
    return format_html_join(
        "", "{}", ((format_html(patterns[kind], part),) for kind, part in parts)
    )


@register.filter
def rate_in_words(rate):
    """Say how often a reading comes."""
    return plans.rate_in_words(float(rate))


@register.filter
def duration_in_words(seconds):
    """Say a time in the unit in which it is short."""
    return plans.duration_in_words(float(seconds))


@register.filter
def drift(ppm):
    """Say by how many millionths a clock runs fast or slow."""
    rounded = round(float(ppm))
    if not rounded:
        return "as this computer's, to a millionth"
    way = "fast" if rounded > 0 else "slow"
    return f"{abs(rounded)} millionths {way}"


@register.simple_tag
def run_label(run):
    """Typeset a run's name, conditions and note; `condition_values__condition` is prefetched."""
    held = [
        format_html(
            "{}\u00a0{}",
            symbol(one.condition.symbol) if one.condition.symbol else one.condition.name,
            f"{shown(one.text)} {unit(one.condition.unit)}".strip().replace(" ", "\u00a0"),
        )
        for one in run.condition_values.all()
        if one.text
    ]
    # The letters of spans in the name of a harvest are no symbols.
    name = run.name if run.kind.is_summary else words(run.name)
    parts = [name, *held, words(run.note)]
    return format_html_join(" · ", "{}", ((part,) for part in parts if part))


@register.filter
def clock(seconds):
    """Show a duration as minutes and seconds with one decimal."""
    minutes, rest = divmod(float(seconds), 60)
    return f"{int(minutes):02d}:{rest:04.1f}"


@register.simple_tag
def run_mark(number, size=14, filled=True):
    """Draw the mark of a run; its shape is named for those who do not see it. That of a hidden
    run is open."""
    return _run_mark(int(number), int(size), bool(filled))


@lru_cache(KEPT)
def _run_mark(number: int, size: int, filled: bool):
    mark = mark_of(number)
    if not filled:
        return format_html(
            '<svg class="run-mark open" viewBox="-7 -7 14 14" width="{}" height="{}" role="img" '
            'aria-label="{}"><path d="{}" fill="none" stroke="{}" stroke-width="1.6"/></svg>',
            size, size, mark.shape, mark.path, mark.colour,
        )  # fmt: skip
    return format_html(
        '<svg class="run-mark" viewBox="-7 -7 14 14" width="{}" height="{}" role="img" '
        'aria-label="{}"><path class="mark-{}" d="{}" fill="{}"/></svg>',
        size, size, mark.shape, mark.number, mark.path, mark.colour,
    )  # fmt: skip


@register.filter
def two_digits(value):
    """Show a number with two significant digits."""
    return numbers.significant(float(value))


@register.filter
def one_decimal(value):
    """Show a number with one decimal; a dash where there is none."""
    return numbers.fixed(float(value), 1)


@register.filter
def share(value):
    """Show a share of one, with the decimals in which it differs from one, five at most."""
    off = abs(1 - float(value))
    decimals = next((n for n in range(2, 5) if round(off, n) >= 10.0**-n), 5)
    return numbers.fixed(float(value), decimals)


@register.simple_tag
def input_label(question_input, x, y):
    """Write the words before a field of a question, with the symbols of the axes typeset."""
    parts = {"x": symbol(x or "x"), "y": symbol(y or "y")}
    return format_html(question_input.label, **parts)
