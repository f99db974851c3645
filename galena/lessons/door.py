"""The door of a lesson: under which address groups come in, as a QR code and as text."""

import io

import segno
from django.urls import reverse
from django.utils.safestring import mark_safe

from galena.classroom.models import Lesson
from galena.shell.room import ROOM


def door_context(request, lesson: Lesson) -> dict:
    """Give what the door shows: addresses, the first of them as a QR code with the code in it."""
    addresses = ROOM.addresses()
    here = request.get_host()
    shown = addresses or [here]
    link = f"{request.scheme}://{shown[0]}{reverse('come-in')}?code={lesson.code.replace(' ', '')}"
    return {
        "addresses": shown,
        "certificates": ROOM.certificate_addresses(),
        "is_open_to_room": ROOM.is_open and bool(addresses),
        "qr": mark_safe(qr_code(link)),
        "link": link,
    }


def qr_code(text: str) -> str:
    """Draw a QR code (ISO/IEC 18004, error correction M) as SVG that takes the size of its box."""
    file = io.BytesIO()
    segno.make(text, error="m", micro=False).save(
        file, kind="svg", border=2, xmldecl=False, svgns=False, omitsize=True, dark="#1f2830",
        light="#ffffff", svgclass=None, lineclass=None, title="QR code of the address",
    )  # fmt: skip
    return file.getvalue().decode()
