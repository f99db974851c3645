"""The live events of a lesson, and the teacher's run for those who watch it in their own page."""

from asgiref.sync import sync_to_async
from django.db import connections
from django.http import Http404, JsonResponse
from django.shortcuts import get_object_or_404
from django.urls import reverse
from django.views.decorators.http import require_GET

from galena.bench.live.answer import Events
from galena.classroom.permissions import for_teachers, lesson_for, own_lesson
from galena.experiments.models import Experiment, Run
from galena.lessons.giving import is_shown
from galena.lessons.live import PRESENCE, tell_teacher
from galena.lessons.models import Copy, Task
from galena.recording.engine.recorder import RECORDER
from galena.recording.engine.state import RunInProgress
from galena.recording.plan.views import status_of
from galena.recording.runs.replay_views import FURTHEST, missed_of, replay_of
from galena.shell import requested


async def class_events(request, lesson_id: int):
    """Stream what happens in a lesson to the teacher's page."""
    topics = await sync_to_async(_topics_of_teacher)(request, lesson_id)
    return Events(request, topics)


@for_teachers
def _topics_of_teacher(request, lesson_id: int) -> frozenset[str]:
    lesson = lesson_for(request, lesson_id)
    copies = Copy.objects.filter(lesson=lesson).values_list("experiment", flat=True)
    try:
        return frozenset({f"class:{lesson.pk}", f"lesson:{lesson.pk}", "runs",
                          *(f"desk:{key}" for key in copies)})  # fmt: skip
    finally:
        connections.close_all()


async def my_events(request):
    """Stream what happens in the lesson to a group's page, with the teacher's run."""
    topics = await sync_to_async(_topics_of_group)(request)
    return Events(request, topics)


def _topics_of_group(request) -> frozenset[str]:
    lesson = own_lesson(request)
    task = Task.objects.get(lesson=lesson)
    copy = Copy.objects.filter(group=request.user).values_list("experiment", flat=True).first()
    PRESENCE.note(request.user.pk, "")
    tell_teacher(lesson)
    try:
        return frozenset({f"lesson:{lesson.pk}", f"group:{request.user.pk}", "runs",
                          f"run:{task.experiment_id}", f"desk:{copy}"})  # fmt: skip
    finally:
        connections.close_all()


@require_GET
def live_status(request):
    """Say what the teacher records now, so that a page can draw it from its beginning.

    Where nothing is recorded, who came too late for the last run is told of that (`last`): who
    `has` it by its number is not.
    """
    task = Task.objects.select_related("experiment").get(lesson=own_lesson(request))
    recording = RECORDER.recordings.of(task.experiment_id)
    current = recording if isinstance(recording, RunInProgress) else None
    status = status_of(task.experiment, current, 0)
    for stream in status.get("streams", ()):
        stream["missed"] = reverse("live-missed", args=[status["number"]])
    if current is None:
        has = requested.whole(request.GET.get("has"), "has", 0, FURTHEST, otherwise=0, clip=True)
        status["last"] = _last(task.experiment, after=has)
    return JsonResponse(status)


def _last(experiment: Experiment, after: int) -> dict | None:
    run = experiment.runs.kept().filter(number__gt=after).order_by("-number").first()
    if run is None or not run.kind.is_timed:
        return None
    return replay_of(run, reverse("live-missed", args=[run.number]))


@require_GET
def live_missed(request, number: int):
    """Give what is stored of a run of the teacher's that is shown, from an index on."""
    lesson = own_lesson(request)
    task = Task.objects.get(lesson=lesson)
    run = get_object_or_404(Run.objects.kept(), experiment=task.experiment_id, number=number)
    if not is_shown(lesson, run):
        raise Http404
    return missed_of(request, run)
