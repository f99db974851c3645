"""The decimal sign that a person has chosen to see: a point, or a comma (ISO 80000-1, 7.3.2).

What is kept, worked out and written into data files has the point, whoever looks. The comma comes
in on the way out, into what is read: text, what a screen reader says, the words in a drawing, and
what stands in a field for a number, which is read back with either sign (core.numbers). Not into
what is a program's or a formula's: other fields, scripts, `code` and `samp`.
What a page's scripts write follows `static/shell/js/decimal_sign.js`; tests/js compares the two.
"""

import re

from asgiref.sync import iscoroutinefunction
from django.utils.decorators import sync_and_async_middleware

# A version, a network address or a name with a number in it is no decimal number.
_DECIMAL = re.compile(r"(?<![\w.])(\d+)\.(\d+)(?!\.?\d)", re.ASCII)
_PARTS = re.compile(
    r"(?P<verbatim><(?P<element>script|style|textarea|code|samp)\b.*?</(?P=element)\s*>|<!--.*?-->)"
    r"|(?P<tag><(?:[^>\"']|\"[^\"]*\"|'[^']*')*>)"
    r"|(?P<text>[^<]+|<)",
    re.DOTALL,
)
_SPOKEN = re.compile(r"(?<=\s)((?:aria-label|aria-valuetext|title|alt)=\")([^\"]*)")
_FOR_NUMBER = re.compile(
    r"<input\b(?!.*?\stype=\"(?!text\"))"
    r"(?=.*?\s(?:class=\"(?:[^\"]*\s)?(?:number|cell)[\s\"]|inputmode=\"decimal\"))",
    re.DOTALL,
)
# Units and symbols stand in such fields too: a unit begins with no digit, or has powers.
_TYPED = re.compile(r"(?<=\s)((?:value|placeholder)=\")([-+−(]?\d[^\"^]*)(?=\")")
READ = ("text/html", "image/svg+xml")  # media types of what is read


def with_comma(text: str) -> str:
    """Write the decimal numbers in plain text with a comma."""
    return _DECIMAL.sub(r"\1,\2", text)


def markup_with_comma(markup: str) -> str:
    """Write the decimal numbers that are read in HTML or SVG with a comma."""
    return _PARTS.sub(_part, markup)


def _part(match: re.Match) -> str:
    if match["text"]:
        return with_comma(match["text"])
    if match["tag"]:
        tag = _SPOKEN.sub(_attribute, match["tag"])
        return _TYPED.sub(_attribute, tag) if _FOR_NUMBER.match(tag) else tag
    return match[0]


def _attribute(match: re.Match) -> str:
    return match[1] + with_comma(match[2])


def as_read_by(person, markup: str) -> str:
    """Write markup as a person has chosen to read it."""
    return markup_with_comma(markup) if chooses_comma(person) else markup


def chooses_comma(person) -> bool:
    """Whether somebody has chosen the comma; who is not signed in has not."""
    return getattr(person, "reads_comma", False)


@sync_and_async_middleware
def decimal_sign(get_response):
    """Write pages and drawings with the decimal sign that the person has chosen."""

    def written(request, response):
        # Who asks was looked up before the page was made; to ask again here would be a query.
        if _is_read(response) and chooses_comma(getattr(request, "_cached_user", None)):
            response.content = markup_with_comma(response.content.decode()).encode()
        return response

    if iscoroutinefunction(get_response):

        async def waited_for(request):
            return written(request, await get_response(request))

        return waited_for

    def middleware(request):
        return written(request, get_response(request))

    return middleware


def _is_read(response) -> bool:
    if response.streaming or not response.headers.get("Content-Type", "").startswith(READ):
        return False
    is_file = response.headers.get("Content-Disposition", "").startswith("attachment")
    return not is_file or response.headers["Content-Type"].startswith("image/")
