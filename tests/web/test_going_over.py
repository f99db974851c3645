"""A sheet goes over another quantity, and what lies on it goes along."""

import numpy as np
import pytest

from galena.desk.annotations import flows
from galena.desk.sheets import flows as sheet_flows
from galena.experiments.quantity_flows import add_derived
from tests import making
from tests.addresses import address


@pytest.fixture
def tracked(experiment):
    """A run of a level that rises by 2 mm each second, with its square as a formula."""
    making.run(experiment, 2.0 * np.arange(101) / 10, conditions=["40"])
    add_derived(experiment, "h^2", "level squared", "A", "mm^2")
    sheet = sheet_flows.first_sheet(experiment)
    span = flows.add_span(sheet, 2.0, 5.0)
    marker = flows.add_marker(sheet, 3.0)
    return experiment, sheet, span, marker


def go_over(client, experiment, symbol, **fields):
    x = experiment.quantities.get(symbol=symbol).pk if symbol else ""
    return client.post(address("x-axis", experiment.pk), {"x": x} | fields)


def test_spans_and_markers_go_along_to_where_their_readings_lie(as_ada, tracked):
    experiment, _, span, marker = tracked
    assert "take the spans and markers along" in as_ada.get(address("x-axis", experiment.pk)).text
    go_over(as_ada, experiment, "A", along="carry")
    span.refresh_from_db()
    marker.refresh_from_db()
    assert (span.lo, span.hi) == pytest.approx((16.0, 100.0)) and marker.x == pytest.approx(36.0)
    assert sheet_flows.first_sheet(experiment).x_symbol == "A"
    go_over(as_ada, experiment, None, along="carry")
    span.refresh_from_db()
    marker.refresh_from_db()
    assert (span.lo, span.hi) == pytest.approx((2.0, 5.0)) and marker.x == pytest.approx(3.0)


def test_another_sheet_is_made_and_the_first_one_stays(as_ada, tracked):
    experiment, sheet, span, _ = tracked
    page = go_over(as_ada, experiment, "A", along="sheet", lo="0", hi="50")
    other = experiment.sheets.last()
    assert other != sheet and (other.x_symbol, other.x_view.limits) == ("A", (0, 50))
    assert f'data-front="{other.pk}"' in page.text
    span.refresh_from_db()
    sheet.refresh_from_db()
    assert (sheet.x, span.lo, sheet.x_view.limits) == (None, 2.0, None)


def test_what_cannot_go_along_is_said_and_all_stays(as_ada, tracked):
    experiment, sheet, span, _ = tracked
    refused = go_over(as_ada, experiment, "A")
    assert refused.status_code == 422 and "Spans and markers lie on t" in refused.text
    experiment.runs.update(shown=False)
    refused = go_over(as_ada, experiment, "A", along="carry")
    assert refused.status_code == 422 and "No shown run has both t and A" in refused.text
    experiment.runs.update(shown=True)
    span.lo, span.hi = 50.0, 60.0
    span.save()
    refused = go_over(as_ada, experiment, "A", along="carry")
    assert "have no width on A" in refused.text
    sheet.refresh_from_db()
    assert sheet.x is None
