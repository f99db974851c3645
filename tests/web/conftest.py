"""Runs of a decay with a span over them."""

import pytest

from galena.desk.annotations import flows
from galena.desk.sheets import flows as sheet_flows
from tests import making
from tests.web.decays import curve


@pytest.fixture
def decays(experiment):
    """Three runs of a decay that rest at 10, 20 and 30 mm."""
    for number in (1, 2, 3):
        making.run(experiment, curve(number), conditions=[str(10 * number)])
    return experiment


@pytest.fixture
def sheet(decays):
    return sheet_flows.first_sheet(decays)


@pytest.fixture
def span(sheet):
    return flows.add_span(sheet, 0.0, 19.0)
