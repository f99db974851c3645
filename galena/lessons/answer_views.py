"""Questions to all groups: asked, shown to all, put into a table; groups left out with a reason."""

from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_POST

from galena.classroom.permissions import for_teachers, group_in, lesson_for
from galena.experiments.models import Quantity, Run
from galena.lessons import answers_table, everyone, flows, giving
from galena.lessons.door_views import answer
from galena.lessons.errors import LessonError
from galena.lessons.forms import read_question
from galena.lessons.live import tell
from galena.lessons.models import AnswersTable, ClassQuestion
from galena.shell import requested

MOST_QUESTIONS = 50


@require_GET
@for_teachers
def ask_form(request, lesson_id: int):
    """Show what can be asked of all groups."""
    lesson = lesson_for(request, lesson_id)
    return render(request, "lessons/_ask.html", _ask_context(lesson))


def _ask_context(lesson) -> dict:
    quantities = Quantity.objects.filter(experiment=lesson.task.experiment)
    return {
        "lesson": lesson,
        "kinds": everyone.kinds(),
        "quantities": quantities.exclude(kind=Quantity.Kind.HARVESTED).order_by("kind", "pk"),
    }


@require_POST
@for_teachers
def ask_all(request, lesson_id: int):
    """Ask a question of all groups."""
    lesson = lesson_for(request, lesson_id)

    def act() -> None:
        if lesson.questions.count() >= MOST_QUESTIONS:
            raise LessonError(f"{MOST_QUESTIONS} questions were asked in this lesson already.")
        asked = read_question(request.POST)
        if asked["kind"] not in (everyone.TYPED, everyone.NAMED):
            asked = everyone.completed(lesson, asked)
        made = lesson.questions.create(**asked)
        request.session[f"question of {lesson.pk}"] = made.pk
        tell(lesson, "answers")

    return answer(request, lesson, act)


def _question(lesson, question_id: int) -> ClassQuestion:
    return get_object_or_404(lesson.questions, pk=question_id)


@require_POST
@for_teachers
def drop_question(request, lesson_id: int, question_id: int):
    """Take a question back; tables that were made of its answers keep them."""
    lesson = lesson_for(request, lesson_id)
    question = _question(lesson, question_id)

    def act() -> None:
        for table in question.tables.select_related("run__experiment"):
            answers_table.freeze(table.run)
        question.delete()
        tell(lesson, "answers")

    return answer(request, lesson, act)


@require_POST
@for_teachers
def leave_out(request, lesson_id: int, question_id: int, group_id: int):
    """Set a group's answer aside with a reason, or count it again."""
    lesson = lesson_for(request, lesson_id)
    question, group = _question(lesson, question_id), group_in(lesson, group_id)
    again = "again" in request.POST

    def act() -> None:
        reason = "" if again else request.POST.get("reason", "").strip()
        if not (reason or again):
            raise LessonError("Say why this group is left out.")
        flows.leave_out(question, group, reason)

    return answer(request, lesson, act)


@require_POST
@for_teachers
def show_answers(request, lesson_id: int, question_id: int):
    """Show all answers to all groups, or no longer."""
    lesson = lesson_for(request, lesson_id)
    question = _question(lesson, question_id)

    def act() -> None:
        question.is_shown = request.POST.get("on") == "yes"
        question.save(update_fields=["is_shown"])
        tell(lesson, "answers")

    return answer(request, lesson, act)


@require_POST
@for_teachers
def hide_names(request, lesson_id: int):
    """Show answers without names, or with them again."""
    lesson = lesson_for(request, lesson_id)
    return answer(
        request, lesson, lambda: flows.hide_names(lesson, request.POST.get("on") == "yes")
    )


@require_POST
@for_teachers
def as_table(request, lesson_id: int, question_id: int):
    """Put everyone's answers into a table at the teacher's Desk, and go there."""
    lesson = lesson_for(request, lesson_id)
    question = _question(lesson, question_id)
    experiment = lesson.task.experiment
    run = answers_table.make_table(question, experiment, request.user)
    if "give" in request.POST:
        giving.give(lesson, run)
        return redirect("lesson", lesson.pk)
    return redirect("desk", experiment.pk)


@require_POST
@for_teachers
def freeze_answers(request, lesson_id: int):
    """Keep the answers in the tables that were made of a question as they are now."""
    lesson = lesson_for(request, lesson_id)
    key = requested.key(request.POST.get("question"))
    runs = Run.objects.filter(
        pk__in=AnswersTable.objects.filter(question=_question(lesson, key)).values("run")
    )

    def act() -> None:
        for run in runs.select_related("experiment"):
            answers_table.freeze(run)

    return answer(request, lesson, act)
