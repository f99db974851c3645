"""The group's own page: its task, what is live, what the groups found, and handing in."""

from django.http import FileResponse, Http404
from django.shortcuts import get_object_or_404, redirect, render
from django.utils.http import content_disposition_header
from django.utils.safestring import mark_safe
from django.views.decorators.http import require_GET, require_POST

from galena.classroom.permissions import own_lesson
from galena.core.formats.comma_separated import file_name
from galena.experiments.models import Run
from galena.lessons import class_page, flows, giving, handing_in
from galena.lessons.coming_in import word
from galena.lessons.done import steps_of, work_of
from galena.lessons.errors import LessonError
from galena.lessons.everyone import TYPED
from galena.lessons.forms import read_answer
from galena.lessons.models import Copy, HandIn, Task, TypedAnswer, Word
from galena.recording.engine.recorder import RECORDER
from galena.recording.engine.state import RunInProgress
from galena.reports.marked_up import marked_up
from galena.shell.marks import as_json
from galena.shell.worker import WorkerError

MOST_WORDS = 5


def _copy(request) -> Copy:
    lesson = own_lesson(request)
    copy = get_object_or_404(Copy.objects.select_related("experiment", "lesson__teacher"),
                             group=request.user)  # fmt: skip
    copy.lesson = lesson
    return copy


@require_GET
def my_lesson(request):
    """Show the group's page."""
    if not request.user.is_group:
        return redirect("lessons")
    return render(request, "lessons/group.html", _context(request, _copy(request)))


@require_GET
def my_lesson_now(request):
    """Give what of the group's page changes, as it is now."""
    return render(request, "lessons/_group_now.html", _context(request, _copy(request)))


def _context(request, copy: Copy, **more) -> dict:
    lesson = copy.lesson
    task = Task.objects.select_related("experiment").get(lesson=lesson)
    work = work_of([copy])
    recording = RECORDER.recordings.of(task.experiment_id)
    live = recording.run if isinstance(recording, RunInProgress) else None
    last = giving.newest(task.experiment)
    words = Word.objects.filter(lesson=lesson, group__isnull=True) | Word.objects.filter(
        lesson=lesson, group=request.user
    )
    shown = [class_page.answers_context(question, named=False, own=request.user.pk, in_a_row=True)
             for question in lesson.questions.filter(is_shown=True)]  # fmt: skip
    received = {one.given.run_id for one in copy.received.select_related("given", "run")
                if one.run.removed_at is None}  # fmt: skip
    return {
        "lesson": lesson,
        "experiment": copy.experiment,
        "task": task,
        "task_html": task_html(task.text),
        "steps": steps_of(task.steps, work, copy),
        "live": live,
        "last": last if last is not None and last.kind.is_timed else None,
        "has_taken": bool(live or last) and (live or last).pk in received,
        "words": list(words.order_by("-pk")[:MOST_WORDS]),
        "shown": shown,
        "typed": _typed_questions(lesson, request.user, more.pop("wrong", {})),
        "hand_ins": list(copy.hand_ins.defer("page", "text").prefetch_related("remarks")),
        "word": word(request.user),
        "trouble": "",
        "place": "class",
        "marks": as_json(task.experiment.chosen_marks),
    } | more  # fmt: skip


def _typed_questions(lesson, group, wrong: dict[int, tuple[str, str]]) -> list[dict]:
    kept = {one.question_id: one for one in TypedAnswer.objects.filter(group=group)}
    listed = []
    for question in lesson.questions.filter(kind=TYPED):
        trouble, text = wrong.get(question.pk, ("", ""))
        answer = kept.get(question.pk)
        text = text or (answer.text if answer else "")
        listed.append({"question": question, "text": text, "trouble": trouble, "kept": answer})
    return listed


def task_html(text: str) -> str:
    """Set the task's Markdown; nothing is put in."""
    try:
        return mark_safe(marked_up(text.replace("{", "").replace("$", "")).html)
    except WorkerError:
        return ""


@require_POST
def take_run(request):
    """Take the run that is shown live into the group's copy."""
    copy = _copy(request)
    experiment = copy.lesson.task.experiment_id
    run = get_object_or_404(
        Run.objects.kept(), experiment=experiment, number=_number(request.POST.get("run"))
    )
    return _done(request, copy, lambda: giving.take_shown(copy.lesson, run, copy))


def _number(text: str | None) -> int:
    if not (text and text.isascii() and text.isdigit() and len(text) < 10):
        raise Http404
    return int(text)


@require_POST
def type_answer(request):
    """Keep the number that the group typed for the class."""
    copy = _copy(request)
    question = get_object_or_404(
        copy.lesson.questions, pk=_number(request.POST.get("question")), kind=TYPED
    )
    typed = request.POST.get("answer", "")
    try:
        text, value, u = read_answer(typed, question.words, question.unit)
    except LessonError as error:
        wrong = {question.pk: (str(error), typed[:60])}
        context = _context(request, copy, wrong=wrong)
        template = "lessons/_group_now.html" if request.htmx else "lessons/group.html"
        return render(request, template, context, status=422)
    return _done(request, copy, lambda: flows.type_answer(question, request.user, text, value, u))


@require_POST
def hand_in(request):
    """Hand the report in as it is now."""
    copy = _copy(request)
    return _done(request, copy, lambda: handing_in.hand_in(copy))


def _done(request, copy: Copy, act):
    trouble = ""
    try:
        act()
    except LessonError as error:
        trouble = str(error)
    if not request.htmx and not trouble:
        return redirect("my-lesson")
    template = "lessons/_group_now.html" if request.htmx else "lessons/group.html"
    context = _context(request, copy, trouble=trouble)
    return render(request, template, context, status=422 if trouble else 200)


@require_GET
def returned(request, hand_in_id: int):
    """Show a report that was handed in, with its remarks once it was handed back."""
    copy = _copy(request)
    made = get_object_or_404(HandIn, copy=copy, pk=hand_in_id)
    remarks = list(made.remarks.all()) if made.handed_back_at else []
    context = {"hand_in": made, "remarks": remarks, "experiment": copy.experiment,
               "lesson": copy.lesson}  # fmt: skip
    return render(request, "lessons/returned.html", context)


@require_GET
def returned_file(request, hand_in_id: int, name: str):
    """Give the PDF or the experiment file of what the group handed in."""
    return sent(get_object_or_404(HandIn, copy=_copy(request), pk=hand_in_id), name)


def sent(made: HandIn, name: str) -> FileResponse:
    """Send a file of what was handed in."""
    kinds = {"pdf": (handing_in.REPORT, "application/pdf"),
             "experiment": (handing_in.EXPERIMENT, "application/zip")}  # fmt: skip
    if name not in kinds:
        raise Http404
    kept, media_type = kinds[name]
    if name == "pdf" and not handing_in.file_of(made, kept).exists():
        kept, media_type = handing_in.WEB_PAGE, "text/html; charset=utf-8"
    try:
        file = handing_in.file_of(made, kept).open("rb")
    except OSError as error:
        raise Http404 from error
    response = FileResponse(file, content_type=media_type)
    called = file_name(str(made.copy.group), made.title) + kept[kept.index(".") :]
    response["Content-Disposition"] = (
        content_disposition_header(kept != handing_in.REPORT, called) or ""
    )
    return response
