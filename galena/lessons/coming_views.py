"""Where groups come in by the code, and back by their word; open to everybody, a few times."""

import re
import secrets
from math import ceil

from django.contrib.auth import login
from django.contrib.auth.decorators import login_not_required
from django.shortcuts import redirect, render
from django.views.decorators.http import require_http_methods, require_POST

from galena.classroom.backend import PATH
from galena.classroom.models import Person
from galena.classroom.patience import GUESSES
from galena.lessons import coming_in
from galena.lessons.errors import LessonError
from galena.lessons.forms import JoinForm
from galena.lessons.live import tell_teacher
from galena.shell import fields
from galena.shell.security_log import note

TICKET = re.compile(r"[0-9a-f]{16}", re.ASCII)


@login_not_required
@require_http_methods(["GET", "POST"])
def come_in(request):
    """Show where a code is typed, and let a group in that has one."""
    if request.method == "GET":
        if request.user.is_authenticated and request.user.is_group:
            return redirect("my-lesson")
        return _page(request, code=request.GET.get("code", "")[:20])
    typed = fields.read(JoinForm, request.POST)
    ticket = request.POST.get("ticket", "")
    ticket = ticket if TICKET.fullmatch(ticket) else secrets.token_hex(8)
    return _let_in(request, typed, lambda: coming_in.come_in(typed["code"], typed["name"], ticket))


@login_not_required
@require_POST
def come_back(request):
    """Let a group in again, on another device, by its own word."""
    typed = fields.read(JoinForm, request.POST)
    return _let_in(request, typed, lambda: coming_in.come_back(typed["code"], typed["word"]),
                   back=True)  # fmt: skip


def _let_in(request, typed: dict, way, back: bool = False):
    address = request.META.get("REMOTE_ADDR", "")
    if (seconds := GUESSES.wait(address)) > 0:
        trouble = (
            f"Too many wrong codes from here just now. Wait {ceil(seconds)} s, then try again."
        )
        response = _page(request, **typed, trouble=trouble, back=back, status=429)
        response["Retry-After"] = str(ceil(seconds))
        return response
    try:
        group: Person = way()
    except LessonError as error:
        if error.field in ("code", "word"):
            GUESSES.wrong(address)
            note("wrong code", request)
        return _page(request, **typed, trouble=str(error), field=error.field, back=back, status=422)
    login(request, group, backend=PATH)
    tell_teacher(group.lesson_id)
    return redirect("my-lesson")


def _page(request, code="", name="", word="", trouble="", field="", back=False, status=200):
    context = {
        "code": code, "name": name, "word": word, "trouble": trouble, "field": field,
        "back": back, "ticket": secrets.token_hex(8),
    }  # fmt: skip
    return render(request, "lessons/come_in.html", context, status=status)
