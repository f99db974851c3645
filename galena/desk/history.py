"""Undo and redo: each act at the Desk is kept as the rows it changed, before and after.

Acts belong to persons: one undoes one's own. An act that another person has built upon since
is not undone, and it is said so.
"""

import json
from collections.abc import Iterator
from contextlib import contextmanager
from datetime import timedelta
from functools import partial

from django.core.serializers.json import DjangoJSONEncoder
from django.db import IntegrityError, models, transaction
from django.utils import timezone

from galena.bench.live.bench import BENCH
from galena.core.errors import GalenaError
from galena.desk.models import Change, Finding, Graph, Marker, Note, Sheet, Span, Trace
from galena.experiments.errors import ExperimentError
from galena.experiments.flows import touch
from galena.experiments.formulas.symbols import formulas_of
from galena.experiments.models import (
    Aside,
    Condition,
    Entry,
    Experiment,
    Given,
    Quantity,
    TypedColumn,
)
from galena.experiments.quantity_flows import refuse_in_use
from galena.shell.middleware import asking_window
from galena.shell.prepared import prepared

KEPT = 200  # acts of a person in an experiment
JOINS_FOR = timedelta(seconds=20)  # a wheel that is turned on is one act
LEDGER = {"span", "marker", "finding"}  # the kinds of rows that a ledger shows
COUNTERS = {"spans_made", "markers_made"}  # letters once given are not given again

# Each kind of row, in the order in which they can be made, and the way to its experiment.
KINDS: dict[str, tuple[type[models.Model], str]] = {
    "formula": (Quantity, "experiment"),
    "given": (Given, "experiment"),
    "sheet": (Sheet, "experiment"),
    "span": (Span, "sheet__experiment"),
    "marker": (Marker, "sheet__experiment"),
    "finding": (Finding, "sheet__experiment"),
    "graph": (Graph, "sheet__experiment"),
    "trace": (Trace, "graph__sheet__experiment"),
    "note": (Note, "graph__sheet__experiment"),
    "aside": (Aside, "run__experiment"),
}
# What is only renamed here: it is made and taken away elsewhere.
RENAMED: dict[str, tuple[type[models.Model], str, tuple[str, ...]]] = {
    "quantity": (
        Quantity,
        "experiment",
        ("name", "symbol", "unit", "decimals", "u_rule", "u_absolute", "u_relative",
         "u_calibration"),
    ),
    "condition": (Condition, "experiment", ("symbol",)),
}  # fmt: skip
ONLY = {"formula": {"kind": Quantity.Kind.DERIVED}}
# Of what is typed each correction is a row of its own: only which is in force is put back.
IN_FORCE: dict[str, tuple[type[models.Model], str]] = {
    "typed": (TypedColumn, "run__experiment"),
    "entry": (Entry, "run__experiment"),
}

Rows = dict[tuple[str, int], dict]


class HistoryError(GalenaError, ValueError):
    """Nothing can be undone or done again."""


@contextmanager
def changing(experiment: Experiment, person, label: str, about: str = "") -> Iterator[None]:
    """Do an act and keep it, so that the person can undo it.

    Acts with the same `about` that follow closely are one. Nothing is kept, and nothing is
    changed, where the act raises.
    """
    with transaction.atomic():
        before = _rows(experiment)
        yield
        parts = _difference(before, _rows(experiment))
        if not parts:
            return
        own = _own(experiment, person)
        own.filter(undone=True).delete()
        last = own.last()
        recent = last is not None and timezone.now() - last.made_at < JOINS_FOR
        if about and recent and last.about == about:
            last.parts = _joined(last.parts, parts)
            last.save()
        else:
            own.create(
                experiment=experiment, person=person, label=label[:120], about=about, parts=parts
            )
        old = own.order_by("-pk").values_list("pk", flat=True)[KEPT : KEPT + 50]
        Change.objects.filter(pk__in=list(old)).delete()
        touch(experiment)
        _announce(experiment, parts)


def _announce(experiment: Experiment, parts: list[dict]) -> None:
    """Tell the other windows of an experiment that its Desk has changed.

    Where it was nothing but the ledger of a sheet, they are told whose: then that will do.
    """
    message = {"window": asking_window.get(), "ledger": _only_ledger(parts)}
    transaction.on_commit(lambda: BENCH.hub.tell(f"desk:{experiment.pk}", "desk", message))


def _only_ledger(parts: list[dict]) -> int | None:
    """Give the sheet whose ledger alone is changed by an act; None where more is."""
    if any(part["kind"] not in LEDGER for part in parts):
        return None
    sheets = {row["sheet_id"] for part in parts for row in (part["before"], part["after"]) if row}
    return sheets.pop() if len(sheets) == 1 else None


def undo(experiment: Experiment, person) -> str:
    """Take the person's last act back; gives its name. Raises HistoryError."""
    with transaction.atomic():
        change = _own(experiment, person).filter(undone=False).last()
        if change is None:
            raise HistoryError("There is nothing of yours to undo.")
        _apply(experiment, change, "after", "before")
        Change.objects.filter(pk=change.pk).update(undone=True)
        touch(experiment)
        _announce(experiment, change.parts)
    return change.label


def redo(experiment: Experiment, person) -> str:
    """Do again what the person undid last; gives its name. Raises HistoryError."""
    with transaction.atomic():
        change = _own(experiment, person).filter(undone=True).first()
        if change is None:
            raise HistoryError("There is nothing of yours to do again.")
        _apply(experiment, change, "before", "after")
        Change.objects.filter(pk=change.pk).update(undone=False)
        touch(experiment)
        _announce(experiment, change.parts)
    return change.label


def next_ones(experiment: Experiment, person) -> tuple[str, str]:
    """Name what would be undone and what done again; empty where there is nothing."""
    kept = prepared("changes", _changes_of, experiment.pk)
    own = [change for change in kept if change["person_id"] == person.pk]
    done = [change["label"] for change in own if not change["undone"]]
    undone = [change["label"] for change in own if change["undone"]]
    return (done[-1] if done else ""), (undone[0] if undone else "")


def _changes_of(experiment: int) -> models.QuerySet:
    kept = Change.objects.filter(experiment=experiment).order_by("pk")
    return kept.values("label", "undone", "person_id")


def _own(experiment: Experiment, person) -> models.QuerySet[Change]:
    return Change.objects.filter(experiment=experiment, person=person).order_by("pk")


def _rows(experiment: Experiment) -> Rows:
    """Give every row of the Desk's with its fields, as they are kept."""
    rows: Rows = {}
    for kind in KINDS:
        for row in prepared(f"all of {kind}", partial(_all_of, kind), experiment.pk):
            rows[kind, row["id"]] = _plain(row)
    for kind, (model, way, fields) in RENAMED.items():
        renamed = partial(_renamed_values, model, way, fields)
        for row in prepared(f"names of {kind}", renamed, experiment.pk):
            rows[kind, row["id"]] = _plain(row)
    for kind in IN_FORCE:
        for row in prepared(f"in force of {kind}", partial(_in_force, kind), experiment.pk):
            rows[kind, row["id"]] = {}
    return rows


def _all_of(kind: str, experiment: int) -> models.QuerySet:
    model, way = KINDS[kind]
    wanted = {way: experiment} | ONLY.get(kind, {})
    return model._default_manager.filter(**wanted).order_by("pk").values()


def _renamed_values(model, way: str, fields: tuple[str, ...], experiment: int) -> models.QuerySet:
    return _renamed(model, way, experiment).values("id", *fields)


def _in_force(kind: str, experiment: int) -> models.QuerySet:
    model, way = IN_FORCE[kind]
    kept = model._default_manager.filter(**{way: experiment}, replaced_at=None)
    return kept.order_by("pk").values("id")


def _renamed(
    model: type[models.Model], way: str, experiment: Experiment | int
) -> models.QuerySet[models.Model]:
    rows = model._default_manager.filter(**{way: experiment})
    return rows.exclude(**ONLY["formula"]) if model is Quantity else rows


def _plain(row: dict) -> dict:
    plain = {name: value for name, value in row.items() if name not in COUNTERS}
    return json.loads(json.dumps(plain, cls=DjangoJSONEncoder))


def _difference(before: Rows, after: Rows) -> list[dict]:
    keys = [key for key in dict.fromkeys([*before, *after]) if before.get(key) != after.get(key)]
    keys = [key for key in keys if key[0] not in RENAMED or (key in before and key in after)]
    return [
        {"kind": kind, "id": pk, "before": before.get((kind, pk)), "after": after.get((kind, pk))}
        for kind, pk in keys
    ]


def _joined(first: list[dict], second: list[dict]) -> list[dict]:
    """Make one act of two that follow each other."""
    joined = {(part["kind"], part["id"]): dict(part) for part in first}
    for part in second:
        key = part["kind"], part["id"]
        if key in joined:
            joined[key]["after"] = part["after"]
        else:
            joined[key] = part
    return [part for part in joined.values() if part["before"] != part["after"]]


def _apply(experiment: Experiment, change: Change, now: str, then: str) -> None:
    """Put every row of an act from one state into the other, if all of them are in the first."""
    current = _rows(experiment)
    for part in change.parts:
        if current.get((part["kind"], part["id"])) != part[now]:
            raise HistoryError(
                f"“{change.label}” cannot be taken back or done again: somebody has changed the "
                "same thing since. Change it by hand."
            )
    order = [*KINDS, *RENAMED, *IN_FORCE]
    parts = sorted(change.parts, key=lambda part: order.index(part["kind"]))
    for part in reversed(parts):
        if part[then] is None:
            _take_away(part)
    try:
        for part in parts:
            if part[then] is not None:
                _put(part, then)
    except IntegrityError as error:
        raise HistoryError(
            f"“{change.label}” cannot be taken back or done again: its symbol or its place was "
            "given to something else since."
        ) from error


def _take_away(part: dict) -> None:
    if part["kind"] in IN_FORCE:
        model, _ = IN_FORCE[part["kind"]]
        model._default_manager.filter(pk=part["id"]).update(replaced_at=timezone.now())
        return
    model, _ = KINDS[part["kind"]]
    for row in model._default_manager.filter(pk=part["id"]):
        if isinstance(row, Quantity | Given):
            try:
                refuse_in_use(formulas_of(row.experiment), row)
            except ExperimentError as error:
                raise HistoryError(str(error)) from error
        row.delete()


def _put(part: dict, then: str) -> None:
    if part["kind"] in IN_FORCE:
        model, _ = IN_FORCE[part["kind"]]
        model._default_manager.filter(pk=part["id"]).update(replaced_at=None)
        return
    if part["kind"] in RENAMED:
        model, *_ = RENAMED[part["kind"]]
        model._default_manager.filter(pk=part["id"]).update(**part[then])
        return
    model, _ = KINDS[part["kind"]]
    fields = {
        name: model._meta.get_field(name.removesuffix("_id")).to_python(value)  # type: ignore[union-attr]
        if not name.endswith("_id")
        else value
        for name, value in part[then].items()
    }
    key = fields.pop("id")
    _refuse_what_is_gone(model, fields)
    if not model._default_manager.filter(pk=key).update(**fields):
        model._default_manager.bulk_create([model(id=key, **fields)])
        # Times that set themselves are as they were.
        model._default_manager.filter(pk=key).update(**fields)


def _refuse_what_is_gone(model: type[models.Model], fields: dict) -> None:
    """Raise HistoryError where a row belongs to another that is not there any more."""
    for name, value in fields.items():
        if not name.endswith("_id") or value is None:
            continue
        other = model._meta.get_field(name.removesuffix("_id")).related_model
        if not other._default_manager.filter(pk=value).exists():
            raise HistoryError("What it belongs to was taken away in the meantime.")
