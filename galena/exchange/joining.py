"""The runs of an experiment file come into an experiment that is here.

Conditions and quantities that are the same are found again; others are made, under another symbol
or name where theirs is taken. What is said about runs (sheets, findings, harvests, the report)
stays in the file.
"""

from collections.abc import Iterable
from typing import IO

from django.db import models

from galena.exchange.copying import Copying, Row
from galena.exchange.errors import PackageError
from galena.exchange.package import all_or_nothing, checked_rows, content_of, read_files
from galena.exchange.parts import Belongs, Part
from galena.exchange.unpacking import Unpacking
from galena.experiments.flows import free_symbol, next_number, touch
from galena.experiments.models import Condition, Experiment, Given, Quantity, Run
from galena.experiments.models.experiment import own_key
from galena.experiments.quantity_flows import refresh
from galena.experiments.runs import KINDS

Numbered = list[tuple[int, Row]]


def join(file: IO[bytes], experiment: Experiment, person) -> list[int]:
    """Bring the runs of a file into an experiment; gives their numbers here.

    Nothing is changed where it fails. Raises PackageError, in words.
    """
    package = Unpacking(file)
    package.check()
    content = content_of(package)
    with all_or_nothing(package):
        if experiment.runs.growing().exists():
            raise PackageError("A run is being recorded here. Bring others in afterwards.")
        rows = _of_runs(checked_rows(content, person))
        copying = Copying({Experiment: {1: experiment.pk}})
        needed = needed_quantities(rows)
        for part, numbered in rows.items():
            if part.model is Condition:
                copying.keys[Condition] = conditions_here(numbered, experiment, copying, part)
            elif part.model is Quantity:
                used = [(key, row) for key, row in numbered if key in needed]
                copying.keys[Quantity] = quantities_here(used, experiment, copying, part)
            elif part.model is Run:
                copying.put(part, _numbered_anew(numbered, experiment))
            elif part.belongs is Belongs.RUNS:
                copying.put(part, numbered)
        copying.finish()
        read_files(package, experiment, copying.keys)
        refresh(experiment)
        touch(experiment)
    made = Run.objects.filter(pk__in=copying.keys.get(Run, {}).values())
    return list(made.order_by("number").values_list("number", flat=True))


def _of_runs(rows: dict[Part, list[Row]]) -> dict[Part, Numbered]:
    """Leave out runs that were removed or are made of findings, and all that is of those."""
    kept: dict[Part, Numbered] = {}
    gone: dict[type[models.Model], set[int]] = {}
    for part, listed in rows.items():
        if part.model is Given or part.belongs is Belongs.WORDS:
            continue
        numbered = list(enumerate(listed, start=1))
        kept[part] = [
            (key, row) for key, row in numbered
            if not (part.model is Run and _stays(row)) and not _is_of(part, row, gone)
        ]  # fmt: skip
        gone[part.model] = {key for key, _ in numbered} - {key for key, _ in kept[part]}
    return kept


def _stays(run: Row) -> bool:
    kind = KINDS.get(run["plan"])
    if kind is None:
        raise PackageError(f"This Galena has no runs that are {run['plan'][:20]}.")
    return run["removed_at"] is not None or kind.is_summary


def _is_of(part: Part, row: Row, gone: dict[type[models.Model], set[int]]) -> bool:
    return any(
        row.get(field.attname) in gone[field.related_model]
        for field in part.model._meta.concrete_fields
        if field.related_model in gone and not field.null
    )


def needed_quantities(rows: dict[Part, Numbered]) -> set[int]:
    """Tell which quantities the runs have readings of, by their numbers."""
    return {
        row[field.attname]
        for part, numbered in rows.items()
        if part.belongs is Belongs.RUNS
        for field in part.model._meta.concrete_fields
        if field.related_model is Quantity
        for _, row in numbered
        if row.get(field.attname) is not None
    }


def conditions_here(
    numbered: Numbered, experiment: Experiment, copying: Copying, part: Part
) -> dict[int, int]:  # fmt: skip
    """Find the conditions that are here, and make the others."""
    here = {(one.name, one.unit, one.kind): one.pk for one in experiment.conditions.all()}
    names = {name for name, _, _ in here}
    found: dict[int, int] = {}
    for key, row in numbered:
        same = here.get((row["name"], row["unit"], row["kind"]))
        if same is not None:
            found[key] = same
            continue
        symbol = free_symbol(experiment, row["symbol"]) if row["symbol"] else ""
        row |= {"name": _free(row["name"], names, 100), "symbol": symbol}
        names.add(row["name"])
        copying.put(part, [(key, row)])
    return found | copying.keys.get(part.model, {})


def quantities_here(
    numbered: Numbered, experiment: Experiment, copying: Copying, part: Part
) -> dict[int, int]:  # fmt: skip
    """Find the quantities that are here: by the channel or clip that gives them; those that were
    typed or taken in from a file by kind, symbol and unit."""
    here = list(experiment.quantities.exclude(kind=Quantity.Kind.DERIVED))
    by_source = {quantity.source: quantity.pk for quantity in here}
    by_symbol = {
        (quantity.kind, quantity.symbol, quantity.unit): quantity.pk
        for quantity in here
        if "|" not in quantity.source
    }
    found: dict[int, int] = {}
    taken: set[int] = set()
    for key, row in numbered:
        same = by_source.get(row["source"]) or by_symbol.get(
            (row["kind"], row["symbol"], row["unit"])
        )
        if same is not None and same not in taken:
            taken.add(same)
            found[key] = same
            continue
        row = row | {"symbol": free_symbol(experiment, row["symbol"])}
        if experiment.quantities.filter(source=row["source"]).exists():
            row["source"] = own_key()
        copying.put(part, [(key, row)])
    return found | copying.keys.get(part.model, {})


def _numbered_anew(numbered: Numbered, experiment: Experiment) -> Iterable[tuple[int, Row]]:
    """Give the runs the next numbers, in their order."""
    first = next_number(experiment)
    listed = sorted(numbered, key=lambda one: one[1]["number"])
    for number, (key, row) in enumerate(listed, start=first):
        yield key, row | {"number": number, "place": number}


def _free(name: str, taken: set[str], longest: int) -> str:
    number, free = 1, name
    while free in taken:
        number += 1
        free = f"{name[: longest - 6]} ({number})"
    return free
