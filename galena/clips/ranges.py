"""Parts of a file over HTTP, so that a film can be stepped through before all of it has come.

Source: RFC 9110, 14.
"""

import re
from pathlib import Path

from django.http import FileResponse, HttpResponse

_RANGE = re.compile(r"bytes=(\d*)-(\d*)")
MOST = 2_000_000  # bytes of one answer


def ranged(request, path: Path, content_type: str):
    """Answer with a file, or with the part that was asked for."""
    if not path.exists():
        return HttpResponse("This film is not there any more.", status=404)
    size = path.stat().st_size
    asked = _RANGE.fullmatch(request.headers.get("Range", "").strip())
    if (asked is None or asked.group(0) == "bytes=-") and size <= MOST:
        response = HttpResponse(path.read_bytes(), content_type=content_type)
    elif asked is None or asked.group(0) == "bytes=-":
        response = FileResponse(path.open("rb"), content_type=content_type)
    else:
        first, last = _ends(asked, size)
        if first > last or first >= size:
            return HttpResponse(status=416, headers={"Content-Range": f"bytes */{size}"})
        last = min(last, first + MOST - 1)  # the rest is asked for when it is wanted
        with path.open("rb") as file:
            file.seek(first)
            part = file.read(last - first + 1)
        response = HttpResponse(part, status=206, content_type=content_type)
        response.headers["Content-Range"] = f"bytes {first}-{last}/{size}"
    response.headers["Accept-Ranges"] = "bytes"
    response.headers["Cache-Control"] = "private, max-age=86400"
    return response


def _ends(asked: re.Match, size: int) -> tuple[int, int]:
    first, last = asked.groups()
    if not first:  # the last so many bytes
        return max(0, size - int(last)), size - 1
    return int(first), min(int(last) if last else size - 1, size - 1)
