import numpy as np
import pytest

from galena.core.fits import fit
from galena.demo import world
from galena.desk import ledger, window
from galena.desk.flows import first_sheet
from galena.desk.models import Sheet
from galena.experiments import columns, flows
from galena.experiments.models import Experiment, Run
from galena.experiments.readings import readings
from galena.experiments.stepwise import tables
from galena.instruments.rigs.rock_pool import pool_ph
from galena.instruments.rigs.tide_tank import AREA
from galena.reports import writing
from tests import making

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
    _the_energies_of_the_spring_keep_their_sum()
    _the_cell_gives_most_where_the_rate_of_its_power_crosses_zero()
    _what_one_well_loses_the_other_gains()
    _the_logarithm_of_how_warm_the_cocoa_is_falls_in_a_line()
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


def _of_formula(title, symbol, number=1, x=None):
    experiment = Experiment.objects.get(title=title)
    run, made = experiment.runs.get(number=number), experiment.quantities.get(symbol=symbol)
    over = x and experiment.quantities.get(symbol=x)
    return columns.over(over, [(run, made)])[run.pk, made.pk].readings


def _the_energies_of_the_spring_keep_their_sum():
    for number in (1, 2):
        total = _of_formula("Shaft spring", "E", number)
        moved = _of_formula("Shaft spring", "E_pot", number).y
        assert total.y.max() - total.y.min() < 0.1 * (moved.max() - moved.min())
        # Air takes a little of it; over one swing the sum stays within its uncertainty.
        one = slice(5, 75)
        assert np.abs(total.y[one] - total.y[one].mean()).max() < 2 * total.combined[one].max()
        # The terms share m, k and y_0: their sum is known better than the largest of them.
        assert np.median(total.combined) < np.median(
            _of_formula("Shaft spring", "E_el", number).combined
        )


def _the_cell_gives_most_where_the_rate_of_its_power_crosses_zero():
    for number in (1, 2):
        power = _of_formula("Lantern-room cell", "P", number, "U")
        slope = _of_formula("Lantern-room cell", "P_U", number, "U")
        most = power.t[np.argmax(power.y)]
        known = np.isfinite(slope.y)
        crossing = slope.t[known][np.flatnonzero(slope.y[known] < 0)[0]]
        assert crossing == pytest.approx(most, abs=0.03)


def _what_one_well_loses_the_other_gains():
    water = _of_formula("Wells running together", "V")
    between = np.isfinite(water.y)  # the second stick may begin a moment later
    assert between.sum() > 200
    u = float(np.median(water.combined[between]))
    assert water.y[between] == pytest.approx(60.0, abs=5 * u)
    level = _of_formula("Wells running together", "h_1")
    assert level.y.max() - level.y.min() > 0.03


def _the_logarithm_of_how_warm_the_cocoa_is_falls_in_a_line():
    for mug, number in ((1, 1), (2, 2)):
        read = _of_formula("Cocoa with and without a lid", f"L_{mug}", number)
        early = read.t < 1800
        found = fit("line", read.t[early], read.y[early])
        assert found.params["slope"] < 0
        assert found.r_squared > 0.99


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


def test_what_a_busy_machine_could_not_record_is_recorded_again(experiment, ada, capsys):
    tries = []

    def record(one, who):
        flows.add_condition(one, "wind", "text")
        making.run(one, [1.0, 2.0], conditions=["40"])
        tries.append(one.runs.count())
        if len(tries) == 1:
            raise AssertionError("An instrument was gone at the end.")

    world.record_whole(record, experiment, ada)
    assert tries == [1, 1]
    assert "Tide tank is recorded again: An instrument was gone" in capsys.readouterr().out
    assert [one.name for one in experiment.conditions.all()] == ["pump", "drain", "wind"]
