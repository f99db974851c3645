import numpy as np
import pytest
from django.urls import reverse

from galena.bench.live import microphone_views
from galena.bench.live.bench import BENCH
from tests.waiting import until

HEARD = {"serial": "00c0ffee", "listening": "0badf00d", "rate": "48000", "first": "0"}


@pytest.fixture
def hear(room, as_ada, experiment):
    microphone_views.forget()

    def send(samples=b"", **query):
        parts = "&".join(f"{name}={value}" for name, value in (HEARD | query).items())
        url = reverse("hear", args=[experiment.pk])
        return as_ada.post(f"{url}?{parts}", samples, content_type="application/octet-stream")

    return send


def test_what_a_browser_hears_becomes_strips(hear, experiment):
    first = 0

    def go_on():
        nonlocal first
        t = np.arange(first, first + 4800) / 48_000
        samples = np.rint(16_000 * np.sin(2 * np.pi * 440 * t)).astype("<i2").tobytes()
        assert hear(samples, first=first).status_code == 204
        first += 4800
        return len(BENCH.live_channels()) == 4

    until(go_on, "the microphone")
    BENCH.show(experiment)
    until(lambda: go_on() and BENCH.strips_of(experiment)[2].values.size > 10, "readings")
    level = BENCH.strips_of(experiment)[2]
    assert (level.shown.symbol, level.shown.unit) == ("L", "dB")
    assert level.latest == pytest.approx(20 * np.log10(16 / 32.768 / np.sqrt(2)), abs=0.2)


@pytest.mark.parametrize(
    ("query", "samples", "words"),
    [
        ({"serial": "../etc"}, b"", "do not say whose they are"),
        ({"rate": "x"}, b"", "do not say when they are from"),
        ({"rate": "10"}, b"", "No sound is sampled like this"),
        ({"first": "-1"}, b"", "No sound is sampled like this"),
        ({}, b"odd", "are not whole"),
        ({}, bytes(400_002), "are not whole"),
    ],
    ids=["serial", "no rate", "rate", "first", "odd", "long"],
)
def test_what_is_no_sound_is_refused(hear, query, samples, words):
    answer = hear(samples, **query)
    assert answer.status_code == 400
    assert words in answer.text


def test_a_second_window_with_the_same_microphone_is_refused(hear):
    assert hear(bytes(100)).status_code == 204
    answer = hear(bytes(100), listening="12345678", first=4096)
    assert answer.status_code == 409
    assert "Another window listens with this microphone" in answer.text


def test_there_are_no_more_microphones_than_fit(hear, monkeypatch):
    monkeypatch.setattr(microphone_views, "MOST_MICROPHONES", 1)
    assert hear(bytes(100)).status_code == 204
    assert hear(bytes(100), serial="00000001").status_code == 409
