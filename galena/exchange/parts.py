"""What belongs to an experiment: rows of each app, which go along into a copy.

Each app registers its own part when it starts; that of the experiments is in `own_parts`.
"""

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from enum import Enum
from typing import TYPE_CHECKING, Any, Protocol

from django.db import models

from galena.experiments.models import Experiment, Run

if TYPE_CHECKING:
    from galena.exchange.packing import Packing
    from galena.exchange.unpacking import Unpacking

Keys = dict[type[models.Model], dict[int, int]]  # of each model, from a row's key to its copy's
Point = Callable[[type[models.Model], int], int | None]  # tells the key of a row's copy
Pointed = Callable[[Any, Point], Any]  # has what is kept as JSON name copies


class Belongs(Enum):
    """What rows are part of: what is measured and how, the runs, or what is said of them."""

    FRAME = 1
    RUNS = 2
    WORDS = 3


@dataclass(frozen=True, eq=False)
class Part:
    """Rows of a model that belong to an experiment, and the way from them to it.

    pointed: the columns of JSON in which rows are named by their keys, each with what has it name
    others instead. apart: the columns whose content stands in files of its own, or nowhere, in the
    experiment as a file; `*` for all rows. kept: which rows are whole, as a filter. alike: the
    columns that name rows which a copy names as well. run_way: the way to the run that rows are
    of, where it is another than that to the experiment.
    """

    model: type[models.Model]
    way: str
    belongs: Belongs = Belongs.FRAME
    pointed: Mapping[str, Pointed] = field(default_factory=dict)
    apart: tuple[str, ...] = ()
    kept: Mapping[str, Any] = field(default_factory=dict)
    alike: tuple[str, ...] = ()
    run_way: str = ""

    @property
    def key(self) -> str:
        """What its rows are called in a file."""
        return self.model._meta.label_lower

    def of(self, experiment: Experiment) -> models.QuerySet:
        """Give the rows of an experiment, in the order in which they were made."""
        rows = self.model._default_manager.filter(**{self.way: experiment}, **self.kept)
        return rows.order_by("pk")

    def of_run(self, run: Run) -> models.QuerySet:
        """Give the rows that are of one run, in the order in which they were made."""
        rows = self.model._default_manager
        if self.model is Run:
            return rows.filter(pk=run.pk)
        way = self.run_way or self.way.removesuffix("__experiment")
        if not self.run_way and (way == self.way or not way.endswith("run")):
            return rows.none()
        return rows.filter(**{way: run}, **self.kept).order_by("pk")


class Files(Protocol):
    """What of an app stands in files of its own in the experiment as a file."""

    def write(self, experiment: Experiment, numbers: Keys, package: "Packing") -> None:
        """Write the files; numbers: what each row is called in the file, by its key."""

    def read(self, experiment: Experiment, keys: Keys, package: "Unpacking") -> None:
        """Read them into rows that are there by now; keys: of these, by their numbers."""


@dataclass(frozen=True)
class AppPart:
    """What belongs to an experiment in one app: each part after all that it refers to.

    bare: mends a copy that came without its runs; told the keys of all copies. files: what stands
    in files of its own. shown: looks at all that was read as the app's pages do; raises where they
    could not show it.
    """

    parts: tuple[Part, ...]
    bare: Callable[[Experiment, Keys], None] | None = None
    files: Files | None = None
    shown: Callable[[Experiment], None] | None = None


APP_PARTS: list[AppPart] = []


def register(
    *parts: Part,
    bare: Callable[[Experiment, Keys], None] | None = None,
    files: Files | None = None,
    shown: Callable[[Experiment], None] | None = None,
) -> None:
    """Say what belongs to an experiment in an app; apps further up come later."""
    APP_PARTS.append(AppPart(parts, bare, files, shown))


def all_parts() -> list[Part]:
    """Give the parts of all apps, each after all that it refers to."""
    return [part for app in APP_PARTS for part in app.parts]
