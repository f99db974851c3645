"""Harvests: findings over runs and spans as a table that follows its sources."""

import numpy as np
import pytest
from django.urls import reverse

from galena.desk.annotations import flows
from galena.desk.errors import DeskError
from galena.desk.findings import answers as findings
from galena.desk.findings import flows as finding_flows
from galena.desk.harvests import flows as harvest_flows
from galena.desk.harvests.cells import tables
from galena.desk.models import Finding, Harvest
from galena.desk.sheets import flows as sheet_flows
from galena.desk.tables import table
from galena.exchange.duplicating import duplicate
from galena.experiments import columns, table_flows
from galena.experiments.models import Run, Series
from galena.experiments.quantity_flows import add_derived
from tests import making

SLOPES = (1.0, 1.1, 2.0, 2.1)


@pytest.fixture
def ramps(experiment):
    """Four runs that rise: two at 40 mL/s, two at 80."""
    for number, slope in enumerate(SLOPES):
        making.run(experiment, making.ramp(slope=slope, noise=0.05, seed=number),
                   conditions=["40" if number < 2 else "80"])  # fmt: skip
    return experiment


@pytest.fixture
def span(ramps):
    sheet = sheet_flows.first_sheet(ramps)
    span = flows.add_span(sheet, 2.0, 15.0)
    finding_flows.ask(span, "line", sheet.quantity, list(ramps.runs.all())[:1])
    return span


def harvested(client, experiment, span, over="runs"):
    page = client.post(reverse("harvest", args=[experiment.pk, span.pk]), {"over": over})
    return page, experiment.runs.filter(plan="harvest").order_by("-pk").first()


def worked_out(run, symbol):
    """A column with what is known of its uncertainties."""
    rows = tables([run])[run.pk]
    return next(one for one in rows.columns if one.quantity.symbol == symbol)


def values(run, number):
    return table.table_of(run).columns[number].values


def column_of(run, symbol):
    return next(one for one in table.table_of(run).columns if one.symbol == symbol)


def test_a_card_is_asked_of_all_runs_in_one_request(as_ada, ramps, span):
    page, run = harvested(as_ada, ramps, span)
    assert page.status_code == 200 and run.name == "harvest of A"
    assert [one.symbol for one in table.table_of(run).columns] == [
        "", "p_h", "slope_h", "intercept_h",
    ]  # fmt: skip
    slopes = column_of(run, "slope_h")
    assert slopes.values == pytest.approx(SLOPES, abs=0.02)
    assert np.all(slopes.u > 0)
    rows = table.table_of(run).rows(0, 9)
    assert [row[0] for row in rows] == [f"run {n}, A" for n in (1, 2, 3, 4)]


def test_it_follows_its_sources_and_keeps_its_rows(as_ada, ramps, span):
    _, run = harvested(as_ada, ramps, span)
    before = column_of(run, "slope_h").values.copy()
    flows.move_span(span, 5.0, 9.0)
    after = column_of(run, "slope_h").values
    assert np.all(after != before) and after == pytest.approx(SLOPES, abs=0.05)
    Run.objects.filter(experiment=ramps, number=2).update(removed_at="2026-01-01T00:00Z")
    left = column_of(run, "slope_h").values
    assert np.isnan(left[1]) and left[2] == after[2]


def test_repeats_give_a_mean_with_its_standard_error(as_ada, ramps, span):
    _, run = harvested(as_ada, ramps, span, "repeats")
    slopes = column_of(run, "slope_h")
    assert slopes.values == pytest.approx([1.05, 2.05], abs=0.02)
    assert slopes.u == pytest.approx([0.05, 0.05], abs=0.01)


def test_it_is_graphed_fitted_and_extended_like_any_table(as_ada, ramps, span, ada):
    _, run = harvested(as_ada, ramps, span)
    pump, slope = (ramps.quantities.get(symbol=one) for one in ("p_h", "slope_h"))
    square = add_derived(ramps, "slope_h^2", "square", "q")
    column = table_flows.add_column(run, ada)
    table_flows.set_cell(column, 0, "7", ada)
    read = columns.over(pump, [(run, one) for one in (slope, square, column.quantity)])
    assert read[run.pk, square.pk].readings.y == pytest.approx(np.array(SLOPES) ** 2, abs=0.1)
    assert read[run.pk, square.pk].readings.combined is not None
    assert read[run.pk, column.quantity_id].readings.y[0] == 7.0
    sheet = sheet_flows.add_sheet(ramps, pump, [slope])
    over = flows.add_span(sheet, 30.0, 90.0)
    (line,) = finding_flows.ask(over, "line", slope, [run])
    found = findings.answers([line])[0]
    assert found.estimates[0].value == pytest.approx(1.0 / 40, rel=0.05)
    change = reverse("change-table", args=[ramps.pk, run.number])
    refused = as_ada.post(change, {"act": "insert", "row": "1"})
    assert "rows stay as they are" in refused.json()["trouble"]
    first = next(n for n, one in enumerate(table.table_of(run).columns) if one.key)
    as_ada.post(change, {"act": "paste", "row": "1", "place": str(first), "text": "8"})
    assert column_of(run, column.quantity.symbol).text(1) == "8"
    kept = as_ada.get(reverse("run-file", args=[ramps.pk, run.number, "csv"]))
    text = b"".join(kept.streaming_content).decode() if kept.streaming else kept.text
    assert "slope_h / mm/s,u(slope_h)" in text.replace(";", ",").replace('"', "")
    page = as_ada.get(reverse("readings", args=[ramps.pk, run.number]))
    assert "from" in page.text and "+ column" in page.text


def test_plateaus_are_marked_copied_and_harvested(as_ada, experiment):
    levels = np.repeat([1.0, 3.0, 5.0, 7.0], 60)
    noise = np.random.default_rng(1).normal(0, 0.05, levels.size)
    making.run(experiment, levels + noise)
    sheet = sheet_flows.first_sheet(experiment)
    page = as_ada.post(reverse("plateaus", args=[experiment.pk, sheet.pk]))
    assert page.status_code == 200 and sheet.spans.count() == 4
    first = sheet.spans.first()
    finding_flows.ask(first, "mean", sheet.quantity, list(experiment.runs.all()))
    _, run = harvested(as_ada, experiment, first, "spans")
    assert column_of(run, "h_mean").values == pytest.approx([1, 3, 5, 7], abs=0.05)
    assert column_of(run, "t_mid").values == pytest.approx([3, 9, 15, 21], abs=1.0)
    copied = as_ada.post(
        reverse("copy-span", args=[experiment.pk, first.pk]), {"count": "2", "step": "0,5"}
    )
    assert copied.status_code == 200 and sheet.spans.count() == 6
    for count, step, said in (
        ("0", "1", "1 to 60 times"),
        ("2", "0", "not zero"),
        ("x", "1", "whole"),
    ):
        page = as_ada.post(reverse("copy-span", args=[experiment.pk, first.pk]),
                           {"count": count, "step": step})  # fmt: skip
        assert said in page.text


def test_where_nothing_was_asked_there_is_nothing_to_harvest(as_ada, ramps, span):
    Finding.objects.all().delete()
    page, run = harvested(as_ada, ramps, span)
    assert "Ask something of this span first" in page.text and run is None
    assert page["HX-Retarget"] == "#ledger"
    with pytest.raises(DeskError, match="Ask something"):
        harvest_flows.harvest(span, [], None, [], [span])


def test_no_harvest_feeds_on_itself(as_ada, ramps, span):
    _, run = harvested(as_ada, ramps, span)
    one = Harvest.objects.get(run=run)
    own = ramps.quantities.get(symbol="slope_h")
    one.columns = [{"quantity": own.pk, "kind": "mean", "of": own.pk, "details": {}, "key": "mean"}]
    one.rows = [[run.pk, span.pk]]
    one.save()
    assert np.isnan(column_of(run, "slope_h").values).all()


def test_an_experiment_is_copied_with_its_harvests_and_built_findings(as_ada, ramps, span, ada):
    harvested(as_ada, ramps, span)
    sheet = span.sheet
    line = Finding.objects.get()
    finding_flows.build(sheet, "at_x", [line.pk], {"x": 5.0})
    finding_flows.show_residuals(line, True)
    copy = duplicate(ramps, ada, runs=True)
    (front,) = sheet_flows.sheets_of(copy)
    kinds = {one.kind: findings.answers([one])[0] for one in front.findings.all()}
    assert kinds["at_x"].trouble == kinds["line"].trouble == ""
    assert front.graphs.exclude(residuals_of=None).get().residuals_of.sheet == front
    run = copy.runs.get(plan="harvest")
    assert column_of(run, "slope_h").values == pytest.approx(SLOPES, abs=0.02)
    assert not duplicate(ramps, ada, runs=False).sheets.get().graphs.exclude(residuals_of=None)


def test_repeats_that_agree_by_chance_are_no_surer_than_each_of_them(as_ada, experiment):
    rng = np.random.default_rng(4)
    noise = rng.normal(0, 0.1, 40)
    for _ in range(2):  # twice the same noise: the two means agree to the last digit
        making.run(experiment, 5 + noise, conditions=["40"])
    span = flows.add_span(sheet_flows.first_sheet(experiment), 0.0, 10.0)
    finding_flows.ask(span, "mean", span.sheet.quantity, list(experiment.runs.all()))
    _, run = harvested(as_ada, experiment, span, "repeats")
    column = worked_out(run, "h_mean")
    assert column.u[0] == pytest.approx(noise.std(ddof=1) / np.sqrt(80), rel=0.3)


def test_the_zero_of_a_channel_is_shared_by_the_rows_of_a_harvest(as_ada, experiment):
    levels = np.repeat([1.0, 3.0, 5.0, 7.0], 60)
    run = making.run(experiment, levels + np.random.default_rng(1).normal(0, 0.05, levels.size))
    Series.objects.filter(stream__run=run, quantity__symbol="h").update(zero=0.0, u_zero=0.5)
    sheet = sheet_flows.first_sheet(experiment)
    spans = finding_flows.mark_plateaus(sheet, sheet.quantity, run)
    finding_flows.ask(spans[0], "mean", sheet.quantity, [run])
    _, taken = harvested(as_ada, experiment, spans[0], "spans")
    column = worked_out(taken, "h_mean")
    assert column.shared == pytest.approx(0.5) and np.all(column.u < 0.02)
    middle = experiment.quantities.get(symbol="t_mid")
    over = sheet_flows.add_sheet(experiment, middle, [column.quantity], "levels")
    whole = flows.add_span(over, 0.0, 30.0)
    (line,) = finding_flows.ask(whole, "line", column.quantity, [taken])
    by_key = {one.key: one for one in findings.answers([line])[0].estimates}
    assert by_key["intercept"].uncertainty == pytest.approx(0.5, rel=0.2)
    assert by_key["slope"].uncertainty < 0.1  # a shift of all of them changes no slope
