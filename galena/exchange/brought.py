"""What an experiment file would bring, told before anything is taken in."""

from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

from galena.exchange.package import content_of
from galena.exchange.unpacking import Unpacking
from galena.experiments.runs import KINDS

LONGEST = 200  # characters of a text that is told
MOST_RUNS = 200  # that are listed


@dataclass(frozen=True)
class BroughtRun:
    """A run of the file, in words."""

    number: str
    label: str
    kind: str
    is_removed: bool
    stays: bool


@dataclass(frozen=True)
class Brought:
    """What stands in an experiment file. counted: pairs of how many there are and of what."""

    title: str
    written_at: str
    people: list[str]
    runs: list[BroughtRun]
    more_runs: int
    quantities: list[str]
    counted: list[tuple[int, str]]
    told: list[str]

    @property
    def joins(self) -> int:
        """How many runs could come into another experiment."""
        return sum(not run.stays for run in self.runs) + self.more_runs


_COUNTED = (
    ("desk.sheet", "sheet"),
    ("desk.span", "span"),
    ("desk.finding", "finding"),
    ("experiments.given", "given"),
    ("experiments.aside", "stretch set aside"),
    ("clips.clip", "clip"),
    ("reports.report", "report"),
)


def look(path: Path, folder: Path, looked_at: Callable[[float], None]) -> Brought:
    """Check an experiment file, and tell what it would bring. Raises PackageError."""
    with path.open("rb") as file:
        package = Unpacking(file, folder)
        package.check(looked_at)
        return brought(content_of(package))


def brought(content: dict[str, Any]) -> Brought:
    """Tell what the rows of a file are of; what cannot be read is refused when it is taken in."""
    rows = content["rows"]
    listed = [row for row in rows.get("experiments.run", []) if isinstance(row, dict)]
    runs = [_run(row, number, rows) for number, row in enumerate(listed, start=1)]
    counted = [(len(rows.get(key, [])), words) for key, words in _COUNTED]
    quantities = [
        " / ".join(part for part in (_text(row, "symbol"), _text(row, "unit")) if part)
        for row in rows.get("experiments.quantity", []) if isinstance(row, dict)
    ]  # fmt: skip
    return Brought(
        _text(content["experiment"], "title"), _text(content, "written_at")[:10],
        [str(name)[:LONGEST] for name in content["people"]][:20], runs[:MOST_RUNS],
        max(0, len(runs) - MOST_RUNS), quantities[:60],
        [(count, words) for count, words in counted if count],
        [str(one)[:LONGEST] for one in content.get("told") or ()][:20],
    )  # fmt: skip


def _run(row: dict[str, Any], number: int, rows: dict[str, Any]) -> BroughtRun:
    parts = [_text(row, "name")]
    for held in rows.get("experiments.conditionvalue", []):
        if isinstance(held, dict) and held.get("run") == number and held.get("text"):
            parts.append(_condition(held, rows.get("experiments.condition", [])))
    parts.append(_text(row, "note"))
    kind = KINDS.get(_text(row, "plan"))
    is_removed = row.get("removed_at") is not None
    return BroughtRun(
        _text(row, "number"), " · ".join(part for part in parts if part),
        kind.word if kind else "unknown", is_removed, is_removed or kind is None or kind.is_summary,
    )  # fmt: skip


def _condition(held: dict[str, Any], conditions: list[Any]) -> str:
    place = held.get("condition")
    known = isinstance(place, int) and 0 < place <= len(conditions)
    row = conditions[place - 1] if known else None
    if not isinstance(row, dict):
        return _text(held, "text")
    named = _text(row, "symbol") or _text(row, "name")
    return f"{named} {_text(held, 'text')} {_text(row, 'unit')}".strip()


def _text(row: Any, name: str) -> str:
    value = row.get(name) if isinstance(row, dict) else None
    return "" if value is None else str(value)[:LONGEST]
