"""What a request asks for, read once: keys, whole numbers, places and lists from forms and
addresses. What cannot be meant is answered with 404 or 422 and never reaches a database.
"""

import re
from collections.abc import Iterable
from typing import Any

from django.http import Http404, HttpRequest, HttpResponse
from django.shortcuts import render

from galena.core import numbers
from galena.core.errors import GalenaError
from galena.core.formats import bounded_json

LONGEST_KEY = 18  # digits: what SQLite keeps as a whole number
MOST_KEYS = 1000
LONGEST_LIST = 20_000  # characters of JSON in a field
_KEY = re.compile(rf"[0-9]{{1,{LONGEST_KEY}}}", re.ASCII)
_WHOLE = re.compile(r"[-+]?[0-9]{1,15}", re.ASCII)
_ENDLESS = re.compile(r"[-+]?(inf|nan|Infinity|NaN)")
_NUMBER = re.compile(r"[-+]?(\d+\.?\d*|\.\d+)([eE][-+]?\d{1,3})?", re.ASCII)
_LONGEST_NUMBER = 40


class RequestError(GalenaError, ValueError):
    """A request names what cannot be: it is answered with 422."""


class KeyInPath:
    """A key in an address, for Django's paths: `<key:run_id>`."""

    regex = f"[0-9]{{1,{LONGEST_KEY}}}"

    def to_python(self, value: str) -> int:
        return int(value)

    def to_url(self, value: int) -> str:
        return str(value)


def key_or_none(text: str | None) -> int | None:
    """Read the key of a row; None where the text is none."""
    return int(text) if text is not None and _KEY.fullmatch(text) else None


def key(text: str | None) -> int:
    """Read the key of a row. Raises Http404, as for a row that is not there."""
    key_read = key_or_none(text)
    if key_read is None:
        raise Http404("There is no such key.")
    return key_read


def keys(texts: Iterable[str]) -> list[int]:
    """Read several keys, leaving out what is none."""
    read = [key_or_none(one) for one in texts]
    return [one for one in read if one is not None][:MOST_KEYS]


def whole(
    text: str | None,
    name: str,
    lo: int,
    hi: int,
    *,
    otherwise: int | None = None,
    clip: bool = False,
) -> int:
    """Read a whole number from `lo` to `hi`; `otherwise` stands for an empty one.

    clip: one beyond its bounds is taken for the bound. Raises RequestError.
    """
    typed = (text or "").strip()
    if not typed and otherwise is not None:
        return otherwise
    if not _WHOLE.fullmatch(typed):
        raise RequestError(f"{name} go from {lo} to {hi}. Type a whole number.")
    if clip:
        return min(max(int(typed), lo), hi)
    if not lo <= int(typed) <= hi:
        raise RequestError(f"{name} go from {lo} to {hi}, not {typed}.")
    return int(typed)


def number(text: str | None, name: str) -> float:
    """Read a number as a page's script writes it. Raises RequestError."""
    typed = (text or "").strip()
    if len(typed) > _LONGEST_NUMBER or not _NUMBER.fullmatch(typed):
        raise RequestError(f"{name} is no number.")
    return bounded(float(typed), name)


def end(text: str | None, name: str) -> float | None:
    """Read an end of a window; None, no end, for one beyond all numbers. Raises RequestError."""
    typed = (text or "").strip()
    if len(typed) <= _LONGEST_NUMBER and (_ENDLESS.fullmatch(typed) or _NUMBER.fullmatch(typed)):
        value = float(typed)
        return value if abs(value) <= numbers.LARGEST else None
    return number(text, name)


def bounded(value: object, name: str) -> float:
    """Take a number out of a list. Raises RequestError for all else, and for what is too large."""
    try:
        return bounded_json.number(value)
    except ValueError as error:
        raise RequestError(f"{name}: {error}.") from None


def listed(text: str | None, name: str) -> Any:
    """Read lists and names of values that a page's script has written as JSON.

    Raises RequestError where it is none, too long or too deep.
    """
    try:
        return bounded_json.read(text or "", LONGEST_LIST)
    except ValueError:
        raise RequestError(f"{name} cannot be read.") from None


def refused(
    request: HttpRequest,
    reason: str,
    title: str = "That request made no sense",
    *,
    status: int = 422,
) -> HttpResponse:
    """Answer why a request got nothing: in a line for a page's script, else with a page."""
    if request.headers.get("HX-Request") or request.headers.get("Accept", "").startswith("*/*"):
        return HttpResponse(reason, status=status, content_type="text/plain; charset=utf-8")
    context = {"title": title, "message": reason}
    return render(request, "shell/error.html", context, status=status)
