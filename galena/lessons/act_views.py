"""What the teacher does with all groups: give runs, show the Desk, lend instruments, say a word."""

from django.http import HttpResponse
from django.shortcuts import get_object_or_404
from django.views.decorators.http import require_POST

from galena.bench.live.bench import BENCH
from galena.bench.models import Instrument
from galena.classroom.permissions import for_teachers, group_in, lesson_for
from galena.experiments.models import Run
from galena.lessons import flows, giving, lending
from galena.lessons.door_views import answer
from galena.lessons.errors import LessonError
from galena.lessons.models import GivenRun, Loan
from galena.shell import requested

MOST_LIMITS = 60  # axes of a Desk that are followed


def _going_on(lesson) -> None:
    if lesson.ended_at is not None:
        raise LessonError("This lesson has ended.")


@require_POST
@for_teachers
def give_run(request, lesson_id: int):
    """Give a run to all groups."""
    lesson = lesson_for(request, lesson_id)
    number = requested.key(request.POST.get("run"))
    run = get_object_or_404(Run.objects.kept(), experiment=lesson.task.experiment, number=number)

    def act() -> None:
        _going_on(lesson)
        giving.give(lesson, run)

    return answer(request, lesson, act)


@require_POST
@for_teachers
def follow_calibration(request, lesson_id: int):
    """Have the copies of a given run be corrected as the original is now."""
    lesson = lesson_for(request, lesson_id)
    key = requested.key(request.POST.get("given"))
    given = get_object_or_404(GivenRun, lesson=lesson, pk=key)
    return answer(request, lesson, lambda: giving.follow_calibration(given))


@require_POST
@for_teachers
def show_desk(request, lesson_id: int):
    """Show the Desk to all groups, or no longer."""
    lesson = lesson_for(request, lesson_id)

    def act() -> None:
        _going_on(lesson)
        flows.show_desk(lesson, request.POST.get("on") == "yes")

    return answer(request, lesson, act)


@require_POST
@for_teachers
def showing(request, lesson_id: int):
    """Tell the groups which sheet, which limits and which place are in front at the Desk."""
    lesson = lesson_for(request, lesson_id)
    task = lesson.task
    if not task.desk_shown:
        return HttpResponse(status=204)
    sheet = requested.key_or_none(request.POST.get("sheet"))
    place = request.POST.get("x", "")
    limits = requested.listed(request.POST.get("limits") or "{}", "The limits")
    if not isinstance(limits, dict) or len(limits) > MOST_LIMITS:
        raise requested.RequestError("The limits cannot be read.")
    shown = {
        "what": "shown",
        "sheet": sheet,
        "x": requested.number(place, "x") if place else None,
        "free": "free" in request.POST,
        "limits": {str(name)[:40]: _limits(ends) for name, ends in limits.items()},
    }
    BENCH.hub.tell(f"lesson:{lesson.pk}", "shown", shown)
    return HttpResponse(status=204)


def _limits(ends: object) -> list[float] | None:
    if ends is None:
        return None
    if not isinstance(ends, list) or len(ends) != 2:
        raise requested.RequestError("The limits cannot be read.")
    return [requested.bounded(end, "A limit") for end in ends]


@require_POST
@for_teachers
def lend(request, lesson_id: int):
    """Lend an instrument to a group."""
    lesson = lesson_for(request, lesson_id)
    key = requested.key(request.POST.get("instrument"))
    instrument = get_object_or_404(Instrument, pk=key)
    group = group_in(lesson, requested.key(request.POST.get("group")))
    return answer(request, lesson, lambda: lending.lend(lesson, instrument, group))


@require_POST
@for_teachers
def take_back(request, lesson_id: int, loan_id: int):
    """Take an instrument back."""
    lesson = lesson_for(request, lesson_id)
    loans = Loan.objects.select_related("instrument", "group")
    loan = get_object_or_404(loans, lesson=lesson, pk=loan_id, back_at=None)
    return answer(request, lesson, lambda: lending.take_back(loan))


@require_POST
@for_teachers
def say(request, lesson_id: int):
    """Send a remark to one group or to all."""
    lesson = lesson_for(request, lesson_id)
    key = requested.key_or_none(request.POST.get("group"))
    group = None if key is None else group_in(lesson, key)
    return answer(request, lesson, lambda: flows.say(lesson, request.POST.get("text", ""), group))
