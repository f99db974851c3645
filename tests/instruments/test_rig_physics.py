"""What each rig shows is the physics that it stands for."""

import math

import numpy as np
import pytest
from hypothesis import given
from hypothesis import strategies as st

from galena.instruments.rigs import (
    RIGS,
    beam_edge,
    cocoa,
    grow_shelf,
    lamp_rail,
    lantern_cell,
    linked_wells,
    magnet_tube,
    rock_pool,
    shaft_spring,
    slipway_soap,
    two_horns,
    wind_duct,
)


def lived(rig, seconds, **settings):
    one = rig(seed=3)
    for handle, value in settings.items():
        one.set(handle, value)
    one.live_until(seconds)
    return one


def read(rig, source, *times):
    return rig.read(source, np.array(times))


@pytest.mark.parametrize("rig", RIGS.values())
def test_every_sensor_starts_within_its_limits_and_trembles(rig):
    one = lived(rig, 1.0)
    for stand_in in rig.stand_ins:
        for sensor in stand_in.sensors:
            truth = read(one, sensor.of, 0.5)[0]
            assert sensor.facts.min < truth + sensor.offset < sensor.facts.max
            spread = math.hypot(sensor.noise, sensor.relative_noise * truth)
            assert spread >= 0.3 * sensor.facts.resolution  # or a steady reading would look stuck
    assert len({stand_in.identity.key for stand_in in rig.stand_ins}) == len(rig.stand_ins)


def test_no_two_stand_ins_of_all_rigs_have_one_serial():
    keys = [one.identity.key for rig in RIGS.values() for one in rig.stand_ins]
    assert len(set(keys)) == len(keys)


@given(st.floats(0.15, 1.5))
def test_the_lamp_follows_the_inverse_square(distance):
    rig = lived(lamp_rail.LampRail, 1.0, d=distance, room=9)
    mean = rig.read("E", np.arange(0.5, 0.6, 0.0001)).mean()  # ten whole flickers
    assert mean - 9 == pytest.approx(lamp_rail.INTENSITY / distance**2, rel=1e-3)


@pytest.mark.parametrize(("coil", "turns"), [(0, 200), (1, 400)])
def test_the_lobes_of_the_falling_magnet_have_the_area_of_the_flux(coil, turns):
    rig = lived(magnet_tube.MagnetTube, 1.0, height=0.6, coil=coil)
    rig.set("drop", 1)
    rig.live_until(3.0)
    t = np.arange(1.0, 1.5, 1e-5)
    voltage = rig.read("U", t)
    flux = turns * magnet_tube.MU_0 * magnet_tube.MOMENT / (2 * magnet_tube.RADIUS)
    for lobe in (voltage.clip(0, None), voltage.clip(None, 0)):
        assert abs(np.trapezoid(lobe, t)) == pytest.approx(flux, rel=2e-3)
    middle = t[np.flatnonzero(np.diff(np.sign(voltage)) > 0)[0]]
    assert middle - 1.0 == pytest.approx(math.sqrt(2 * 0.6 / magnet_tube.G), abs=0.011)


def test_cocoa_cools_by_newtons_law_and_slower_with_a_lid():
    rig = lived(cocoa.Cocoa, 600.0)
    excess = [rig.state[f"mug{mug}"] - rig.state["room"] for mug in (1, 2)]
    ratio = math.log((cocoa.HOT - cocoa.ROOM) / excess[0])
    assert 600 / ratio == pytest.approx(cocoa.OPEN, rel=0.01)
    assert excess[1] > excess[0] + 10
    assert rig.state["T1"] - rig.state["mug1"] == pytest.approx(0.1, abs=0.05)  # the probe lags


@pytest.mark.parametrize(
    ("low", "high", "slope"), [(2, 8, slipway_soap.BELOW), (20, 28, slipway_soap.ABOVE)]
)
def test_conductivity_runs_along_two_straight_branches(low, high, slope):
    rise = slipway_soap.conductivity(high) - slipway_soap.conductivity(low)
    assert rise / (high - low) == pytest.approx(slope, rel=1e-4)


def test_the_cell_goes_from_its_short_circuit_current_to_its_open_circuit_voltage():
    short = lived(lantern_cell.LanternCell, 1.0, load=0, light=100).state
    opened = lived(lantern_cell.LanternCell, 1.0, load=100, light=100).state
    assert short["I"] == pytest.approx(1000 * lantern_cell.LIGHT_CURRENT, rel=0.02)
    assert short["U"] < 0.02
    assert 0.5 < opened["U"] < 0.65
    assert opened["I"] < 0.5
    swept = lived(lantern_cell.LanternCell, 1.0, light=100)
    swept.set("sweep", 1)
    swept.live_until(22.0)
    t = np.arange(1.1, 20.9, 0.1)
    power = swept.read("U", t) * swept.read("I", t)
    assert 5 < power.argmax() < len(t) - 5
    assert np.all(np.diff(swept.read("U", t)) >= 0)


def test_each_lamp_of_the_shelf_leaks_into_its_neighbours():
    settings = {f"lamp{n}": 100.0 if n == 1 else 0.0 for n in range(1, 5)}
    state = lived(grow_shelf.GrowShelf, 0.1, **settings).state
    shares = [(state[f"E{n}"] - grow_shelf.ROOM) / grow_shelf.FULL for n in range(1, 5)]
    assert shares == pytest.approx([1.0, 0.11, 0.08, 0.03])


@pytest.mark.parametrize("load", [1, 2, 3])
def test_the_spring_swings_at_its_period_and_loses_little_energy(load):
    rig = lived(shaft_spring.ShaftSpring, 1.0, mass=load, pull=10)
    rig.set("go", 1)
    rig.live_until(21.0)
    mass = shaft_spring.MASSES[load - 1]
    rest = shaft_spring.HOOK - mass * shaft_spring.G / shaft_spring.STIFFNESS
    t = np.arange(1.02, 20.9, 0.01)
    y = rig.read("y", t) - rest
    ups = t[1:][(y[1:] >= 0) & (y[:-1] < 0)]
    period = 2 * math.pi * math.sqrt(mass / shaft_spring.STIFFNESS)
    assert np.diff(ups).mean() == pytest.approx(period, rel=0.005)
    assert y.min() == pytest.approx(-0.10, abs=0.001)
    assert 0.05 < np.abs(y[-300:]).max() < 0.1
    force = rig.read("F", t)
    assert force == pytest.approx(shaft_spring.STIFFNESS * (shaft_spring.HOOK - rest - y))
    assert lived(shaft_spring.ShaftSpring, 1.0, mass=0).state["F"] == 0


def test_lift_grows_with_the_square_of_the_speed():
    rig = lived(wind_duct.WindDuct, 40.0, fan=3)
    t = np.arange(30, 39, 0.01)
    v, lift = rig.read("v", t), rig.read("L", t)
    assert v.mean() == pytest.approx(wind_duct.STEPS[3], rel=0.02)
    assert v.std() / v.mean() == pytest.approx(wind_duct.TURBULENCE, rel=0.4)
    assert lift == pytest.approx(wind_duct.LIFT * v**2, rel=1e-3)


@given(st.floats(0.2, 2.0))
def test_the_clap_comes_to_the_second_horn_later(apart):
    rig = lived(two_horns.TwoHorns, 0.5, apart=apart)
    rig.set("clap", 1)
    rig.live_until(1.0)
    t = np.arange(0.5, 0.52, 1e-6)
    first, second = (t[np.flatnonzero(rig.read(p, t))[0]] for p in ("p1", "p2"))
    assert second - first == pytest.approx(apart / two_horns.SPEED, abs=3e-6)


def test_the_wells_run_together_and_keep_their_water():
    rig = lived(linked_wells.LinkedWells, 1.0)
    rig.set("pour1", 1)
    rig.live_until(6.0)
    a1, a2 = linked_wells.AREAS
    poured = rig.state
    assert poured["h1"] - linked_wells.COMMON == pytest.approx(linked_wells.BUCKET / a1)
    rig.set("valve", 1)
    rig.live_until(90.0)
    settled = rig.state
    assert settled["h1"] == pytest.approx(settled["h2"], abs=1e-3)
    before, after = (a1 * one["h1"] + a2 * one["h2"] for one in (poured, settled))
    assert after == pytest.approx(before)
    h1 = rig.read("stick1", np.arange(85.5, 90, 0.01))
    assert rig.read("stick2", np.array([89.0]))[0] == pytest.approx(
        linked_wells.TOP - h1.mean(), abs=2e-3
    )


@pytest.mark.parametrize("pot", [1, 2, 3])
def test_the_electrode_follows_the_worn_nernst_slope(pot):
    state = lived(rock_pool.RockPool, 60.0, probe=pot).state
    assert state["pH"] == pytest.approx(rock_pool.POTS[pot - 1], abs=1e-4)
    slope = 0.94 * 59.16 * (state["T"] + 273.15) / 298.15
    assert state["E"] == pytest.approx(12.0 + slope * (7 - state["pH"]), abs=0.01)


def test_half_the_beam_passes_at_its_centre():
    half = beam_edge.behind_edge(beam_edge.CENTRE) - beam_edge.DARK
    assert half == pytest.approx(beam_edge.FULL / 2)
    assert beam_edge.behind_edge(20) - beam_edge.DARK == pytest.approx(beam_edge.FULL, rel=1e-6)


def test_a_choice_is_one_of_its_places():
    rig = rock_pool.RockPool(seed=1)
    with pytest.raises(ValueError, match="probe is the number of a choice, from 0 to 3"):
        rig.set("probe", 1.5)
