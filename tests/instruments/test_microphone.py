import numpy as np
import pytest

from galena.instruments.address import Address
from galena.instruments.errors import LinkLost, RequestRefused
from galena.instruments.link import Link
from galena.instruments.microphone import Microphone
from tests.waiting import until

RATE = 48_000


def tone(first, count, amplitude=0.5, hertz=1000.0):
    t = np.arange(first, first + count) / RATE
    return np.rint(amplitude * 32767 * np.sin(2 * np.pi * hertz * t)).astype("<i2")


class Speaker:
    """Keeps a microphone hearing a tone, batch by batch."""

    def __init__(self, microphone):
        self.microphone, self.first = microphone, 0

    def say(self, count=4800, listening="a", **how):
        self.microphone.hear(listening, RATE, self.first, tone(self.first, count, **how))
        self.first += count


@pytest.fixture
def heard():
    microphone = Microphone("00c0ffee")
    speaker = Speaker(microphone)
    speaker.say()
    blocks = []
    where = Address("browser", "00c0ffee", 0)
    link = Link(where, lambda _, block, stream: blocks.append(block), connect=microphone.open)
    link.speaker, link.blocks = speaker, blocks
    link.start()
    until(lambda: speaker.say() or link.state.health == "well", "the microphone")
    yield link
    link.stop()


def all_of(link):
    return [np.concatenate([getattr(block, name) for block in link.blocks]) for name in
            ("sequence", "stamps", "values")]  # fmt: skip


def test_a_microphone_is_an_instrument_like_any_other(heard):
    assert heard.identity.serial == "00c0ffee"
    assert [channel.symbol for channel in heard.channels] == ["L", "p"]
    until(lambda: heard.speaker.say() or sum(map(len, heard.blocks)) > 30, "readings")
    _, stamps, values = all_of(heard)
    # A sine of half the full scale has a mean square of 1/8.
    assert values[-1, 0] == pytest.approx(10 * np.log10(1 / 8), abs=0.11)
    assert np.diff(stamps)[5:] == pytest.approx(50_000, abs=30)


def test_a_short_waveform_is_taken_sample_by_sample(heard):
    heard.restart(10_000.0, lambda *_: None)
    heard.blocks.clear()
    until(lambda: heard.speaker.say() or sum(map(len, heard.blocks)) > 3000, "readings")
    _, stamps, values = all_of(heard)
    expected = 50 * np.sin(2 * np.pi * 1000 * stamps / 1e6)
    assert np.abs(values[:, 1] - expected).max() < 0.5  # stamps are whole microseconds


def test_samples_that_were_lost_are_counted_as_lost(heard):
    heard.restart(100.0, lambda *_: None)
    heard.speaker.say()
    heard.speaker.first += RATE  # a second of sound that never came
    until(lambda: heard.speaker.say() or heard.counts.lost >= 90, "the gap")
    assert heard.counts.lost <= 110


def test_rates_beyond_the_waveform_are_refused(heard):
    with pytest.raises(RequestRefused, match="at most 10000"):
        heard.restart(20_000.0)


def test_a_page_loaded_anew_is_a_device_switched_on_anew(heard):
    heard.speaker.first = 0
    heard.speaker.say(listening="b")
    until(lambda: heard.state.health == "gone", "the break")
    until(
        lambda: heard.speaker.say(listening="b") or heard.state.health == "well",
        "the microphone of the new page",
    )


def test_nobody_listens():
    with pytest.raises(LinkLost, match="the page that listens is closed"):
        Microphone("00000000").open()
