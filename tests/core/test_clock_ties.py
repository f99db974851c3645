"""A run's clock and a film's, tied by moments that both have seen."""

import pytest
from hypothesis import given
from hypothesis import strategies as st

from galena.core.clock_ties import ClockTie, tied
from galena.core.errors import GeometryError

TIME = st.floats(-1000, 1000)


def test_one_moment_tells_how_far_both_are_apart():
    assert tied([(2.5, 0.75)]) == ClockTie(-1.75)
    assert tied([(2.5, 0.75)]).in_film(4.5) == pytest.approx(2.75)


def test_a_second_moment_tells_the_drift():
    drifting = tied([(2.0, 1.0), (102.0, 101.5)])
    assert drifting.rate == pytest.approx(1.005)
    assert drifting.in_film(2.0) == pytest.approx(1.0)
    assert drifting.in_film(52.0) == pytest.approx(51.25)


@given(TIME, TIME, TIME)
def test_times_lead_there_and_back(run, film, moment):
    one, two = tied([(run, film)]), tied([(run, film), (run + 10, film + 10.01)])
    for tie in (one, two):
        assert tie.in_run(tie.in_film(moment)) == pytest.approx(moment, abs=1e-6)


@pytest.mark.parametrize("second", [(2.0, 3.0), (1.0, 2.0), (3.0, 0.5)])
def test_moments_that_contradict_each_other_are_refused(second):
    with pytest.raises(GeometryError, match="contradict each other"):
        tied([(2.0, 1.0), second])
