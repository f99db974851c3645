"""The door, filling a projector too; and the groups: renamed, removed, their copies exchanged."""

from django.shortcuts import redirect, render
from django.views.decorators.http import require_GET, require_POST

from galena.classroom.permissions import for_teachers, group_in, lesson_for
from galena.lessons import flows, removing
from galena.lessons.class_views import page_context
from galena.lessons.door import door_context
from galena.lessons.errors import LessonError
from galena.shell import requested


@require_GET
@for_teachers
def door(request, lesson_id: int):
    """Show the door so large that it is read from the last row."""
    lesson = lesson_for(request, lesson_id)
    groups = list(lesson.groups.order_by("pk"))
    context = {"lesson": lesson, "groups": groups, "place": "class"}
    return render(request, "lessons/door.html", context | door_context(request, lesson))


def answer(request, lesson, act) -> object:
    """Do an act; answer with the class as it then is, and why it could not be done."""
    trouble = ""
    try:
        act()
    except LessonError as error:
        trouble = str(error)
    lesson.refresh_from_db()
    if not request.htmx:
        return redirect("lesson", lesson.pk)
    context = page_context(request, lesson) | {"trouble": trouble}
    return render(request, "lessons/_class_now.html", context, status=422 if trouble else 200)


@require_POST
@for_teachers
def set_door(request, lesson_id: int):
    """Open or close the door."""
    lesson = lesson_for(request, lesson_id)
    return answer(
        request, lesson, lambda: flows.set_door(lesson, request.POST.get("open") == "yes")
    )


@require_POST
@for_teachers
def rename_group(request, lesson_id: int, group_id: int):
    """Give a group another name."""
    lesson = lesson_for(request, lesson_id)
    group = group_in(lesson, group_id)
    return answer(request, lesson, lambda: flows.rename(group, request.POST.get("name", "")))


@require_POST
@for_teachers
def remove_group(request, lesson_id: int, group_id: int):
    """Remove a group with its copy and its name."""
    lesson = lesson_for(request, lesson_id)
    group = group_in(lesson, group_id)
    return answer(request, lesson, lambda: removing.remove_group(group))


@require_POST
@for_teachers
def exchange_copies(request, lesson_id: int, group_id: int):
    """Give a group's copy to another one, and the other's to it."""
    lesson = lesson_for(request, lesson_id)
    group = group_in(lesson, group_id)
    other = group_in(lesson, requested.key(request.POST.get("other")))
    return answer(request, lesson, lambda: flows.exchange_copies(group, other))
