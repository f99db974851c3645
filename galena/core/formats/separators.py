"""Which sign separates the columns of a text, and which one the decimals of its numbers."""

from __future__ import annotations

import re
from typing import Literal

from galena.core import numbers

Separator = Literal["\t", ";", "|", ",", " ", ""]
Mark = Literal[".", ","]
_NUMBER = re.compile(numbers.NUMBER, re.ASCII)
_WORD = re.compile(r"[^\W\d_]")
_BETWEEN_DIGITS = re.compile(r"(?<=\d),(?=\d)")


def separator_of(lines: list[str], stated: str) -> Separator:
    """Tell what separates the columns; stated: what the text says itself."""
    filled = [line for line in lines if line.strip()]
    marks: tuple[Separator, ...] = ("\t", ";", "|", ",")
    for mark in marks:
        if stated == mark:
            return mark
    for mark in marks[:3]:
        if any(mark in line for line in filled):
            return mark
    has_heads = len(filled) > 1 and _WORD.search(_NUMBER.sub("", filled[0])) is not None
    body = filled[1:] if has_heads else filled
    if any("," in line for line in body) and _commas_separate(filled[0] if has_heads else "", body):
        return ","
    if any(" " in line.strip() for line in body):
        return " "
    return ""


def _commas_separate(heads: str, body: list[str]) -> bool:
    if "," in heads:
        return True
    for line in body:
        if line.count(",") != len(_BETWEEN_DIGITS.findall(line)):
            return True  # a blank, a quotation mark or nothing stands beside one
        if any(cell.count(",") > 1 or ("," in cell and "." in cell) for cell in line.split(" ")):
            return True
    return any("." in line for line in body)


def marks_of(cells: list[str], separator: Separator) -> tuple[Mark, str]:
    """Tell the decimal mark of all cells, and which mark sets off groups of three, if one does."""
    if separator == ",":
        return ".", ""
    for cell in cells:
        if "," in cell and "." in cell:
            return (".", ",") if cell.rindex(".") > cell.rindex(",") else (",", ".")
    commas, points = ([cell for cell in cells if mark in cell] for mark in ",.")
    if any(cell.count(",") > 1 for cell in commas):
        return ".", ","
    if any(cell.count(".") > 1 for cell in points):
        return ",", "."
    if not commas:
        return ".", ""
    if not points:
        return ",", ""
    # Each cell has one mark, some a comma, some a point: what only stands before full groups of
    # three sets off thousands.
    if all(is_grouped(cell, ",") for cell in commas):
        return ".", ","
    return (",", ".") if all(is_grouped(cell, ".") for cell in points) else (".", "")


def is_grouped(cell: str, mark: str) -> bool:
    """Tell whether a mark sets off full groups of three digits."""
    whole = rf"[-+{numbers.MINUS}]?\d{{1,3}}(?:{re.escape(mark)}\d{{3}})+"
    return re.fullmatch(whole, cell, re.ASCII) is not None
