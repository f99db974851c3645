"""Lines of numbers as boards print them: `23.4`, `23.4,55`, `T:23.4 RH:55`, `T=23,4;RH=55`.

What a line is made of is told from the lines themselves; from then on each line must be like them.
"""

from __future__ import annotations

import math
import re
from collections.abc import Sequence
from dataclasses import dataclass

LONGEST_LINE = 2_000
MOST_COLUMNS = 32
LEAST_LINES = 3  # that must be alike

_NUMBER = r"[+-]?(?:\d+\.?\d*|\.\d+)(?:[eE][+-]?\d+)?|[+-]?(?:nan|inf)"
_WITH_COMMA = r"[+-]?\d+,\d+(?:[eE][+-]?\d+)?"
_FIELD = re.compile(
    rf"(?:(?P<label>[^\W\d][\w .%/()°µΩ-]*?)\s*[:=]\s*)?(?P<number>{_WITH_COMMA}|{_NUMBER})"
    r"\s*(?P<unit>[^\W\d_][\w/²³^·]*|%|°\w?|Ω)?",
    re.IGNORECASE,
)
_HEAD = re.compile(r"(?P<name>[^()\[\]]+?)\s*(?:[(\[](?P<unit>[^()\[\]]*)[)\]])?")
_SEPARATORS = ("\t", ";", ",", " ")


@dataclass(frozen=True)
class Column:
    """A column of what a board prints: what stands before and behind its numbers, if anything."""

    label: str = ""
    unit: str = ""
    decimals: int = 0


@dataclass(frozen=True)
class Layout:
    """How a board's lines are made: what stands between their columns, and the columns."""

    separator: str
    columns: tuple[Column, ...]

    def __len__(self) -> int:
        return len(self.columns)

    def named(self, heads: Sequence[str]) -> Layout:
        """Give it with the names of a first line of names, where that has as many."""
        if len(heads) != len(self.columns):
            return self
        parts = [_HEAD.fullmatch(head.strip()) for head in heads]
        columns = [
            Column(column.label or (part["name"] if part else ""),
                   column.unit or (part["unit"] or "" if part else ""), column.decimals)
            for column, part in zip(self.columns, parts, strict=True)
        ]  # fmt: skip
        return Layout(self.separator, tuple(columns))

    def values(self, line: str) -> list[float] | None:
        """Read a line; None where it is not like the others: garbled, or cut short."""
        fields = _fields(line, self.separator)
        if len(fields) != len(self.columns):
            return None
        values = []
        for field, column in zip(fields, self.columns, strict=True):
            match = _FIELD.fullmatch(field)
            if match is None or (match["label"] or column.label).strip() != column.label:
                return None
            if (match["unit"] or column.unit) != column.unit:
                return None
            values.append(_value(match["number"]))
        return values


def layout_of(lines: Sequence[str]) -> Layout | None:
    """Tell how lines are made; None where fewer than three whole ones, or not most, are alike.

    The first line may have been cut, and one of names may come before the numbers.
    """
    read = [(line, of_line) for line in lines if (of_line := _layout(line)) is not None]
    alike: dict[tuple[str, tuple[str, ...]], list[Layout]] = {}
    for _, layout in read:
        key = (layout.separator, tuple(column.label for column in layout.columns))
        alike.setdefault(key, []).append(layout)
    if not alike:
        return None
    group = max(alike.values(), key=len)
    if len(group) < LEAST_LINES or 2 * len(group) <= len([one for one in lines if one.strip()]):
        return None
    columns = tuple(
        Column(group[0].columns[place].label, group[-1].columns[place].unit,
               max(one.columns[place].decimals for one in group))
        for place in range(len(group[0]))
    )  # fmt: skip
    layout = Layout(group[0].separator, columns)
    return layout.named(_heads(lines, layout))


def with_decimal_comma(lines: Sequence[str]) -> Layout | None:
    """Give the layout of lines such as `23,4` where each is one number with a decimal comma.

    By themselves they are read as two columns; only who made the board knows. None where most
    are no such numbers.
    """
    texts = [line.strip() for line in lines if line.strip()]
    matches = [_FIELD.fullmatch(text) for text in texts]
    columns = [_column(match) for match in matches if match and "," in match["number"]]
    if len(columns) < LEAST_LINES or 2 * len(columns) <= len(texts):
        return None
    finest = max(columns, key=lambda column: column.decimals)
    return Layout(" ", (Column(columns[-1].label, columns[-1].unit, finest.decimals),))


def heads_of(line: str, layout: Layout) -> list[str] | None:
    """Give the names of columns, where a line is one of names; None for any other."""
    heads = [
        one.strip() for one in line.split(layout.separator if layout.separator != " " else None)
    ]
    if len(heads) != len(layout) or not all(heads):
        return None
    is_named = all(re.match(r"[^\W\d]", head) and not _FIELD.fullmatch(head) for head in heads)
    return heads if is_named else None


def _heads(lines: Sequence[str], layout: Layout) -> list[str]:
    return next((heads for line in lines if (heads := heads_of(line, layout))), [])


def _layout(line: str) -> Layout | None:
    """Read one line by itself: the first separator with which all its fields are numbers."""
    text = line.strip()
    if not text or len(text) > LONGEST_LINE:
        return None
    for separator in _SEPARATORS:
        if separator not in text and separator != " ":
            continue
        fields = _fields(text, separator)
        matches = [_FIELD.fullmatch(field) for field in fields]
        if all(matches) and 0 < len(matches) <= MOST_COLUMNS:
            return Layout(separator, tuple(_column(one) for one in matches if one is not None))
    return None


def _column(match: re.Match[str]) -> Column:
    mantissa, _, exponent = match["number"].lower().replace(",", ".").partition("e")
    decimals = len(mantissa.partition(".")[2]) - int(exponent or 0)
    return Column((match["label"] or "").strip(), match["unit"] or "", min(max(0, decimals), 9))


def _fields(line: str, separator: str) -> list[str]:
    """Cut a line into its fields. Blanks around `:` and `=`, and before a unit, separate none."""
    text = re.sub(r"\s*([:=])\s*", r"\1", line.strip())
    text = re.sub(r"\bdeg(?:rees?)?[ .]*([CFK])\b", r"°\1", text)
    if separator != " ":
        fields = [one.strip() for one in text.split(separator)]
        return fields[:-1] if len(fields) > 1 and not fields[-1] else fields
    joined: list[str] = []
    for part in text.split():
        is_unit = re.fullmatch(r"(?!nan$|inf$)(?:[^\W\d_][\w/²³^·]*|%|°\w?|Ω)", part)
        if is_unit and joined and re.search(r"\d$", joined[-1]):
            joined[-1] += part
        else:
            joined.append(part)
    return joined


def _value(text: str) -> float:
    value = float(text.replace(",", "."))
    return value if math.isfinite(value) else math.nan
