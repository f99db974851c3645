"""What reports can begin with: headings for each kind of report."""

from dataclasses import dataclass


@dataclass(frozen=True)
class KindOfReport:
    """A kind of report: its key, what it is called, for what it is, and its first text."""

    key: str
    name: str
    words: str
    text: str


ARGUMENT = KindOfReport("argument", "Argument", "a claim, and what speaks for it", """## What we did

## What we found

{graph}

## How sure we are
""")  # fmt: skip
NOTE = KindOfReport("note", "Short note", "half a page about one result", """{graph}

What was measured, how, and what came out, in five sentences.
""")  # fmt: skip
ACCOUNT = KindOfReport("account", "Full account", "so that others can do it again", """## Question

## What we expected, and why

## Instruments

{table calibrations}

## What we did

{table conditions}

## Readings

{graph}

## What we found

## How sure we are

## What we would do next
""")  # fmt: skip
POSTER = KindOfReport("poster", "Poster", "one page to be read from two metres", """## Our question

## Our graph

{graph}

## Our answer

## Why we believe it
""")  # fmt: skip
OPENINGS = {one.key: one for one in (ARGUMENT, NOTE, ACCOUNT, POSTER)}
