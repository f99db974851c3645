"""Runs that are given to groups: rows of their own in each copy, the readings where they are."""

from django.db import transaction

from galena.bench.live.bench import BENCH
from galena.classroom.models import Lesson
from galena.exchange.copying import AT_ONCE, Copying, Row, values_of
from galena.exchange.joining import conditions_here, needed_quantities, quantities_here
from galena.exchange.parts import Belongs, Part, all_parts
from galena.experiments.flows import next_number, touch
from galena.experiments.models import (
    Condition,
    Experiment,
    Quantity,
    Run,
    Series,
    SeriesChunk,
)
from galena.experiments.quantity_flows import refresh
from galena.lessons.answers_table import ANSWERS
from galena.lessons.errors import LessonError
from galena.lessons.handing_out import shared
from galena.lessons.models import AnswersTable, Copy, GivenRun, Received, Task
from galena.recording.engine.recorder import RECORDER
from galena.recording.engine.state import RunInProgress


def give(lesson: Lesson, run: Run) -> GivenRun:
    """Give a run to all groups, and to those that come in later; what it rests on goes along.

    Raises LessonError.
    """
    _refuse(run)
    for needed in run.kind.rests_on(run):
        give(lesson, needed)
    given, _ = GivenRun.objects.get_or_create(lesson=lesson, run=run)
    if not given.to_all:
        given.to_all = True
        given.save(update_fields=["to_all"])
    for copy in lesson.copies.select_related("experiment"):
        receive(given, copy)
    return given


def is_shown(lesson: Lesson, run: Run) -> bool:
    """Tell whether groups see a run on their page: one of this lesson, or the newest there is."""
    if not run.kind.is_timed:
        return False
    return run.started_at >= lesson.made_at or run == newest(run.experiment)


def newest(experiment: Experiment) -> Run | None:
    """Give the run of an experiment that was begun last."""
    return experiment.runs.kept().order_by("-number").first()


def take_shown(lesson: Lesson, run: Run, copy: Copy) -> Received:
    """Have a group take a run that its page shows. Raises LessonError."""
    if not is_shown(lesson, run):
        raise LessonError(f"Run {run.number} is not shown to groups. Ask for it to be given.")
    return take(lesson, run, copy)


def take(lesson: Lesson, run: Run, copy: Copy) -> Received:
    """Have a group take a run into its copy. Raises LessonError."""
    _refuse(run)
    given, _ = GivenRun.objects.get_or_create(lesson=lesson, run=run, defaults={"to_all": False})
    return receive(given, copy)


def receive(given: GivenRun, copy: Copy) -> Received:
    """Make the rows of a given run in a copy; one that was removed there comes back."""
    with transaction.atomic():
        kept = Received.objects.filter(given=given, copy=copy).select_related("run").first()
        if kept is not None:
            if kept.run.removed_at is not None:
                kept.run.removed_at = None
                kept.run.save(update_fields=["removed_at"])
            return kept
        run = Run.objects.get(pk=given.run_id)
        made = _made(run, copy)
        received = Received.objects.create(given=given, copy=copy, run=made)
        touch(copy.experiment)
    follow_live(run.experiment_id, copy.experiment_id)
    message = {"window": ""}
    transaction.on_commit(lambda: BENCH.hub.tell(f"desk:{copy.experiment_id}", "desk", message))
    transaction.on_commit(lambda: BENCH.hub.tell(f"rail:{copy.experiment_id}", "run", {}))
    return received


def follow_live(source: int, copy: int) -> None:
    """Have what is recorded of an experiment now be sent to those who watch a copy of it."""
    recording = RECORDER.recordings.of(source)
    if isinstance(recording, RunInProgress):
        recording.followers.add(copy)


def receive_all(copy: Copy) -> None:
    """Have a group that comes in later receive all that was given; what others rest on first."""
    gifts = copy.lesson.given.filter(to_all=True, run__removed_at=None).select_related("run")
    for gift in sorted(gifts.order_by("pk"), key=_needs):
        if not gift.run.kind.kept_back(gift.run):
            receive(gift, copy)


def _needs(gift: GivenRun) -> int:
    return len(gift.run.kind.rests_on(gift.run))


def _refuse(run: Run) -> None:
    if why := run.kind.kept_back(run):
        raise LessonError(why)
    if run.state == Run.State.RECORDING and not run.kind.is_timed:
        raise LessonError(f"Run {run.number} is taken step by step: give it when it is complete.")
    if run.state == Run.State.FOLLOWING or run.removed_at is not None:
        raise LessonError(f"Run {run.number} cannot be given now.")


def _made(run: Run, copy: Copy) -> Run:
    experiment = copy.experiment
    pairs = Received.objects.filter(copy=copy, given__run__experiment=run.experiment_id)
    there = dict(pairs.values_list("given__run", "run"))
    rows = {
        part: _rows_of(part, run, {*there, run.pk}) for part in all_parts()
        if part.belongs is Belongs.RUNS and part.model is not SeriesChunk
    }  # fmt: skip
    copying = Copying({Experiment: {run.experiment_id: experiment.pk}, Run: there})
    needed = needed_quantities(rows)
    if run.plan == ANSWERS:
        needed |= set(AnswersTable.objects.get(run=run).columns.values())
    for part in all_parts():
        if part.model is Condition:
            listed = _listed(part.of(run.experiment))
            copying.keys[Condition] = conditions_here(listed, experiment, copying, part)
        elif part.model is Quantity:
            listed = _listed(Quantity.objects.filter(pk__in=needed).order_by("pk"))
            copying.keys[Quantity] = quantities_here(listed, experiment, copying, part)
        elif part.model is Run:
            copying.put(part, [(run.pk, _renumbered(rows[part], experiment))])
        elif part in rows:
            copying.put(part, rows[part])
    copying.finish()
    refresh(experiment)
    return Run.objects.get(pk=copying.keys[Run][run.pk])


def _rows_of(part: Part, run: Run, there: set[int]) -> list[tuple[int, Row]]:
    """Give the rows of a part that are of one run, but none that tell of runs not there."""
    to_runs = [
        field.attname for field in part.model._meta.concrete_fields
        if field.related_model is Run and not field.null
    ]  # fmt: skip
    return [
        (row.pk, shared(part, row, values_of(row)))
        for row in part.of_run(run).iterator(AT_ONCE)
        if all(getattr(row, name) in there for name in to_runs)
    ]


def _listed(rows) -> list[tuple[int, Row]]:
    return [(row.pk, values_of(row)) for row in rows]


def _renumbered(rows: list[tuple[int, Row]], experiment: Experiment) -> Row:
    """Let the run keep its number where that is free, so that a class speaks of the same run 3."""
    ((_, row),) = rows
    number = row["number"]
    if experiment.runs.filter(number=number).exists():
        number = next_number(experiment)
    return row | {"number": number, "place": number, "shown": True}


def recalibrated(given: GivenRun) -> list[Received]:
    """List the copies whose readings are not corrected as those of the original are now."""
    now = _corrections(Series.objects.filter(stream__run=given.run_id))
    if not now:
        return []
    behind = []
    for received in given.received.select_related("run", "copy__experiment", "copy__group"):
        theirs = _corrections(Series.objects.filter(stream__run=received.run_id))
        if any(theirs.get(holder, corrected) != corrected for holder, corrected in now.items()):
            behind.append(received)
    return behind


def follow_calibration(given: GivenRun) -> int:
    """Have all copies correct the readings as the original does; gives how many changed."""
    behind = recalibrated(given)
    with transaction.atomic():
        originals = list(Series.objects.filter(stream__run=given.run_id).select_related("quantity"))
        for received in behind:
            _follow(originals, received.run, received.copy.experiment)
    for received in behind:
        BENCH.hub.tell(f"desk:{received.copy.experiment_id}", "desk", {"window": ""})
    return len(behind)


def _follow(originals: list[Series], run: Run, experiment: Experiment) -> None:
    part = next(one for one in all_parts() if one.model is Quantity)
    for original in originals:
        followers = Series.objects.filter(stream__run=run, stored_in=original.holder_id)
        if original.quantity is None:
            continue
        copying = Copying({Experiment: {original.quantity.experiment_id: experiment.pk}})
        listed = [(original.quantity_id, values_of(original.quantity))]
        keys = quantities_here(listed, experiment, copying, part)
        followers.update(
            quantity=keys[original.quantity_id], zero=original.zero, u_zero=original.u_zero,
            sign=original.sign, calibration=original.calibration,
        )  # fmt: skip
    touch(experiment)


def _corrections(series) -> dict[int, tuple]:
    return {
        one.holder_id: (one.zero, one.u_zero, one.sign, one.calibration)
        for one in series
        if one.quantity_id is not None
    }


def givable(task: Task) -> list[Run]:
    """List the runs of the lesson's experiment, the newest first."""
    return list(task.experiment.runs.kept().of_kind(is_summary=False).order_by("-number"))
