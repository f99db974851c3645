"""The first teacher's account, and the page of people."""

from math import ceil
from typing import Any

from django.contrib import messages
from django.contrib.auth import login, update_session_auth_hash
from django.contrib.auth.decorators import login_not_required
from django.http import Http404
from django.shortcuts import get_object_or_404, redirect, render
from django.views.decorators.http import require_GET, require_http_methods, require_POST

from galena.classroom import people as flows
from galena.classroom.backend import PATH
from galena.classroom.models import Person
from galena.classroom.patience import PATIENCE
from galena.classroom.people import FIRST, PersonError
from galena.classroom.permissions import NotYours, for_managers, for_teachers
from galena.shell.security_log import note

LONGEST_PASSWORD = 1000


@login_not_required
@require_http_methods(["GET", "POST"])
def first_teacher(request, key: str):
    """Make the first account at the one-time address that the terminal has shown."""
    here = request.META.get("REMOTE_ADDR", "")
    if PATIENCE.wait("", here) > 0 or not FIRST.opens(key):
        PATIENCE.failed("", here)
        raise Http404("There is no such address, or an account was made by it already.")
    context: dict[str, Any] = {"key": key, "name": "", "called": "", "trouble": None}
    if request.method == "POST":
        name, called, password = _typed(request)
        try:
            person = FIRST.make_teacher(key, name, called, password)
        except PersonError as error:
            context |= {"name": name, "called": called, "trouble": error}
            return render(request, "classroom/first.html", context, status=422)
        if person is None:
            raise Http404("An account was made by this address already.")
        note("first account made", request, who=person.username)
        login(request, person, backend=PATH)
        return redirect("experiments")
    return render(request, "classroom/first.html", context)


@require_GET
@for_teachers
def people(request):
    """Show who can sign in as a teacher."""
    return _page(request)


@require_POST
@for_managers
def add(request):
    """Make an account for another teacher."""
    name, called, password = _typed(request)
    try:
        person = flows.add(name, called, password, manages="manages" in request.POST)
    except PersonError as error:
        return _page(request, trouble=error, typed={"name": name, "called": called})
    note("account made", request, who=person.username, manages=person.is_staff)
    return _done(request, f"{person} can sign in as {person.username}.")


@require_POST
@for_teachers
def new_password(request, person_id: int):
    """Set a new password: one's own, or, for those who look after Galena, anybody's."""
    person = _teacher(person_id)
    if person != request.user and not request.user.is_staff:
        raise NotYours("Only those who look after this Galena set another one's password.")
    try:
        if person == request.user:
            _refuse_another(request, person)
        flows.new_password(person, request.POST.get("password", "")[:LONGEST_PASSWORD])
    except PersonError as error:
        return _page(request, trouble=error, opened=person.pk)
    note("new password", request, who=person.username)
    if person == request.user:
        update_session_auth_hash(request, person)  # this browser stays signed in
    return _done(request, f"{person} has a new password, and is signed out elsewhere.")


def _refuse_another(request, person: Person) -> None:
    """Raise PersonError where whoever sits here does not know the present password: it may be a
    teacher's computer that was left alone."""
    who = person.username, request.META.get("REMOTE_ADDR", "")
    if (seconds := PATIENCE.wait(*who)) > 0:
        raise PersonError("present", f"Wait {ceil(seconds)} s, then try again.")
    given = request.POST.get("present", "")[:LONGEST_PASSWORD]
    if person.has_usable_password() and not person.check_password(given):
        PATIENCE.failed(*who)
        note("wrong password", request, who=person.username)
        raise PersonError("present", "That is not your present password. Nothing was changed.")


@require_POST
@for_managers
def take_away(request, person_id: int):
    """Close an account; its work stays."""
    person = _teacher(person_id)
    if person == request.user:
        trouble = PersonError(
            "person", "That is you. Have somebody else who looks after Galena do it."
        )
        return _page(request, trouble=trouble)
    try:
        flows.take_away(person)
    except PersonError as error:
        return _page(request, trouble=error)
    note("account closed", request, who=person.username)
    return _done(request, f"{person} cannot sign in any more. Their work stays where it is.")


@require_POST
@for_managers
def let_in_again(request, person_id: int):
    """Open an account again."""
    person = _teacher(person_id)
    flows.let_in_again(person)
    note("account opened", request, who=person.username)
    return _done(request, f"{person} can sign in again, with the password of before.")


def _teacher(person_id: int) -> Person:
    return get_object_or_404(flows.teachers(), pk=person_id)


def _typed(request) -> tuple[str, str, str]:
    sent = request.POST
    return (
        sent.get("name", "")[:1000], sent.get("called", "")[:1000],
        sent.get("password", "")[:LONGEST_PASSWORD],
    )  # fmt: skip


def _done(request, word: str):
    """Say what was done, on the page as it is loaded anew: going back repeats nothing."""
    messages.success(request, word)
    return redirect("people")


def _page(request, *, trouble=None, typed=None, opened: int | None = None):
    context = {
        "people": flows.teachers(),
        "trouble": trouble,
        "typed": typed or {},
        "opened": opened,
        "place": "people",
    }
    return render(request, "classroom/people.html", context, status=422 if trouble else 200)
