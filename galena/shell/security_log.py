"""What is written down of who comes in, is refused, or changes an account: a line for each event in
`security.log` of the data folder, in UTC. No password, code or reading is ever in it.
"""

import logging
import time

from django.http import HttpRequest

LONGEST = 150  # characters of a name or an address
_log = logging.getLogger("galena.security")


class InUtc(logging.Formatter):
    """Writes times as UTC, as lines from several computers can be put beside each other."""

    converter = time.gmtime  # type: ignore[assignment]  # of one argument, as the stub forgets
    default_time_format = "%Y-%m-%dT%H:%M:%S"
    default_msec_format = "%s.%03dZ"


def note(event: str, request: HttpRequest | None, **about: object) -> None:
    """Write an event down: what happened, who did it from where, and what it was about."""
    told = {"by": getattr(getattr(request, "user", None), "username", "") or "nobody"}
    if request is not None:
        told |= {"from": request.META.get("REMOTE_ADDR", "-"), "at": request.path}
    written = " ".join(f"{name}={_in_a_line(value)}" for name, value in (told | about).items())
    _log.info("%s %s", event, written)


def _in_a_line(value: object) -> str:
    """Write what somebody may have typed so that it cannot begin a line of its own."""
    return ascii(str(value)[:LONGEST])
