import math

import numpy as np
import pytest

from galena.core.errors import TooFewReadings
from galena.core.statistics import describe
from tests.reference_cases import cases, kind


@pytest.mark.parametrize("reference", cases("univariate"), ids=lambda one: one["name"])
def test_mean_and_standard_deviation_are_the_certified_ones(reference):
    found = describe(reference["y"])
    digits = 1e-8 if reference["name"] == "NumAcc4" else 1e-10
    assert found.mean == pytest.approx(reference["certified"]["mean"], rel=1e-14)
    assert found.sd == pytest.approx(reference["certified"]["sd"], rel=digits)
    assert found.standard_error == found.sd / math.sqrt(reference["n"])


@pytest.mark.parametrize(
    "reference", kind("analytic", "statistics_large_offset"), ids=lambda one: one["name"]
)
def test_a_large_offset_costs_no_digits(reference):
    found = describe(reference["y"])
    expected = reference.get("expected_from_doubles") or reference["expected"]
    assert found.mean == pytest.approx(expected["mean"], rel=1e-14)
    assert found.sd == pytest.approx(expected["sd"], rel=1e-11)
    assert found.standard_error == pytest.approx(expected["standard_error"], rel=1e-11)
    assert found.median == pytest.approx(expected["median"], rel=1e-14)
    assert (found.minimum, found.maximum) == (expected["min"], expected["max"])


def test_many_readings_are_described_as_exactly_as_few():
    values = 1e6 + np.random.default_rng(3).normal(0, 1e-3, 200_000)
    assert describe(values).mean == pytest.approx(math.fsum(values) / values.size, rel=1e-15)


def test_one_reading_has_no_scatter():
    found = describe([2.5])
    assert (found.count, found.mean) == (1, 2.5)
    assert math.isnan(found.sd)


def test_no_reading_is_refused():
    with pytest.raises(
        TooFewReadings, match="A mean needs at least one reading; here there is none"
    ):
        describe([math.nan])
