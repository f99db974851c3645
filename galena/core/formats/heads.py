"""Heads of columns as people write them: a name, a symbol and a unit."""

from __future__ import annotations

import re
from dataclasses import dataclass

from galena.core import units
from galena.core.errors import UnitError
from galena.core.symbols import is_symbol

LONGEST_NAME = 100
LONGEST_HEAD, LONGEST_LINE = 300, 5000  # what is longer would take long to read
_ENCLOSED = re.compile(r"^(?P<name>.*?)\s*[(\[](?P<unit>[^()\[\]]*)[)\]]\s*$")
_OVER = re.compile(r"^(?P<name>.*?)\s+/\s*(?P<unit>.+)$|^(?P<short>[^\s/]+)/(?P<per>[^\s/]+)$")
# In a line whose columns stand apart by blanks: what belongs to one head.
_APART = re.compile(r"[^\s/]+\s*/\s*\S+|\S+\s*[(\[][^)\]]*[)\]]|\S+")


@dataclass(frozen=True)
class Head:
    """The head of a column: a name, a symbol and a unit, each perhaps empty."""

    name: str = ""
    symbol: str = ""
    unit: str = ""


def head(text: str) -> Head:
    """Read a head: `overhang L / m`, `L (m)`, `L [m]`, `s/mm`, `length`, `θ`.

    A last word of one or two letters, or with an underscore, is the symbol. Raises UnitError
    where what stands for the unit is none.
    """
    name = " ".join(text.split())
    unit = ""
    if len(name) > LONGEST_HEAD:
        raise UnitError(f"A head has at most {LONGEST_HEAD} characters: name, symbol and unit.")
    for pattern in (_ENCLOSED, _OVER):
        if match := pattern.match(name):
            parts = match.groupdict()
            unit = parts["unit"] or parts.get("per") or ""
            name = (parts["name"] or parts.get("short") or "").rstrip(" ,")
            units.parse(unit)
            break
    words = name.split()
    if words and _is_symbol(words[-1]):
        return Head(" ".join(words[:-1]).rstrip(","), words[-1], unit)
    return Head(name, "", unit)


def head_or_name(text: str) -> Head:
    """Read a head; where its unit is none, all of it is a name."""
    try:
        return head(text)
    except UnitError:
        return Head(" ".join(text.split())[:LONGEST_NAME])


def apart(line: str, count: int) -> list[str] | None:
    """Cut a line of heads that stand apart by blanks into so many; None where it has not so many.

    `t / s  x / m` are two, and `length L  time t` are two by the wider blanks.
    """
    if len(line) > LONGEST_LINE:
        cells = line.split()
        return cells if len(cells) == count else None
    for cells in (re.split(r"\s{2,}", line.strip()), _APART.findall(line), line.split()):
        if len(cells) == count:
            return list(cells)
    return None


def _is_symbol(word: str) -> bool:
    base = word.partition("_")[0]
    return (len(base) <= 2 or word == "pH") and base.isalpha() and is_symbol(word)
