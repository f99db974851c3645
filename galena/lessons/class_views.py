"""The teacher's page of a lesson: the list, a new one, who is where, its task, and its end."""

from django.http import JsonResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from galena.classroom.models import Lesson
from galena.classroom.permissions import for_teachers, lesson_for, lessons_of, owned_by
from galena.experiments.models import Experiment
from galena.lessons import class_page, done, flows, giving, handing_out, lending, removing
from galena.lessons.door import door_context
from galena.lessons.errors import LessonError
from galena.lessons.forms import read_lesson
from galena.lessons.models import Task
from galena.shell import requested


@require_GET
@for_teachers
def lessons(request):
    """List the lessons, those that go on first."""
    listed = lessons_of(request.user).select_related("task__experiment")
    context = {
        "going_on": [one for one in listed if one.ended_at is None],
        "ended": [one for one in listed if one.ended_at is not None],
        "place": "class",
    }
    return render(request, "lessons/list.html", context)


@require_http_methods(["GET", "POST"])
@for_teachers
def new_lesson(request):
    """Make a lesson from an experiment, and open its door."""
    mine = owned_by(request.user, Experiment.objects.kept().filter(archived_at=None))
    mine = mine.order_by("-changed_at")
    sent = request.POST if request.method == "POST" else request.GET
    key = requested.key_or_none(sent.get("experiment"))
    experiment = None if key is None else get_object_or_404(mine, pk=key)
    context = {"experiments": mine, "chosen": experiment, "place": "class"}
    if experiment is None:
        return render(request, "lessons/choose.html", context)
    typed = {"title": experiment.title, "text": "", "steps": list(flows.USUAL_STEPS),
             "starts_with": list(handing_out.USUAL)}  # fmt: skip
    status = 200
    if request.method == "POST":
        try:
            lesson = flows.begin(request.user, experiment, read_lesson(request.POST))
            return redirect("lesson", lesson.pk)
        except LessonError as error:
            typed, status = _as_typed(request.POST), 422
            context |= {"wrong": str(error), "field": error.field}
    return render(request, "lessons/new.html", context | _form_context(typed), status=status)


def _as_typed(posted) -> dict:
    steps = zip(posted.getlist("step-page"), posted.getlist("step-text"),
                posted.getlist("step-done"), strict=False)  # fmt: skip
    return {
        "title": posted.get("title", ""), "text": posted.get("text", ""),
        "steps": [{"page": page, "text": text, "done": key} for page, text, key in steps],
        "starts_with": posted.getlist("starts-with"),
    }  # fmt: skip


def _form_context(typed: dict) -> dict:
    blank = {"page": "desk", "text": "", "done": ""}
    spare = max(1, 5 - len(typed["steps"]))
    return {
        "typed": typed | {"steps": [*typed["steps"], *[blank] * spare][: flows.MOST_STEPS]},
        "pages": done.PAGES.items(),
        "dones": done.choices(),
        "choices": handing_out.CHOICES.values(),
    }


@require_GET
@for_teachers
def lesson(request, lesson_id: int):
    """Show the teacher's page."""
    context = page_context(request, lesson_for(request, lesson_id))
    return render(request, "lessons/class.html", context)


def page_context(request, lesson: Lesson) -> dict:
    """Give what the teacher's page shows."""
    task = Task.objects.select_related("experiment").get(lesson=lesson)
    key = f"question of {lesson.pk}"
    wanted = requested.key_or_none(request.GET.get("question"))
    if wanted is not None:
        request.session[key] = wanted
    question = class_page.question_of(lesson, request.session.get(key))
    answers = class_page.answers_context(question, named=not task.names_hidden)
    rows = class_page.rows(lesson, answers["everyone"])
    givable = giving.givable(task)
    given = {one.run_id for one in lesson.given.filter(to_all=True)}
    return {
        "lesson": lesson,
        "task": task,
        "experiment_of_lesson": task.experiment,
        "rows": rows,
        "questions": list(lesson.questions.all()),
        "givable": givable,
        "given": given,
        "newest": next((run for run in givable if run.pk not in given), None),
        "behind": [one for one in lesson.given.select_related("run") if giving.recalibrated(one)],
        "lendable": lending.lendable(lesson) if lesson.ended_at is None else [],
        "words": list(lesson.words.select_related("group").order_by("-pk")[:5]),
        "place": "class",
    } | answers | door_context(request, lesson)  # fmt: skip


@require_GET
@for_teachers
def class_now(request, lesson_id: int):
    """Give the groups and everyone's answers as they are now."""
    context = page_context(request, lesson_for(request, lesson_id))
    return render(request, "lessons/_class_now.html", context)


@require_http_methods(["GET", "POST"])
@for_teachers
def task(request, lesson_id: int):
    """Show the task, and change it; groups that are in see it at once."""
    lesson = lesson_for(request, lesson_id)
    kept = lesson.task
    typed = {"title": lesson.title, "text": kept.text, "steps": kept.steps,
             "starts_with": kept.starts_with}  # fmt: skip
    context, status = {"lesson": lesson, "chosen": kept.experiment, "place": "class"}, 200
    if request.method == "POST":
        try:
            flows.describe(lesson, read_lesson(request.POST))
            return redirect("lesson", lesson.pk)
        except LessonError as error:
            typed, status = _as_typed(request.POST), 422
            context |= {"wrong": str(error), "field": error.field}
    return render(request, "lessons/new.html", context | _form_context(typed), status=status)


@require_POST
@for_teachers
def end_lesson(request, lesson_id: int):
    """End a lesson: the groups leave, their copies stay here."""
    flows.end(lesson_for(request, lesson_id))
    return redirect("lesson", lesson_id)


@require_POST
@for_teachers
def remove_lesson(request, lesson_id: int):
    """Remove a lesson with all that is stored of its groups."""
    lesson = lesson_for(request, lesson_id)
    if request.POST.get("sure") != "yes":
        context = {"lesson": lesson, "groups": list(lesson.groups.all()), "place": "class"}
        return render(request, "lessons/remove.html", context)
    removing.remove_lesson(lesson)
    return redirect("lessons")


@require_GET
@for_teachers
def who_is_in(request, lesson_id: int):
    """Tell how many groups are in, for the large door."""
    lesson = lesson_for(request, lesson_id)
    names = [str(group) for group in lesson.groups.order_by("pk")]
    return JsonResponse({"groups": names, "open": lesson.is_open})
