"""Groups that are removed with all that is stored of them: their names and their work."""

import shutil
from pathlib import Path

from django.conf import settings
from django.db import models, transaction

from galena.bench.models import Calibration
from galena.classroom.models import Lesson, Person
from galena.clips import files
from galena.clips.models import Clip
from galena.experiments import given
from galena.experiments.models import Experiment
from galena.lessons import lending
from galena.lessons.answers_table import as_rows
from galena.lessons.flows import sign_out
from galena.lessons.live import tell_teacher
from galena.lessons.models import AnswersTable, Copy, HandIn


def remove_group(group: Person) -> None:
    """Remove a group with its copy, all that it recorded, typed and handed in, and its name."""
    lesson = group.lesson
    for loan in group.loans.filter(back_at=None):
        lending.take_back(loan)
    folders = _folders_of([group])
    sign_out([group])
    with transaction.atomic():
        _remove(group, lesson.teacher)
        transaction.on_commit(lambda: _delete_files(folders))
    tell_teacher(lesson)


def remove_lesson(lesson: Lesson) -> None:
    """Remove a lesson with all its groups; the teacher's own experiment stays as it is."""
    groups = list(lesson.groups.all())
    lending.take_all_back(lesson)
    folders = _folders_of(groups)
    sign_out(groups)
    with transaction.atomic():
        _forget_names(lesson)
        for group in groups:
            _remove(group, lesson.teacher)
        lesson.delete()
        transaction.on_commit(lambda: _delete_files(folders))


def _remove(group: Person, teacher: Person) -> None:
    """Delete a group's rows; what it did to instruments stays, as done by the teacher."""
    tables = AnswersTable.objects.filter(question__lesson=group.lesson, frozen__isnull=False)
    for table in tables:
        table.frozen = [_nameless(row, group) for row in table.frozen or []]
        table.save(update_fields=["frozen"])
    Calibration.objects.filter(made_by=group, made_at=None).delete()
    Copy.objects.filter(group=group).delete()
    for experiment in Experiment.objects.filter(owner=group):
        given.delete(experiment)
    for relation in Person._meta.related_objects:
        if relation.on_delete is models.PROTECT:
            name = relation.field.name
            relation.related_model._default_manager.filter(**{name: group}).update(
                **{name: teacher}
            )
    group.delete()


def _nameless(row: dict, group: Person) -> dict:
    return row | {"name": "a group that was removed"} if row["name"] == str(group) else row


def _forget_names(lesson: Lesson) -> None:
    """Have the tables of answers go on without the names of the groups."""
    for table in AnswersTable.objects.filter(question__lesson=lesson):
        rows = table.frozen if table.frozen is not None else as_rows(table.question)
        table.frozen = [row | {"name": f"group {number}"} for number, row in enumerate(rows, 1)]
        table.save(update_fields=["frozen"])


def _folders_of(groups: list[Person]) -> list[Path]:
    """List the folders of films and of what was handed in that nobody else uses."""
    clips = Clip.objects.filter(experiment__owner__in=groups).values_list("folder", flat=True)
    others = Clip.objects.exclude(experiment__owner__in=groups)
    used = set(others.filter(folder__in=list(clips)).values_list("folder", flat=True))
    listed = [files.clips_folder() / folder for folder in set(clips) - used if folder]
    handed = HandIn.objects.filter(copy__group__in=groups).values_list("folder", flat=True)
    return listed + [hand_ins_folder() / folder for folder in handed if folder]


def hand_ins_folder() -> Path:
    """Give the folder of all that was handed in; it is made where there is none."""
    folder = Path(settings.DATA_DIR) / "hand-ins"
    folder.mkdir(mode=0o700, exist_ok=True)
    return folder


def _delete_files(folders: list[Path]) -> None:
    for folder in folders:
        shutil.rmtree(folder, ignore_errors=True)
