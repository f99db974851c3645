"""A client whose pages are read as a browser reads them: line breaks of a template are blanks."""

import re

from django.core.signals import setting_changed
from django.http import HttpResponse
from django.test import Client


def in_one_line(html: str) -> str:
    """Give HTML with single blanks, and none before the end of a tag."""
    return re.sub(r"[ \t\r\n]+", " ", html).replace(" >", ">")


class InOneLine(HttpResponse):
    """A page as `text` without the line breaks of its template; `content` is as it was sent."""

    @property
    def text(self):
        return in_one_line(self.content.decode(self.charset))


# What answers requests, with or without their token: made ready once, for that takes longer than
# most pages, and again where a test changes settings.
_HANDLERS = {}
setting_changed.connect(lambda **_: _HANDLERS.clear(), weak=False)


class PageClient(Client):
    def __init__(self, *given, **named):
        super().__init__(*given, **named)
        self.handler = _HANDLERS.setdefault(self.handler.enforce_csrf_checks, self.handler)

    def request(self, **request):
        response = super().request(**request)
        is_page = response.headers.get("Content-Type", "").startswith("text/html")
        if type(response) is HttpResponse and is_page:
            response.__class__ = InOneLine
        return response
