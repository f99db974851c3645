"""What was handed in: the list, a report with remarks, handing back, and all as one zip."""

from django.http import FileResponse
from django.shortcuts import get_object_or_404, redirect, render
from django.utils.http import content_disposition_header
from django.views.decorators.http import require_GET, require_POST

from galena.classroom.permissions import for_teachers, lesson_for
from galena.core.formats.comma_separated import file_name
from galena.lessons import group_views, handing_in
from galena.lessons.errors import LessonError
from galena.lessons.models import HandIn, Remark


@require_GET
@for_teachers
def hand_ins(request, lesson_id: int):
    """List all that was handed in."""
    lesson = lesson_for(request, lesson_id)
    context = {"lesson": lesson, "hand_ins": handing_in.hand_ins_of(lesson), "place": "class"}
    return render(request, "lessons/hand_ins.html", context)


@require_GET
@for_teachers
def hand_ins_zip(request, lesson_id: int):
    """Give the newest report of each group, with its experiment file and remarks, as one zip."""
    lesson = lesson_for(request, lesson_id)
    response = FileResponse(handing_in.all_as_zip(lesson), content_type="application/zip")
    name = file_name(lesson.title, "handed in") + ".zip"
    response["Content-Disposition"] = content_disposition_header(True, name) or ""
    return response


def _hand_in(lesson, hand_in_id: int) -> HandIn:
    made = HandIn.objects.select_related("copy__group", "copy__experiment__owner")
    return get_object_or_404(made, copy__lesson=lesson, pk=hand_in_id)


@require_GET
@for_teachers
def handed_in(request, lesson_id: int, hand_in_id: int):
    """Show a report that was handed in, where remarks are written."""
    lesson = lesson_for(request, lesson_id)
    return render(request, "lessons/handed_in.html", _context(lesson, _hand_in(lesson, hand_in_id)))


def _context(lesson, made: HandIn, **more) -> dict:
    return {
        "lesson": lesson,
        "hand_in": made,
        "experiment_of_group": made.copy.experiment,
        "remarks": list(made.remarks.all()),
        "earlier": list(made.copy.hand_ins.exclude(pk=made.pk).defer("page", "text")),
        "place": "class",
        "may_remark": True,
    } | more


@require_POST
@for_teachers
def add_remark(request, lesson_id: int, hand_in_id: int):
    """Say something to a place of a report."""
    lesson = lesson_for(request, lesson_id)
    made = _hand_in(lesson, hand_in_id)
    post = request.POST
    try:
        handing_in.remark(made, post.get("place", ""), post.get("quote", ""), post.get("text", ""))
    except LessonError as error:
        context = _context(lesson, made, trouble=str(error), typed=post)
        template = "lessons/_remarks.html" if request.htmx else "lessons/handed_in.html"
        return render(request, template, context, status=422)
    return _answer(request, lesson, made)


@require_POST
@for_teachers
def remove_remark(request, lesson_id: int, hand_in_id: int, remark_id: int):
    """Take a remark back."""
    lesson = lesson_for(request, lesson_id)
    made = _hand_in(lesson, hand_in_id)
    get_object_or_404(Remark, hand_in=made, pk=remark_id).delete()
    return _answer(request, lesson, made)


def _answer(request, lesson, made: HandIn):
    if not request.htmx:
        return redirect("handed-in", lesson.pk, made.pk)
    return render(request, "lessons/_remarks.html", _context(lesson, made))


@require_POST
@for_teachers
def hand_back(request, lesson_id: int, hand_in_id: int):
    """Give a report back with its remarks."""
    lesson = lesson_for(request, lesson_id)
    handing_in.hand_back(_hand_in(lesson, hand_in_id))
    return redirect("hand-ins", lesson.pk)


@require_GET
@for_teachers
def handed_in_file(request, lesson_id: int, hand_in_id: int, name: str):
    """Give the PDF or the experiment file of what was handed in."""
    return group_views.sent(_hand_in(lesson_for(request, lesson_id), hand_in_id), name)
