"""A browser's microphone as an instrument of the bench: its samples come in by POST."""

import re
import threading
from dataclasses import dataclass

import numpy as np
from django.http import HttpResponse
from django.views.decorators.http import require_POST

from galena.bench.live.bench import BENCH
from galena.experiments.access import experiment_for
from galena.instruments.address import Address
from galena.instruments.errors import InstrumentError
from galena.instruments.microphone import RATES, Microphone
from galena.shell import requested

MOST_SAMPLES = 200_000
MOST_MICROPHONES, MOST_OF_A_PERSON = 40, 2


@dataclass(frozen=True)
class _Heard:
    """A microphone and the key of who lets it be heard."""

    microphone: Microphone
    person: int


_heard: dict[str, _Heard] = {}
_lock = threading.Lock()


@require_POST
def hear(request, experiment_id: int):
    """Take samples of a microphone: 16-bit whole numbers, little-endian, in the body."""
    experiment_for(request, experiment_id)
    serial, listening = request.GET.get("serial", ""), request.GET.get("listening", "")
    if not re.fullmatch(r"[0-9a-f]{8}", serial) or not re.fullmatch(r"[0-9a-f]{8}", listening):
        return _refused("These samples do not say whose they are. Load the page again.")
    try:
        rate = requested.whole(request.GET.get("rate"), "rate", 0, 10**9)
        first = requested.whole(request.GET.get("first"), "first", -1, 10**15 - 1)
    except requested.RequestError:
        return _refused("These samples do not say when they are from. Load the page again.")
    body = request.body
    if not RATES[0] <= rate <= RATES[1] or first < 0:
        return _refused("No sound is sampled like this. Load the page again.")
    if len(body) % 2 or len(body) > 2 * MOST_SAMPLES:
        return _refused("These samples are not whole. Load the page again.")
    try:
        microphone = _microphone(serial, request.user.pk)
    except InstrumentError as error:
        return _refused(str(error), 409)
    if microphone.is_heard and microphone.listening != listening and first:
        refusal = "Another window listens with this microphone. Close one of the two."
        return _refused(refusal, 409)
    microphone.hear(listening, rate, first, np.frombuffer(body, dtype="<i2"))
    group = request.user.pk if request.user.is_group else None
    BENCH.connect(_address(serial), microphone.open, group)
    return HttpResponse(status=204)


def forget() -> None:
    """Forget all microphones that were heard."""
    with _lock:
        _heard.clear()


def _microphone(serial: str, person: int) -> Microphone:
    """Give the microphone with a serial. Raises InstrumentError where it is someone else's, or
    one more would be too many."""
    with _lock:
        microphone = _heard.get(serial)
        if microphone is not None and microphone.person == person:
            return microphone.microphone
        if microphone is not None and microphone.microphone.is_heard:
            raise InstrumentError("This microphone is listened with by somebody else.")
        for gone in [key for key, one in _heard.items() if not one.microphone.is_heard]:
            feed = BENCH.feeds.get(_address(gone))
            if feed is None or not feed.link.is_recording:
                del _heard[gone]
                BENCH.disconnect(_address(gone))
        if sum(one.person == person for one in _heard.values()) >= MOST_OF_A_PERSON:
            raise InstrumentError(
                f"You listen with {MOST_OF_A_PERSON} microphones already. Close one of the pages."
            )
        if len(_heard) >= MOST_MICROPHONES:
            raise InstrumentError(f"{MOST_MICROPHONES} microphones are on this bench already.")
        _heard[serial] = _Heard(Microphone(serial), person)
        return _heard[serial].microphone


def _address(serial: str) -> Address:
    return Address("browser", f"microphone {serial}", 0)


def _refused(why: str, status: int = 400) -> HttpResponse:
    return HttpResponse(why, status=status, content_type="text/plain; charset=utf-8")
