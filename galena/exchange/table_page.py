"""The page of a table that is taken in: guesses, heads, and what a person changed."""

import hashlib
from collections.abc import Mapping
from itertools import zip_longest
from typing import Any

from galena.core.errors import TableError
from galena.core.formats.heads import Head
from galena.exchange import taking_tables
from galena.exchange.models import Arrival
from galena.exchange.table_work import ALL, Guesses
from galena.exchange.taking_tables import Chosen, head_text, heads_of, usual
from galena.shell import requested

MOST_LINES = 2_000_000
LONGEST_TITLE = 200
SEPARATORS = (
    ("tab", "tabs"), (";", "semicolons"), (",", "commas"), ("|", "strokes"), ("blank", "blanks"),
    ("none", "nothing: one column"),
)  # fmt: skip
MARKS = ((".", "a point"), (",", "a comma"))
ENCODINGS = (("utf-8", "UTF-8"), ("utf-16", "UTF-16"), ("cp1252", "Windows-1252 (Latin-1)"))
HEADS = (("yes", "its heads"), ("no", "readings already"))

Asked = Mapping[str, Any]


def guesses_of(asked: Asked) -> Guesses:
    """Read what a person says of a file; nonsense is taken for nothing said."""

    def one_of(name: str, choices: tuple[tuple[str, str], ...]) -> str:
        value = str(asked.get(name, ""))
        return value if value in dict(choices) else ""

    begins = requested.whole(asked.get("begins"), "Lines", 1, MOST_LINES, otherwise=1, clip=True)
    return Guesses(
        str(asked.get("part", ""))[:300], one_of("separator", SEPARATORS), one_of("mark", MARKS),
        one_of("encoding", ENCODINGS), one_of("heads", HEADS), begins,
    )  # fmt: skip


def folder_of(guesses: Guesses) -> str:
    """Name the folder in which what was understood lies."""
    return hashlib.sha256(repr(guesses).encode()).hexdigest()[:24]


def context(asked: Asked, guesses: Guesses, looked: dict[str, Any] | None) -> dict[str, Any]:
    """Give what the page shows."""
    if looked is None:
        return {"guesses": guesses, "choices": _choices(guesses, None)}
    parts = looked["parts"]
    shown: dict[str, Any] = {
        "guesses": guesses,
        "names": looked["names"],
        "parts": parts,
        "is_all": len(parts) > 1,
        "all": ALL,
    }
    if len(parts) == 1:
        shown |= _single(asked, parts[0])
    return shown | {"choices": _choices(guesses, parts[0])}


def _choices(guesses: Guesses, part: dict[str, Any] | None) -> list[dict[str, Any]]:
    """Give the guesses that can be changed: name, words, choices, and which is taken."""
    taken = part or {"separator": guesses.separator, "decimal_mark": guesses.decimal_mark,
                     "encoding": guesses.encoding, "has_heads": guesses.heads != "no"}  # fmt: skip
    if part is not None and not part["encoding"]:  # a sheet of a workbook has cells already
        listed = [("heads", "The first row has", HEADS, "yes" if taken["has_heads"] else "no")]
    else:
        listed = [
            ("encoding", "Encoding", ENCODINGS, taken["encoding"]),
            ("separator", "Columns are parted by", SEPARATORS, taken["separator"]),
            ("mark", "Decimals after", MARKS, taken["decimal_mark"]),
            ("heads", "The first row has", HEADS, "yes" if taken["has_heads"] else "no"),
        ]
    return [
        {"name": name, "words": words, "choices": choices, "taken": value,
         "said": getattr(guesses, {"mark": "decimal_mark"}.get(name, name))}
        for name, words, choices, value in listed
    ]  # fmt: skip


def _single(asked: Asked, part: dict[str, Any]) -> dict[str, Any]:
    """Give the columns of a part with their heads, as typed where they were changed."""
    time = taking_tables.time_column(part)
    was = asked.get("time")
    columns = []
    for place, column in enumerate(part["columns"]):
        text = head_text(column)
        typed = asked.get(f"head-{place}")
        is_changed = typed is not None and typed != asked.get(f"was-{place}")
        columns.append({
            "place": place, "head": typed if is_changed else text, "was": text,
            "is_taken": f"left-{place}" not in asked and bool(column["filled"]),
            "is_time": str(place) == was if was is not None else place == time,
            "empty": part["rows"] - column["filled"], "kind": column["kind"],
            "rises": column["rises"],
        })  # fmt: skip
    first = list(zip_longest(*(one["first"] for one in part["columns"]), fillvalue=""))
    last = list(zip_longest(*(one["last"] for one in part["columns"]), fillvalue=""))
    return {"part": part, "columns": columns, "first": list(enumerate(first, start=1)),
            "last": list(enumerate(last, start=part["rows"] - len(last) + 1)),
            "between": part["rows"] - len(first) - len(last),
            "no_time": not any(one["is_time"] for one in columns)}  # fmt: skip


def chosen_of(asked: Asked, parts: list[dict[str, Any]]) -> list[Chosen | None]:
    """Read what is to be taken of each part. Raises TableError."""
    if len(parts) > 1:
        return [usual(part) if part["rows"] else None for part in parts]
    (part,) = parts
    texts: list[str | None] = []
    for place, column in enumerate(part["columns"]):
        is_taken = f"take-{place}" in asked
        texts.append(str(asked.get(f"head-{place}", head_text(column))) if is_taken else None)
    time = requested.whole(
        asked.get("time"), "Columns", -1, len(texts) - 1, otherwise=-1
    ) if str(asked.get("time", "")).lstrip("-").isdigit() else -1  # fmt: skip
    heads: list[Head | None] = list(heads_of(texts))
    if time >= 0 and heads[time] is None:
        raise TableError("The column of the times is left out. Take it too, or choose none.")
    return [Chosen(tuple(heads), time if time >= 0 else None)]


def title_of(asked: Asked, came: Arrival) -> str:
    """Give the title of the experiment that is made. Raises TableError."""
    title = " ".join(str(asked.get("title", "")).split()) or came.stem
    if len(title) > LONGEST_TITLE:
        raise TableError(f"Keep the title to {LONGEST_TITLE} characters.")
    return title
