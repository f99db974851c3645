import numpy as np
import pytest

from galena.core.fits import fit
from galena.demo import world
from galena.desk import ledger, window
from galena.desk.flows import first_sheet
from galena.desk.models import Sheet
from galena.experiments.models import Experiment, Run
from galena.experiments.readings import readings
from galena.experiments.stepwise import tables
from galena.instruments.rigs.rock_pool import pool_ph
from galena.instruments.rigs.tide_tank import AREA
from galena.reports import writing

# What the second look says of a run that is meant to have a fault; of all others, nothing.
FAULTY = {("Falling magnet", 9): "across the fastest part"}


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

    _each_run_is_whole_and_remarked_on_only_where_it_should_be()
    _the_gangway_sags_with_the_cube_of_its_overhang()
    assert [str(one) for one in Sheet.objects.filter(beside=True)] == ["E over d, both logarithmic"]

    count = Experiment.objects.count()
    world.build()
    assert Experiment.objects.count() == count == len(world.RECORDED) + 1 + len(world.TO_TRY)


def _each_run_is_whole_and_remarked_on_only_where_it_should_be():
    runs = Run.objects.select_related("experiment").prefetch_related("streams")
    assert {run.state for run in runs} == {Run.State.FINISHED}
    assert {stream.lost for run in runs for stream in run.streams.all()} == {0}
    for run in runs:
        said = " ".join(one[0] for one in run.remarks)
        expected = FAULTY.get((run.experiment.title, run.number), "")
        assert expected in said and bool(said) == bool(expected), f"{run.experiment} {run}: {said}"
    lamp = Run.objects.get(experiment__title="Lamp over distance", number=1)
    table = tables([lamp])[lamp.pk]
    assert [len(row.earlier) for row in table.rows] == [0] * 5 + [1] + [0] * 5
    pool = Run.objects.get(experiment__title="Rock pool")
    ph = readings(pool, pool.experiment.quantities.get(symbol="pH"))
    assert len(ph) == 1440
    truth = [pool_ph(seconds) for seconds in range(0, 86_400, 60)]
    assert (min(truth) - 0.1, max(truth) + 0.1) < (ph.y.min(), ph.y.max())
    assert ph.y.max() - ph.y.min() == pytest.approx(max(truth) - min(truth), abs=0.1)


def _the_gangway_sags_with_the_cube_of_its_overhang():
    (shown,) = window.shown_runs(first_sheet(Experiment.objects.get(title="Gangway")))
    counted = shown.readings.counted
    assert len(shown.readings) - len(counted) == 1
    found = fit("line", np.log(counted.t), np.log(counted.y))
    assert found.params["slope"] == pytest.approx(3, abs=3 * found.errors["slope"])


def test_a_world_that_was_broken_off_is_built_anew(db, monkeypatch):
    recorded = []
    titles = [title for title, _, _ in world.RECORDED]
    empty = tuple((title, known, lambda one, who: recorded.append(one.title))
                  for title, known, _ in world.RECORDED)  # fmt: skip
    monkeypatch.setattr(world, "RECORDED", empty)
    monkeypatch.setattr(world, "_in_thread", lambda record, one, who: record(one, who))
    monkeypatch.setattr(world, "ANALYSED", {})
    world.build()
    Experiment.objects.get(title=world.LAST).delete()
    world.build()
    kept = [title for title, _ in world.TO_TRY]
    assert [one.title for one in Experiment.objects.order_by("pk")] == [
        *titles,
        world.TYPED,
        *kept,
    ]
    assert sorted(recorded) == sorted(titles * 2)
