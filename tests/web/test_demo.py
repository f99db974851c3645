import pytest

from galena.demo import world
from galena.desk import ledger
from galena.desk.flows import first_sheet
from galena.experiments.models import Experiment, Run
from galena.experiments.readings import readings
from galena.instruments.rigs.tide_tank import AREA
from galena.reports import writing


@pytest.fixture
def built(transactional_db):
    world.build()
    return Experiment.objects.get(title="Tide tank")


def test_the_demo_world_is_recorded_analysed_and_reported(built):
    runs = list(built.runs.all())
    assert [run.state for run in runs] == [Run.State.FINISHED] * 3
    quantity = built.quantities.get()
    first = readings(runs[0], quantity)
    assert len(first) == 1200
    # the readings of seed 1871, whatever the machine's pace was
    assert first.y[:6].tolist() == [3.2, 3.1, 2.9, 3.5, 2.8, 3.1]
    assert first.t[0] == 0.0
    slopes = [row.answer.estimates[0] for row in ledger.rows(first_sheet(built))]
    for slope, flow in zip(slopes, (40, 70), strict=True):
        assert slope.value == pytest.approx(flow * 1000 / AREA, abs=3 * slope.uncertainty)
    drained = readings(runs[2], quantity).y
    assert drained[500] > drained[-1] + 50
    sheet = first_sheet(built)
    page = writing.set_page(built.report, sheet, writing.references(sheet))
    assert (page.quoted, page.unknown) == (2, [])
    assert "<figure>" in page.body

    world.build()
    assert Experiment.objects.count() == 1 + len(world.TO_TRY)


def test_a_world_that_was_broken_off_is_built_anew(built, monkeypatch):
    Experiment.objects.get(title=world.LAST).delete()
    monkeypatch.setattr(world, "_record_tide_tank", lambda experiment, person: None)
    monkeypatch.setattr(world, "_analyse_tide_tank", lambda experiment: None)
    world.build()
    titles = [title for title, _ in world.TO_TRY]
    assert [one.title for one in Experiment.objects.order_by("pk")] == ["Tide tank", *titles]
    assert not Run.objects.exists()
