import json

import pytest

from galena.core.calibrating import calibrate
from galena.core.calibration import Standard
from galena.core.errors import CalibrationError, UnitError
from galena.core.formats.calibration_file import LONGEST, CalibrationRecord, as_data, dumps, loads

POTS = (Standard(4.0, 176.5, 0.01, 0.05), Standard(7.0, 12.0, 0.01, 0.04))


@pytest.fixture
def record():
    curve = calibrate(POTS, "line", "")
    return CalibrationRecord(
        curve, "pH of the pool", "pH", "mV", POTS, "2026-11-23 09:41", "Ada", "EA-1 0104"
    )


def test_a_calibration_is_read_back_as_it_was(record):
    assert loads(dumps(record)) == record
    assert json.loads(dumps(record))["instrument"] == "EA-1 0104"


@pytest.mark.parametrize(
    ("change", "words"),
    [
        ({"kind": "a letter"}, "no calibration of Galena"),
        ({"version": 2}, "or of a newer version"),
        ({"model": "spline"}, "model is not known"),
        ({"coefficients": ["x", 1]}, r"not a whole calibration \(ValueError"),
        ({"covariance": None}, "not a whole calibration"),
        ({"raw_range": [1]}, "not a whole calibration"),
        ({"standards": [{"known": 1}]}, r"not a whole calibration \(KeyError: 'raw'"),
        ({"standards": [{}] * 101}, "model is not known"),
    ],
)
def test_a_file_that_is_not_whole_is_refused(record, change, words):
    with pytest.raises(CalibrationError, match=words):
        loads(json.dumps(as_data(record) | change))


def test_what_is_no_such_file_is_refused(record):
    with pytest.raises(CalibrationError, match="cannot be read as JSON"):
        loads("hello")
    with pytest.raises(CalibrationError, match="TypeError"):
        loads("[1, 2]")
    with pytest.raises(CalibrationError, match="too long"):
        loads(" " * (LONGEST + 1))
    with pytest.raises(UnitError, match="is not a unit"):
        loads(json.dumps(as_data(record) | {"unit": "furlong"}))
