"""Each benchmark works, at a size so small that it measures nothing: those in a browser."""

import pytest

from tests.benchmarks.test_short import IN_A_BROWSER, checked


@pytest.mark.browser
@pytest.mark.parametrize("name", IN_A_BROWSER)
def test_a_benchmark_in_a_browser_measures(name):
    checked(name)
