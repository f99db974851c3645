"""The one answer to "may this person see or change this?".

Whatever belongs to someone has an `owner`. It is seen by its owner, by the teacher of the lesson
that its owner is a group of, and by those to whom it is shown; it is changed by its owner only.
Those who manage the school's Galena (staff) see and change everything. The Bench and its
instruments are the teachers'; a group uses what was lent to it.
"""

from collections.abc import Callable, Collection
from functools import wraps
from typing import Any

from django.core.exceptions import PermissionDenied
from django.db.models import QuerySet
from django.shortcuts import get_object_or_404

from galena.classroom.models import Lesson, Person

SAFE = ("GET", "HEAD", "OPTIONS")
Shown = Callable[[Person, str], Collection[int]]  # what is shown to a person at an address

_shown: list[Shown] = []


class NotYours(PermissionDenied):
    """A person may not do this, in words."""


def shows(what: Shown) -> None:
    """Have apps further up say what is shown to whom."""
    _shown.append(what)


def owned_by(person: Person, owned: QuerySet) -> QuerySet:
    """Narrow a query over owned things down to what lies on a person's own list."""
    return owned if person.is_staff else owned.filter(owner=person)


def may_see(person: Person, owned: Any, address: str = "") -> bool:
    """Tell whether a person may see an owned thing, whose owner is known with their lesson.

    address: the name of the address that is asked for: what is shown is shown there only.
    """
    if person.is_staff or owned.owner_id == person.pk:
        return True
    if person.is_group:
        return any(owned.pk in what(person, address) for what in _shown)
    lesson = owned.owner.lesson
    return lesson is not None and lesson.teacher_id == person.pk


def may_change(person: Person, owned: Any) -> bool:
    """Tell whether a person may change an owned thing."""
    return person.is_staff or owned.owner_id == person.pk


def refuse_change(person: Person, owned: Any) -> None:
    """Raise NotYours where a person may see a thing but not change it."""
    if not may_change(person, owned):
        raise NotYours(f"This is {owned.owner}’s work. You can look at it; only {owned.owner} "
                       "changes it.")  # fmt: skip


def may_teach(person: Person) -> bool:
    """Tell whether a person makes experiments and lessons and has the Bench."""
    return not person.is_group


def refuse_group(person: Person) -> None:
    """Raise NotYours for a group."""
    if not may_teach(person):
        raise NotYours("This is your teacher’s. Ask them to do it.")


def for_teachers(view):
    """Keep a view from groups."""

    @wraps(view)
    def guarded(request, *args, **kwargs):
        refuse_group(request.user)
        return view(request, *args, **kwargs)

    return guarded


def for_managers(view):
    """Keep a view to those who look after Galena."""

    @wraps(view)
    def guarded(request, *args, **kwargs):
        if not request.user.is_staff:
            raise NotYours("Only those who look after this Galena do that. Ask one of them.")
        return view(request, *args, **kwargs)

    return guarded


def lessons_of(person: Person) -> QuerySet[Lesson]:
    """List the lessons that a person holds; staff hold all."""
    lessons = Lesson.objects.select_related("teacher")
    if person.is_group:
        return lessons.none()
    return lessons if person.is_staff else lessons.filter(teacher=person)


def lesson_for(request, lesson_id: int) -> Lesson:
    """Give a lesson that the person holds, or answer that there is none."""
    return get_object_or_404(lessons_of(request.user), pk=lesson_id)


def group_in(lesson: Lesson, group_id: int) -> Person:
    """Give a group of a lesson, or answer that there is none."""
    return get_object_or_404(lesson.groups, pk=group_id)


def own_lesson(request) -> Lesson:
    """Give the lesson that the group that asks is in, or answer that there is none."""
    return get_object_or_404(
        Lesson.objects.select_related("teacher"), pk=request.user.lesson_id, ended_at=None
    )
