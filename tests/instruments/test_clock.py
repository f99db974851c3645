import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from galena.instruments.clock import DeviceClock, RoundTrip
from galena.instruments.errors import RequestRefused


def asked(at_us, ppm, start_us, there, back, pace=1.0):
    """A round trip that starts at a time, with so many µs there and back."""
    device = start_us + (at_us + there) * pace * (1 + ppm / 1e6)
    return RoundTrip(at_us, at_us + there + back, device, pace)


@given(st.floats(-100, 100), st.floats(0, 1e9), st.integers(0, 50))
def test_the_shortest_trip_gives_the_offset_within_half_of_it(ppm, start, seed):
    chance = np.random.default_rng(seed)
    clock = DeviceClock()
    for number in range(10):
        there, back = 50 + chance.exponential(300, 2)
        clock.add(asked(number * 1000.0, ppm, start, there, back))
    found = clock.estimate()
    truth = start + 10_000 * (1 + ppm / 1e6)
    assert abs(found.device_at(10_000.0) - truth) <= clock.best_delay_us / 2 + 2
    assert found.u_us == pytest.approx(clock.best_delay_us / 2 / 3**0.5, rel=0.02)


def test_an_answer_is_a_clock_its_pace_and_its_uncertainty():
    assert RoundTrip.of_answer("12.5", 1.0, 3.0) == RoundTrip(1.0, 3.0, 12.5)
    assert RoundTrip.of_answer("7,20,0.5,more", 1.0, 3.0) == RoundTrip(1.0, 3.0, 7.0, 20.0, 0.5)


@pytest.mark.parametrize(
    "answer", ["", "noon", "nan", "inf", "1e17", "5,0", "5,-1", "5,nan", "5,1,-1"]
)
def test_an_answer_that_is_no_clock_is_refused_in_words(answer):
    with pytest.raises(RequestRefused, match=f"it answered “{answer}” when asked its clock"):
        RoundTrip.of_answer(answer, 1.0, 3.0)


@pytest.mark.parametrize("ppm", [-80.0, 0.0, 45.0])
@pytest.mark.parametrize("pace", [1.0, 20.0])
def test_the_drift_comes_out_of_trips_over_a_minute(ppm, pace):
    chance = np.random.default_rng(7)
    clock = DeviceClock()
    for second in range(60):
        for round_ in range(3):
            there, back = 60 + chance.exponential(40, 2)
            clock.add(asked(second * 1e6 + round_ * 500, ppm, 5e6, there, back, pace))
    found = clock.estimate()
    assert found.drift_ppm == pytest.approx(ppm, abs=1.0)
    truth = 5e6 + 30e6 * pace * (1 + ppm / 1e6)
    assert found.device_at(30e6) == pytest.approx(truth, abs=30 * pace)
    assert found.host_at(found.device_at(30e6)) == pytest.approx(30e6)


def test_a_clock_that_was_set_anew_begins_anew():
    clock = DeviceClock()
    clock.add(RoundTrip(0, 100, 50_000_000))
    clock.add(RoundTrip(1000, 1200, 7))
    assert clock.estimate().device_us == 7
    clock.add(RoundTrip(2000, 2200, 1007, pace=5.0))
    assert clock.estimate().pace == 5.0


def test_a_clock_that_was_never_asked_runs_with_this_computers():
    assert DeviceClock().estimate().device_at(5.0) == 5.0
