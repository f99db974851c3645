import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from galena.core.calibration import Correction


@given(st.floats(-1e6, 1e6), st.floats(-1e6, 1e6))
def test_a_correction_can_be_taken_back(zero, raw):
    correction = Correction(zero)
    assert correction.invert(correction.apply(np.array([raw])))[0] == pytest.approx(raw, abs=1e-9)


def test_the_zero_is_read_as_zero():
    assert list(Correction(3.2).apply(np.array([3.2, 5.2]))) == [0.0, 2.0]


def test_a_zero_that_is_no_number_is_refused():
    with pytest.raises(ValueError, match="finite"):
        Correction(float("nan"))
