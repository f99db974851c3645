"""The pages for when something went wrong."""

from django.http import HttpResponse
from django.shortcuts import render

from galena.shell.security_log import note


def _page(request, status: int, title: str, message: str):
    return render(request, "shell/error.html", {"title": title, "message": message}, status=status)


def bad_request(request, exception=None):
    return _page(
        request, 400, "That request made no sense", "Go back and try again from the page itself."
    )


def forbidden(request, exception=None):
    note("refused", request)
    words = str(exception or "") or "Ask whoever made it, or sign in as them."
    if request.headers.get("HX-Request"):
        return HttpResponse(words, status=403, content_type="text/plain; charset=utf-8")
    return _page(request, 403, "This is not yours to change", words)


def csrf_failure(request, reason=""):
    note("refused without a token", request)
    return _page(
        request,
        403,
        "Nothing was changed",
        "This page was open for too long, or you signed in again elsewhere. "
        "Load it again and repeat the last step.",
    )


def not_found(request, exception=None):
    return _page(
        request,
        404,
        "There is nothing here",
        "The experiment or run may have been removed, or belongs to someone else.",
    )


def server_error(request):
    return _page(
        request,
        500,
        "Something broke inside Galena",
        "Nothing recorded is lost. Load the page again; if it happens again, restart Galena.",
    )
