import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from galena.core.calibrating import calibrate, residuals
from galena.core.calibration import Calibration, Correction, Standard
from galena.core.errors import CalibrationError

NUMBERS = st.floats(-1e4, 1e4)


def standards(*pairs, u_known=0.0, u_raw=0.0):
    return [Standard(known, raw, u_known, u_raw) for known, raw in pairs]


PH = standards((4.0, 176.5), (7.0, 12.0), (10.0, -152.0), u_known=0.01, u_raw=0.05)


@given(NUMBERS, NUMBERS, st.sampled_from([1, -1]), st.sampled_from([0.1, 1.0, 1000.0]))
def test_a_correction_can_be_taken_back(zero, raw, sign, factor):
    correction = Correction(zero, None, sign, factor)
    assert correction.invert(correction.apply(np.array([raw])))[0] == pytest.approx(raw, abs=1e-6)


@given(st.floats(-150, 170), st.floats(-100, 100), st.sampled_from([1, -1]))
def test_a_calibrated_correction_can_be_taken_back(raw, zero, sign):
    curved = calibrate(
        standards((4.0, 176.5), (7.0, 12.0), (8.6, -80.0), (10.0, -152.0)), "cubic", ""
    )
    correction = Correction(zero, curved, sign)
    there_and_back = correction.invert(correction.apply(np.array([raw])))
    assert there_and_back[0] == pytest.approx(raw, abs=1e-6)


def test_each_step_of_a_correction():
    assert list(Correction(3.2).apply(np.array([3.2, 5.2]))) == [0.0, 2.0]
    assert list(Correction(3.2, None, -1).apply(np.array([3.2, 5.2]))) == [0.0, -2.0]
    assert list(Correction(2.0, None, 1, 0.1).apply(np.array([12.0]))) == [1.0]
    assert list(Correction(None, None, 1, 1.0, 273.15).apply(np.array([0.0]))) == [273.15]
    line = calibrate(standards((0.0, 10.0), (5.0, 20.0)), "line", "mm")
    corrected = Correction(12.0, line, -1, 10.0)
    assert corrected.apply(np.array([12.0, 14.0])) == pytest.approx([0.0, -10.0])
    assert corrected.zero_value == pytest.approx(1.0)


@pytest.mark.parametrize("broken", [{"zero": math.nan}, {"sign": 0}])
def test_a_correction_that_cannot_be_is_refused(broken):
    with pytest.raises(ValueError, match="finite|sign"):
        Correction(**broken)


@given(st.floats(-50, 50), st.floats(0.01, 20) | st.floats(-20, -0.01))
def test_two_standards_give_the_line_through_them(intercept, slope):
    line = calibrate(standards((intercept, 0.0), (intercept + 8 * slope, 8.0)), "line", "N")
    assert line.apply(np.array([3.0]))[0] == pytest.approx(intercept + 3 * slope, abs=1e-9)
    assert line.slope(np.array([5.0]))[0] == pytest.approx(slope)
    assert line.invert(line.apply(np.array([5.0])))[0] == pytest.approx(5.0)
    assert math.isnan(line.residual_sd)


def test_one_standard_gives_an_offset():
    offset = calibrate(standards((100.0, 98.5), u_known=0.1, u_raw=0.05), "offset", "°C")
    assert offset.apply(np.array([20.0]))[0] == pytest.approx(21.5)
    assert offset.uncertainty(np.array([20.0]))[0] == pytest.approx(math.hypot(0.1, 0.05))


def test_several_standards_are_fitted_and_leave_residuals():
    found = calibrate(PH, "line", "")
    left = residuals(found, PH)
    assert left.sum() == pytest.approx(0, abs=1e-6)
    assert np.abs(left).max() < 0.01
    assert found.residual_sd == pytest.approx(math.sqrt((left**2).sum()))


def test_the_curves_pass_through_as_many_standards_as_they_have_parameters():
    points = standards((0.0, 0.0), (1.0, 10.0), (2.5, 20.0), (4.6, 30.0))
    for model, count in (("line", 2), ("quadratic", 3), ("cubic", 4)):
        found = calibrate(points[:count], model, "V")
        assert np.abs(residuals(found, points[:count])).max() < 1e-9
        assert len(found.coefficients) == count


@pytest.mark.parametrize("seed", [1, 2, 3])
def test_the_uncertainty_of_a_line_is_that_of_repeated_calibrations(seed):
    chance = np.random.default_rng(seed)
    raw, known = np.array([0.0, 10.0, 20.0, 30.0]), np.array([1.0, 3.0, 5.0, 7.0])
    found = []
    for _ in range(300):
        points = zip(known + chance.normal(0, 0.1, 4), raw, strict=True)
        line = calibrate([Standard(k, r, 0.1) for k, r in points], "line", "V")
        found.append(line.apply(np.array([5.0]))[0])
    exact = calibrate([Standard(k, r, 0.1) for k, r in zip(known, raw, strict=True)], "line", "V")
    u = exact.uncertainty(np.array([5.0]))[0]
    assert np.std(found) == pytest.approx(u, rel=0.2)  # five standard errors of a spread of 300


def test_what_a_reading_and_the_zero_share_cancels():
    line = calibrate(PH, "line", "")
    assert line.uncertainty(np.array([50.0]), zero=50.0)[0] == 0
    near = line.uncertainty(np.array([51.0]), zero=50.0)[0]
    assert near == pytest.approx(math.sqrt(line.covariance[1][1]), rel=1e-6)


def test_the_uncertainty_is_carried_into_the_unit_shown():
    line = calibrate(PH, "line", "")
    plain, tenfold = Correction(None, line), Correction(None, line, -1, 10.0)
    raw = np.array([20.0])
    assert tenfold.shared_uncertainty(raw) == pytest.approx(10 * plain.shared_uncertainty(raw))
    assert Correction(1.0).shared_uncertainty(raw) == [0.0]


def test_a_curve_goes_on_straight_beyond_its_standards():
    curve = calibrate(standards((0.0, 0.0), (1.0, 10.0), (2.5, 20.0)), "quadratic", "V")
    beyond = curve.apply(np.array([20.0, 30.0, 40.0]))
    assert beyond[1] - beyond[0] == pytest.approx(beyond[2] - beyond[1])
    ends = np.array([-7.0, 3.0, 33.0])
    assert curve.invert(curve.apply(ends)) == pytest.approx(ends)


@pytest.mark.parametrize(
    ("points", "model", "words"),
    [
        ([], "offset", "An offset needs at least one standard; none is taken yet."),
        ([(1, 1)], "line", "A line needs at least two standards; there is only one."),
        ([(1, 1), (2, 2)], "cubic", "A cubic needs at least four standards; there are only 2."),
        ([(7, 1), (7, 2)], "line", "Two standards are equal: both are 7. A line needs two differ"),
        ([(4, 5), (7, 5)], "line", r"reads the standards 4 and 7 the same \(5\)"),
        ([(0, 0), (5, 10), (1, 20)], "quadratic", "A parabola through these standards turns back"),
    ],
)
def test_what_cannot_be_is_refused_with_the_reason(points, model, words):
    with pytest.raises(CalibrationError, match=words):
        calibrate(standards(*points), model, "V")


def test_readings_that_differ_by_no_more_than_their_scatter_are_the_same():
    points = [Standard(4.0, 12.0, 0, 0.5), Standard(7.0, 12.8, 0, 0.5)]
    with pytest.raises(CalibrationError, match="Was it in the second one, and had it settled"):
        calibrate(points, "line", "")


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"centre": math.inf}, "a number that is none"),
        ({"coefficients": (1.0,)}, "not the numbers that its model needs"),
        ({"covariance": ((1.0,),)}, "not the right shape"),
        ({"covariance": ((-1.0, 0.0), (0.0, 0.0))}, "negative variance"),
        ({"coefficients": (1.0, 0.0)}, "turns back"),
    ],
)
def test_a_broken_calibration_is_refused(change, words):
    whole = {
        "model": "line", "unit": "V", "centre": 0.0, "coefficients": (0.0, 1.0),
        "covariance": ((0.0, 0.0), (0.0, 0.0)), "low": 0.0, "high": 1.0,
    }  # fmt: skip
    with pytest.raises(CalibrationError, match=words):
        Calibration(**(whole | change))


def test_an_exact_standard_binds_and_one_with_an_uncertainty_weighs():
    pair = [Standard(0.0, 2.0), Standard(100.0, 12.0, u_known=1.0)]
    line = calibrate(pair, "line", "°C")
    assert line.uncertainty(np.array([2.0, 7.0, 12.0])) == pytest.approx([0.0, 0.5, 1.0], abs=1e-9)
    assert line.apply(np.array([2.0, 12.0])) == pytest.approx([0.0, 100.0])
    offset = calibrate([Standard(5.0, 4.0), Standard(9.0, 8.2, u_known=0.1)], "offset", "mm")
    assert offset.apply(np.array([4.0]))[0] == pytest.approx(5.0)
    assert offset.uncertainty(np.array([4.0]))[0] == 0.0


@given(st.integers(0, 2**32 - 1), st.sampled_from(["line", "quadratic", "cubic"]))
def test_exact_standards_are_the_limit_of_ever_better_ones(seed, model):
    draw = np.random.default_rng(seed)
    raw = np.cumsum(draw.random(6) + 0.5)
    known = 3 + 2 * raw + 0.02 * raw**2 + draw.normal(0, 0.01, 6)
    exact = draw.random(6) < 0.4
    kept = [
        Standard(*pair, 0.0 if one else 0.05) for *pair, one in zip(known, raw, exact, strict=True)
    ]
    near = [
        Standard(*pair, 1e-7 if one else 0.05) for *pair, one in zip(known, raw, exact, strict=True)
    ]
    if exact.sum() > {"line": 2, "quadratic": 3, "cubic": 4}[model]:
        return  # more exact ones than the curve can go through leave a scatter of their own
    bound, close = calibrate(kept, model, ""), calibrate(near, model, "")
    places = np.linspace(raw.min(), raw.max(), 9)
    assert bound.apply(places) == pytest.approx(close.apply(places), abs=1e-4)
    assert bound.uncertainty(places) == pytest.approx(close.uncertainty(places), abs=1e-4)
    if not exact.all():
        left = residuals(bound, kept)
        assert np.abs(left[exact]).max(initial=0.0) < 1e-9
