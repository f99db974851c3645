"""The second look on recordings: said where it should be, and silent on good runs."""

import numpy as np
import pytest
from django.urls import reverse

from galena.bench.flows import zero
from galena.experiments.runs import judging
from galena.instruments.protocols.line_v1 import ChannelFacts, Identity
from galena.instruments.rigs import RIGS
from tests import making

RNG = np.random.default_rng(5)
FORCE = ChannelFacts("L", "lift", "L", "N", -5.0, 10.0, 0.005, 100.0)
BALANCE = Identity("Skerry Works", "Lift balance LB-1", "0012", "1.0")

# What each rig is made to do in a good run: rate, seconds, what is let go by before, handles.
GOOD = {
    "tide_tank": (20, 60, 0, [("pump", 40, 3)]),
    "lamp_rail": (100, 10, 0, []),
    "cocoa": (0.1, 7200, 60, []),
    "slipway_soap": (10, 20, 0, []),
    "lantern_cell": (20, 30, 1, [("load", 0, -1), ("sweep", 1, 3)]),
    "grow_shelf": (10, 20, 0, []),
    "shaft_spring": (50, 20, 0, [("pull", 0.2, 0), ("go", 1, 1)]),
    "wind_duct": (10, 150, 0, [("fan", step, 30 * step - 28) for step in range(1, 6)]),
    "linked_wells": (10, 60, 0, []),
    "rock_pool": (1 / 60, 43_200, 120, []),
    "beam_edge": (100, 10, 0, []),
}


def recorded(key):
    """Give what the sensors of a rig read in a good run: facts and raw readings."""
    rate, lasts, before, handles = GOOD[key]
    rig = RIGS[key](9)
    rig.GRID = rig.COARSEST  # as where it lives faster than the clock on the wall
    for handle, value, at in handles:
        rig.set(handle, value, before + at)
    rig.live_until(before + lasts + 1)
    noise = np.random.default_rng(3)
    t = before + np.arange(int(rate * lasts)) / rate
    for stand_in in rig.stand_ins:
        for sensor in stand_in.sensors:
            truth = rig.read(sensor.of, t)
            yield sensor.facts, sensor.sense(truth, noise.standard_normal(t.size)), rate


@pytest.mark.parametrize("key", GOOD)
def test_a_good_run_of_a_rig_is_not_remarked_on(experiment, key):
    for number, (facts, raw, rate) in enumerate(recorded(key)):
        identity = Identity("Skerry Works", f"{key} {number}", "0001", "1.0")
        channel = making.channel(facts, identity)
        zero([(channel, 0.0)], experiment.owner)
        run = making.run(experiment, raw, rate=rate, facts=facts, identity=identity, chunk=5000)
        assert judging.look(run) == []


def said_of(experiment, raw, **more):
    run = making.run(experiment, raw, **more)
    judging.look(run)
    run.refresh_from_db()
    return " ".join(" ".join(one) for one in run.remarks)


def test_each_fault_of_a_recording_is_said_on_its_page(as_ada, experiment):
    t = np.arange(600) / 10
    still = np.round(80 + RNG.normal(0, 0.3, 600), 1)
    stuck = still.copy()
    stuck[200:400] = 80.0
    assert "200 readings from t = 20 s on are the very same" in said_of(experiment, stuck)
    high = np.minimum(500 + t, 520.0)
    assert "at the sensor's limit of 520 mm" in said_of(experiment, high)
    slow = 20 + 60 * np.exp(-t / 40) + RNG.normal(0, 0.05, 600)
    assert "It had not settled at the end" in said_of(experiment, slow)
    jump = np.where(t < 30, 20.0, 400.0) + RNG.normal(0, 0.2, 600)
    assert "No reading across the fastest part" in said_of(experiment, jump)
    lift = np.round(RNG.normal(1.0, 0.02, 600), 3)
    assert "lift was never zeroed." in said_of(experiment, lift, facts=FORCE, identity=BALANCE)
    page = as_ada.get(reverse("record", args=[experiment.pk])).text
    remarks = sum(len(run.remarks) for run in experiment.runs.all())
    assert page.count("<b>Second look</b>") == remarks


def test_lost_readings_are_remarked_on(experiment):
    run = making.run(experiment, np.round(RNG.normal(80, 0.3, 300), 1))
    run.streams.update(lost=6)
    remarks = judging.look(run)
    assert [str(one).split(";")[0] for one in remarks] == [
        "6 readings were lost on the way (2.0 %)"
    ]


def test_a_damaged_run_is_not_looked_at(experiment):
    run = making.run(experiment, making.ramp(300))
    run.streams.get().series.exclude(quantity=None).get().chunks.all().update(crc32=1)
    assert judging.look(run) == []
