"""Mathematics between dollar signs: as MathML for the screen, as a drawing for paper.

Imports no Django: it runs in a worker. WeasyPrint sets a fraction of MathML in one line, so that
paper gets paths.
"""

from __future__ import annotations

from dataclasses import dataclass
from xml.etree import ElementTree

LONGEST = 2000  # characters
_MATHML = "http://www.w3.org/1998/Math/MathML"
_ELEMENTS = {
    "math", "mrow", "mi", "mo", "mn", "mtext", "mspace", "msup", "msub", "msubsup", "mfrac",
    "msqrt", "mroot", "mover", "munder", "munderover", "mtable", "mtr", "mtd", "mpadded",
    "mphantom", "mstyle",
}  # fmt: skip
_ATTRIBUTES = {
    "display", "stretchy", "fence", "form", "mathvariant", "linethickness", "width", "lspace",
    "rspace", "accent", "columnalign", "displaystyle", "minsize", "maxsize", "separator",
}  # fmt: skip


@dataclass(frozen=True)
class Mathematics:
    """A piece of mathematics: as it was typed, as MathML, as SVG, or why it cannot be set."""

    typed: str
    is_block: bool
    mathml: str = ""
    svg: str = ""
    trouble: str = ""


def mathematics(typed: str, *, is_block: bool) -> Mathematics:
    """Set mathematics that was typed as in TeX."""
    if len(typed) > LONGEST:
        return Mathematics(typed[:60], is_block, trouble=f"more than {LONGEST} characters")
    try:
        mathml = _mathml(typed, is_block)
        return Mathematics(typed, is_block, mathml, _svg(typed, is_block))
    except _UnknownError as error:
        return Mathematics(typed, is_block, trouble=str(error))
    except Exception as error:  # the readers of TeX have errors of all kinds
        words = " ".join(str(error).split())[:80]
        return Mathematics(typed, is_block, trouble=words or "it ends too early")


class _UnknownError(ValueError):
    """A command that nobody knows."""


def _mathml(typed: str, is_block: bool) -> str:
    from latex2mathml.converter import convert

    root = ElementTree.fromstring(convert(typed, display="block" if is_block else "inline"))
    _clean(root)
    ElementTree.register_namespace("", _MATHML)
    return ElementTree.tostring(root, encoding="unicode")


def _clean(element: ElementTree.Element) -> None:
    """Leave only what sets mathematics. Raises _UnknownError for commands left as they were."""
    name = element.tag.partition("}")[2] or element.tag
    if name not in _ELEMENTS:
        raise _UnknownError(f"{name} cannot be set here")
    if (element.text or "").startswith("\\"):
        raise _UnknownError(f"{(element.text or '')[:30]} is no command")
    for attribute in list(element.attrib):
        if attribute not in _ATTRIBUTES:
            del element.attrib[attribute]
    for child in element:
        _clean(child)


def _svg(typed: str, is_block: bool) -> str:
    from ziamath.config import config
    from ziamath.zmath import Latex

    config.svg2 = False  # outlines where they stand: not every reader follows references
    drawn = Latex(typed, size=16 if is_block else 15, inline=not is_block)
    return str(drawn.svg())
