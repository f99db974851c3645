"""The runs of an experiment file come into an experiment that is here."""

import io

import pytest
from django.urls import reverse

from galena.exchange import joining, package
from galena.exchange.errors import PackageError
from galena.experiments import flows, quantity_flows, table_flows
from galena.experiments.columns import of_run
from galena.experiments.models import Experiment, Run
from tests import making
from tests.random_experiments import Maker
from tests.web.test_arrivals import bring, here  # noqa: F401 - a fixture


def written(experiment):
    file = io.BytesIO()
    package.write(experiment, file)
    return file


@pytest.fixture
def other(ada):
    """Another experiment with a run of the same gauge, at the same condition."""
    other = flows.create(ada, "Tide tank again", [("pump", "mL/s"), ("moon", "")])
    making.run(other, making.ramp(30, seed=4), conditions=["70"], note="from afar")
    return other


def test_runs_of_the_same_gauge_are_readings_of_the_same_quantity(experiment, other, ada):
    making.run(experiment, making.ramp(20), conditions=["40"])
    numbers = joining.join(written(other), experiment, ada)
    assert numbers == [2]
    run = experiment.runs.get(number=2)
    assert (run.place, run.label) == (2, "pump 70 mL/s · from afar")
    assert experiment.quantities.count() == 1
    assert experiment.conditions.count() == 3  # pump is known, moon is new
    (before,), (after,) = of_run(other.runs.get()).blocks, of_run(run).blocks
    (h,), (also_h,) = before.columns.values(), after.columns.values()
    assert h.readings.y.tobytes() == also_h.readings.y.tobytes()
    assert other.runs.count() == 1


def test_symbols_and_names_that_are_taken_are_changed(experiment, other, ada):
    quantity_flows.save_given(experiment, None, "a constant", "h", "2", "m")
    flows.add_condition(experiment, "moon", "number", "", "mm")
    joining.join(written(other), experiment, ada)
    assert experiment.quantities.get().symbol == "h2"
    assert sorted(one.name for one in experiment.conditions.all()) == [
        "drain", "moon", "moon (2)", "pump"]  # fmt: skip
    assert {one.symbol for one in experiment.givens.all()} == {"h"}


def test_typed_tables_share_their_quantities_by_symbol_and_unit(experiment, ada):
    for title in ("one", "two"):
        source = flows.create(ada, title, [])
        table_flows.new_table(source, ada)
        joining.join(written(source), experiment, ada)
    assert [(run.plan, run.number) for run in experiment.runs.all()] == [("typed", 1), ("typed", 2)]
    assert [one.symbol for one in experiment.entered] == ["x", "y"]


def test_files_of_one_logger_share_their_quantities(as_ada, experiment, ada):
    for title in ("one", "two"):
        page = bring(as_ada, "t / s,h / mm\n0,1\n1,2\n", f"{title}.csv")
        taking = as_ada.post(
            f"{page}/table", {"take-0": "y", "take-1": "y", "time": "0", "title": title}
        )
        as_ada.get(taking.url)
        joining.join(written(Experiment.objects.get(title=title)), experiment, ada)
    assert [run.plan for run in experiment.runs.all()] == ["taken", "taken"]
    assert [(one.symbol, one.unit) for one in experiment.measured] == [("h", "mm")]


def test_what_is_said_about_runs_stays_in_the_file(experiment, other, ada, film, at_once):
    maker = Maker(other, 3, film)
    maker.do(["steady", "span", "ask", "ask", "ask", "harvest", "clip", "report", "stepwise"])
    flows.remove(other.runs.kept().filter(plan="steady").first())
    brought = [run for run in other.runs.kept() if not run.kind.is_summary]
    numbers = joining.join(written(other), experiment, ada)
    assert numbers == list(range(1, len(brought) + 1))
    assert [run.plan for run in experiment.runs.order_by("number")] == [
        run.plan for run in sorted(brought, key=lambda run: run.number)]  # fmt: skip
    assert not experiment.sheets.exists()
    assert experiment.clips.count() == 1
    for run in experiment.runs.all():
        assert of_run(run).blocks


def test_nothing_comes_while_a_run_is_recorded_here(experiment, other, ada):
    run = making.run(experiment, making.ramp(20))
    Run.objects.filter(pk=run.pk).update(state=Run.State.RECORDING)
    with pytest.raises(PackageError, match="A run is being recorded here"):
        joining.join(written(other), experiment, ada)
    assert experiment.runs.count() == 1


def test_it_is_chosen_on_the_page(as_ada, experiment, other):
    making.run(experiment, making.ramp(20), conditions=["40"])
    page = bring(as_ada, written(other).getvalue(), "again.zip", experiment)
    assert "Bring its 1 run into “Tide tank”" in as_ada.get(page).text
    taking = as_ada.post(f"{page}/experiment", {"into": "yes"})
    arrived = as_ada.get(taking.url)
    assert arrived.url.startswith(reverse("desk", args=[experiment.pk]))
    assert experiment.runs.count() == 2
    assert as_ada.get(arrived.url).status_code == 200
