"""The experiment as one file: everything that was measured, made of it and said about it.

A zip with a data package (Frictionless Data Package 1.0: `datapackage.json` and a CSV for each
run), the readings as they were stored (`readings/*.npy`), all else as JSON (`galena.json`), the
files of apps, and checksums. docs/file-formats.md tells how to read it.
"""

import json
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import IO, Any

from django.db import transaction
from django.utils import timezone

from galena import __version__
from galena.classroom.elsewhere import person_from_elsewhere
from galena.classroom.models import Person
from galena.core.errors import GalenaError
from galena.exchange import rows_as_json, run_tables
from galena.exchange.copying import AT_ONCE, Copying, Row
from galena.exchange.errors import PackageError
from galena.exchange.packing import Packing, numbered
from galena.exchange.parts import APP_PARTS, Keys, Part, all_parts
from galena.exchange.rows_as_json import People
from galena.exchange.unpacking import Unpacking
from galena.experiments.data.cache import in_passing
from galena.experiments.models import Experiment

FORMAT, VERSION = "galena-experiment", 1
MOST_ROWS, MOST_PEOPLE = 2_000_000, 10_000
TIMES = ("created_at", "changed_at", "archived_at")
_NEWER = "This file was written by a newer Galena. Bring this one up to date, then take it in."


def write(
    experiment: Experiment,
    file: IO[bytes],
    written: Callable[[int], None] = lambda _: None,
    *,
    films: bool = True,
) -> None:
    """Write an experiment into a file, as a stream; the experiment stays as it is.

    written: is told of how many bytes were written, again and again; films: whether the clips come
    along as they came. Raises PackageError while a
    run is recorded.
    """
    if experiment.runs.growing().exists():
        raise PackageError("A run of this experiment is being recorded. Take it along afterwards.")
    with in_passing(), transaction.atomic():
        package = Packing(file, written, films=films)
        numbers: Keys = {
            part.model: numbered(part.of(experiment).values_list("pk", flat=True).iterator())
            for part in all_parts()
            if part.apart != ("*",)
        }
        content = _content(experiment, numbers)
        for app in APP_PARTS:
            if app.files is not None:
                app.files.write(experiment, numbers, package)
        run_tables.write_all(experiment, package)
        package.put("datapackage.json", _as_json(_data_package(experiment, package)))
        content["told"] = package.told
        package.put("galena.json", _as_json(content))
        package.end()


def _content(experiment: Experiment, numbers: Keys) -> dict[str, Any]:
    people = People(Person)
    about: dict[str, Any] = {"title": experiment.title, "owner": people.number(experiment.owner_id)}
    for name in TIMES:
        about[name] = rows_as_json.plain(getattr(experiment, name))

    def number(model, key: int) -> int | None:
        return numbers.get(model, {}).get(key)

    rows = {
        part.key: [
            rows_as_json.written(part, row, people, number)
            for row in part.of(experiment).iterator(AT_ONCE)
        ]
        for part in all_parts()
        if part.model in numbers
    }
    return {
        "format": FORMAT, "version": VERSION, "written_by": f"Galena {__version__}",
        "written_at": rows_as_json.plain(timezone.now()),
        "experiment": about, "people": people.names, "rows": rows,
    }  # fmt: skip


def _data_package(experiment: Experiment, package: Packing) -> dict[str, Any]:
    return {
        "profile": "data-package", "name": f"experiment-{experiment.created_at:%Y-%m-%d}",
        "title": experiment.title, "resources": package.resources,
    }  # fmt: skip


def _as_json(content: dict[str, Any]) -> bytes:
    return json.dumps(content, ensure_ascii=False, allow_nan=False, indent=1).encode()


def content_of(package: Unpacking) -> dict[str, Any]:
    """Give what an experiment file holds beside readings and files. Raises PackageError."""
    content = package.json("galena.json")
    if not isinstance(content, dict) or content.get("format") != FORMAT:
        raise PackageError("This is no experiment file: galena.json is of something else.")
    version = content.get("version")
    if not isinstance(version, int) or isinstance(version, bool) or version < 1:
        raise PackageError("This experiment file does not say which version it has.")
    if version > VERSION:
        raise PackageError(_NEWER)
    for name, wanted in (("rows", dict), ("people", list), ("experiment", dict)):
        if not isinstance(content.get(name), wanted):
            raise PackageError(f"This experiment file is incomplete: it has no {name}.")
    listed = content["rows"]
    if not all(isinstance(rows, list) for rows in listed.values()):
        raise PackageError("This experiment file is incomplete: its rows cannot be read.")
    if sum(map(len, listed.values())) > MOST_ROWS:
        raise PackageError("This experiment file holds more rows than Galena takes.")
    if unknown := set(listed) - {part.key for part in all_parts()}:
        raise PackageError(f"This file holds what this Galena has not: {min(unknown)[:60]}.")
    return content


def read(
    file: IO[bytes], owner, *, looked_at: Callable[[float], None] = lambda _: None
) -> Experiment:
    """Make an experiment of a file; it belongs to the owner. Nothing is changed where it fails.

    looked_at: is told which part of the work is done. Raises PackageError, in words.
    """
    package = Unpacking(file)
    package.check(lambda part: looked_at(part / 2))
    content = content_of(package)
    with all_or_nothing(package):
        experiment = _made(package, content, owner)
    looked_at(1.0)
    return experiment


@contextmanager
def all_or_nothing(package: Unpacking) -> Iterator[None]:
    """Have nothing changed where what stands in a file cannot be. Raises PackageError."""
    try:
        with in_passing(), transaction.atomic():
            yield
    except BaseException as error:
        for undo in package.undo:
            undo()
        if isinstance(error, PackageError) or not isinstance(error, Exception):
            raise
        if isinstance(error, OSError):
            raise PackageError(
                "The disk is full, or cannot be written. Nothing was taken."
            ) from error
        # Each row was a possible one, and together they make no sense.
        said = str(error) if isinstance(error, GalenaError) else type(error).__name__
        raise PackageError(f"This file holds what cannot be shown here: {said}") from error


def _made(package: Unpacking, content: dict[str, Any], owner) -> Experiment:
    experiment = _experiment(content["experiment"], owner)
    copying = Copying({Experiment: {1: experiment.pk}})
    for part, rows in checked_rows(content, owner).items():
        copying.put(part, enumerate(rows, start=1))
    copying.finish()
    read_files(package, experiment, copying.keys)
    if experiment.runs.growing().exists():
        raise PackageError("A run of this file has not ended.")
    for part in all_parts():
        listed = content["rows"].get(part.key, ())
        if part.apart != ("*",) and part.of(experiment).count() != len(listed):
            raise PackageError(f"Some rows of {part.key} are of nothing.")
    _set_times(experiment, content["experiment"])
    return experiment


def read_files(package: Unpacking, experiment: Experiment, keys: Keys) -> None:
    """Read what stands in files of its own, and look at all as pages do."""
    for app in APP_PARTS:
        if app.files is not None:
            app.files.read(experiment, keys, package)
    for app in APP_PARTS:
        if app.shown is not None:
            app.shown(experiment)


def _experiment(about: dict[str, Any], owner) -> Experiment:
    title = about.get("title")
    if not isinstance(title, str) or not title.strip():
        raise PackageError("The experiment of this file has no title.")
    return Experiment.objects.create(owner=owner, title=title.strip()[:200])


def _set_times(experiment: Experiment, about: dict[str, Any]) -> None:
    """Have it be as old as it is: the acts of taking it in are none of its changes."""
    try:
        times = {
            field.name: rows_as_json.value_in(field, about.get(field.name))
            for field in Experiment._meta.concrete_fields
            if field.name in TIMES
        }
    except ValueError as error:
        raise PackageError(f"The times of this experiment cannot be read: one {error}.") from error
    Experiment.objects.filter(pk=experiment.pk).update(**times)
    experiment.refresh_from_db()


def checked_rows(content: dict[str, Any], owner) -> dict[Part, list[Row]]:
    """Check all rows of a file; gives them part by part. Raises PackageError."""
    people = _people(content["people"], owner)
    listed = content["rows"]
    counts = {part.model: len(listed.get(part.key, ())) for part in all_parts()}
    rows: dict[Part, list[Row]] = {}
    for part in all_parts():
        if part.apart == ("*",):
            continue
        of_experiment = any(one.name == "experiment" for one in part.model._meta.concrete_fields)
        rows[part] = [
            rows_as_json.read(part, number, values, people, counts)
            | ({"experiment_id": 1} if of_experiment else {})
            for number, values in enumerate(listed.get(part.key, ()), start=1)
        ]
    return rows


def _people(names: list[Any], owner) -> list[int]:
    if len(names) > MOST_PEOPLE or not all(isinstance(name, str) for name in names):
        raise PackageError("The people of this file cannot be read.")
    return [owner.pk if name == str(owner) else person_from_elsewhere(name).pk for name in names]
