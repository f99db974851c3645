"""Two people write one text: their paragraphs are put together, and nothing of either is lost.

A three-way merge by paragraphs (as in Khanna, Kunal & Pierce, A formal investigation of diff3,
FSTTCS 2007): what only one of both changed is taken from them; where both changed the same
paragraphs differently, both stand, one behind the other.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from dataclasses import dataclass
from difflib import SequenceMatcher

_PARAGRAPHS = re.compile(r"\n[ \t]*\n+")
BETWEEN = "\n\n"


@dataclass(frozen=True)
class Merged:
    """The text of both; how many times both had changed the same paragraphs."""

    text: str
    both: int


def merge(base: str, mine: str, theirs: str) -> Merged:
    """Put two changed texts together. base: what both began from."""
    if mine == theirs or theirs == base:
        return Merged(mine, 0)
    if mine == base:
        return Merged(theirs, 0)
    begun, own, other = (_PARAGRAPHS.split(text) for text in (base, mine, theirs))
    parts: list[str] = []
    both = 0
    for at_base, at_mine, at_theirs in _stretches(begun, own, other):
        was, my, their = begun[at_base], own[at_mine], other[at_theirs]
        if my == their or their == was:
            parts += my
        elif my == was:
            parts += their
        else:
            parts += my + [one for one in their if one not in my]
            both += 1
    return Merged(BETWEEN.join(parts), both)


def _stretches(
    base: list[str], mine: list[str], theirs: list[str]
) -> Iterator[tuple[slice, slice, slice]]:
    """Cut three texts where all agree: in turn what differs, and a paragraph that is the same."""
    in_mine, in_theirs = _same(base, mine), _same(base, theirs)
    a = b = c = 0
    for place in range(len(base)):
        if place in in_mine and place in in_theirs:
            yield slice(a, place), slice(b, in_mine[place]), slice(c, in_theirs[place])
            a, b, c = place + 1, in_mine[place] + 1, in_theirs[place] + 1
            yield slice(a - 1, a), slice(b - 1, b), slice(c - 1, c)
    yield slice(a, None), slice(b, None), slice(c, None)


def _same(base: list[str], other: list[str]) -> dict[int, int]:
    """Give where paragraphs of the base stand in another text, in order."""
    matcher = SequenceMatcher(None, base, other, autojunk=False)
    return {
        block.a + step: block.b + step
        for block in matcher.get_matching_blocks()
        for step in range(block.size)
    }
