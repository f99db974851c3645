import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from galena.instruments.rigs import RIGS
from galena.instruments.rigs.tide_tank import AREA, DRAIN, FULL, TideTank


@pytest.mark.parametrize("rig", RIGS.values())
def test_a_rig_lives_the_same_life_however_it_is_asked(rig):
    lives = []
    for steps in ([10.0], np.arange(0, 10.01, 0.05)):
        one = rig(seed=4)
        one.set(rig.handles[0].id, rig.handles[0].max, at=2.0)
        for until in steps:
            one.live_until(until)
        lives.append(one.state)
    assert lives[0] == lives[1]


@settings(max_examples=25)
@given(st.floats(1, 120))
def test_the_tank_fills_at_flow_over_area(flow):
    tank = TideTank(seed=1)
    tank.set("pump", flow)
    tank.live_until(60.01)
    level = tank.read("h", np.array([10.0, 60.0]))
    assert (level[1] - level[0]) / 50 == pytest.approx(flow * 1000 / AREA)


def test_the_open_drain_follows_torricelli():
    tank = TideTank(seed=1)
    tank.set("pump", 100)
    tank.live_until(60)
    full = tank.state["level"]
    tank.set("pump", 0)
    tank.set("drain", 100)
    tank.live_until(80)
    fallen = tank.state["level"]
    assert np.sqrt(full) - np.sqrt(fallen) == pytest.approx(DRAIN * 20 / 2, rel=1e-3)


def test_the_tank_neither_overflows_nor_runs_dry():
    tank = TideTank(seed=1)
    tank.set("pump", 120)
    tank.live_until(200)
    assert tank.state["level"] == FULL
    tank.set("pump", 0)
    tank.set("drain", 100)
    tank.live_until(500)
    assert tank.state["level"] == pytest.approx(0, abs=1e-3)


def test_a_sensor_has_noise_offset_resolution_and_limits():
    sensor = TideTank.stand_ins[0].sensors[0]
    truth = np.full(20_000, 100.0)
    readings = sensor.sense(truth, np.random.default_rng(2).standard_normal(truth.size))
    assert readings.mean() == pytest.approx(100 + sensor.offset, abs=0.01)
    assert readings.std() == pytest.approx(sensor.noise, rel=0.05)
    assert np.allclose(readings * 10, np.rint(readings * 10))
    assert sensor.sense(np.array([9999.0]), np.zeros(1))[0] == sensor.facts.max


@pytest.mark.parametrize(
    ("handle", "value", "words"),
    [("tap", 1, "there is no handle tap"), ("pump", 500, "pump goes from 0 to 120 mL/s")],
)
def test_a_handle_has_its_limits(handle, value, words):
    with pytest.raises(ValueError, match=words):
        TideTank(seed=1).set(handle, value)


def test_the_past_can_be_forgotten():
    tank = TideTank(seed=1)
    tank.set("pump", 40)
    tank.live_until(60.01)
    before = tank.read("h", np.array([55.0]))
    tank.forget_before(50.0)
    assert tank.read("h", np.array([55.0])) == pytest.approx(before)
