"""What was recorded at Skerry Point, one function an experiment, on the rigs themselves.

The rigs of slow things live faster than the clock on the wall; their runs are in rig time.
"""

from galena.bench.calibration import flows as calibration_flows
from galena.classroom.models import Person
from galena.core.plans import ArmedPlan, SteadyPlan
from galena.core.trigger import Level
from galena.demo.apparatus import Apparatus, apparatus
from galena.experiments import flows
from galena.experiments.models import Condition, Experiment
from galena.recording.stepwise import stepper
from galena.shell.waiting import until

MAGNET = ArmedPlan(10_000, 0.200, 0.080, Level(-0.1, "falling"))
TOO_SLOW = ArmedPlan(500, 0.060, 0.010, Level(-0.1, "falling"))
TURNS, HEIGHTS = ("200", "400"), ("0.30 ± 0.01", "0.60 ± 0.01")
CLAP = ArmedPlan(10_000, 0.050, 0.005, Level(0.5, "rising"))
DISTANCES = (0.2, 0.25, 0.3, 0.35, 0.4, 0.5, 0.6, 0.7, 0.85, 1.0, 1.2)
VOLUMES = (*range(0, 13, 1), 13.5, 14, *range(15, 27, 1))  # mL
STIRRED = 12.0  # s of the rig until soap and water are mixed
EDGES = (3.0, 4.0, 5.0, 5.8, 6.5, 7.1, 7.7, 8.2, 8.7, 9.2, 9.7, 10.2, 10.8, 11.4, 12.1, 12.9,
         13.8, 15.0)  # fmt: skip  # mm
FORGOTTEN = 5  # the place of the distance that was typed, but not yet set
WEIGHTS = ((1, "0.250 ± 0.001", 8.0), (2, "0.500 ± 0.001", 12.0))
WELLS = ("0.500 ± 0.002", "0.200 ± 0.001")
SETTLED, TAKE = 3000.0, 7200.0  # seconds of the rig in a pot, and over which a mean is taken
POTS = (("4.003", 1), ("7.001", 2), ("9.996", 3))


def tide_tank(experiment: Experiment, person: Person) -> None:
    """Two steady fillings, and one that is let out again."""
    with apparatus("tide_tank", experiment, person, pace=40, instruments=1) as at:
        for number, (flow, opened) in enumerate([(40, None), (70, None), (100, 25.0)]):
            at.reset(number)
            at.set("pump", flow, 3.0)
            if opened is not None:
                at.set("pump", 0, 25.0)
                at.set("drain", 100, opened)
            drain = "opened at 25 s" if opened else "closed"
            at.record(at.wish(("h",), pump=str(flow), drain=drain), SteadyPlan(20, 60))


def lamp_rail(experiment: Experiment, person: Person) -> None:
    """Stepwise, without and with the lens; once the lamp was not moved, and it was taken again."""
    flows.add_condition(experiment, "lens", Condition.Kind.CHOICE, choices="none, in front")
    d = flows.add_entered(experiment, "distance", "d", "m", "3")
    with apparatus("lamp_rail", experiment, person, pace=8) as at:
        at.set("power", 55)
        for lens, name in ((0, "none"), (1, "in front")):
            at.set("lens", lens)
            wish = at.wish(("E",), lens=name)
            for place, distance in enumerate(DISTANCES):
                if lens or place != FORGOTTEN:
                    at.set("d", distance)
                at.take(wish, 1.0, d, f"{distance:.3f}")
            if not lens:
                at.set("d", DISTANCES[FORGOTTEN])
                run = experiment.runs.latest("number")
                stepper.take_again(at.recorder, run, FORGOTTEN + 1, person)
            at.recorder.stop(experiment.pk, str(person))


def magnet_tube(experiment: Experiment, person: Person) -> None:
    """Armed: two coils, two heights, each twice; and one with too few readings."""
    flows.add_condition(experiment, "turns", Condition.Kind.NUMBER, "N")
    flows.add_condition(experiment, "drop", Condition.Kind.NUMBER, "H", "m")
    drops = [(turns, height) for turns in TURNS for height in HEIGHTS for _ in range(2)]
    with apparatus("magnet_tube", experiment, person) as at:
        at.zero("ε", patiently=4)
        for number, (turns, height) in enumerate(drops):
            _drop(at, number, MAGNET, turns, height)
        _drop(at, len(drops), TOO_SLOW, TURNS[-1], HEIGHTS[-1])


def _drop(at: Apparatus, number: int, plan: ArmedPlan, turns: str, height: str) -> None:
    at.reset(number)  # the magnet is up again at once
    at.set("coil", TURNS.index(turns))
    at.set("height", float(height.split()[0]))
    at.catch(at.wish(("ε",), turns=turns, drop=height), plan, "ε", "drop")


def cocoa(experiment: Experiment, person: Person) -> None:
    """Two mugs for two hours: both open, then the second one with a lid."""
    flows.add_condition(experiment, "lid on mug 2", Condition.Kind.CHOICE, choices="none, on")
    with apparatus("cocoa", experiment, person, pace=3600) as at:
        for number, lid in enumerate(("none", "on")):
            at.reset(number)
            at.set("lid2", number)
            at.live_for(60)
            wish = at.wish(("T_1", "T_2"), lid_on_mug_2=lid)
            at.record(wish, SteadyPlan(0.1, 7200))


def wind_duct(experiment: Experiment, person: Person) -> None:
    """One run over the five steps of the fan, a minute each; the balance was zeroed."""
    flows.add_condition(experiment, "wing", Condition.Kind.TEXT)
    with apparatus("wind_duct", experiment, person, pace=40) as at:
        at.zero("v", "L")
        begin = at.rig.state["t"] + 12.0  # a reset would set the two clocks anew
        for step in range(1, 6):
            at.set("fan", step, begin + 60.0 * (step - 1))
        at.record(at.wish(("v", "L"), wing="flat, 4°"), SteadyPlan(20, 320))


def two_horns(experiment: Experiment, person: Person) -> None:
    """Armed: a clap that passes two horns, at three distances, the first one twice."""
    flows.add_condition(experiment, "horn 2 behind horn 1", Condition.Kind.NUMBER, "s", "m")
    with apparatus("two_horns", experiment, person) as at:
        at.zero("p_1", "p_2")
        for apart in ("0.50", "0.50", "1.00", "1.50"):
            at.set("apart", float(apart))
            wish = at.wish(("p_1", "p_2"), horn_2_behind_horn_1=apart)
            at.catch(wish, CLAP, "p_1", "clap")


def rock_pool(experiment: Experiment, person: Person) -> None:
    """A day of the pool, a reading a minute, after a calibration in three pots."""
    flows.add_condition(experiment, "weather", Condition.Kind.TEXT)
    with apparatus("rock_pool", experiment, person, pace=9600) as at:
        _calibrate(at)
        at.set("probe", 0)
        at.go_by(SETTLED)
        at.record(at.wish(("pH", "T"), weather="sun, light wind"), SteadyPlan(1 / 60, 86_400))


def shaft_spring(experiment: Experiment, person: Person) -> None:
    """A weight on the long spring, pulled down and let go: two weights, seen by the ranger."""
    flows.add_condition(experiment, "weight", Condition.Kind.NUMBER, "m", "kg")
    with apparatus("shaft_spring", experiment, person, pace=8, instruments=1) as at:
        for number, (choice, mass, pull) in enumerate(WEIGHTS):
            at.reset(number)
            at.set("pull", pull)
            at.set("mass", choice)
            at.set("go", 1)
            at.live_for(1.0)
            at.record(at.wish(("y",), weight=mass), SteadyPlan(50, 12))


def lantern_cell(experiment: Experiment, person: Person) -> None:
    """The load swept from short towards open, in much light and in less.

    Near the open end the voltage hardly changes any more, and its noise would be all that is left.
    """
    flows.add_condition(experiment, "light", Condition.Kind.NUMBER, "", "%")
    with apparatus("lantern_cell", experiment, person, pace=10) as at:
        for number, light in enumerate(("80", "50")):
            at.reset(number)
            at.set("light", float(light))
            at.set("load", 0)
            at.live_for(1.0)
            at.set("sweep", 1)
            at.record(at.wish(("U", "I"), light=light), SteadyPlan(20, 15))


def slipway_soap(experiment: Experiment, person: Person) -> None:
    """Stepwise: soap added a millilitre at a time, past the place where the branches meet."""
    volume = flows.add_entered(experiment, "soap solution added", "V", "mL", "1")
    with apparatus("slipway_soap", experiment, person, pace=20) as at:
        wish = at.wish(("κ",))
        for added in VOLUMES:
            at.set("V", added)
            at.go_by(STIRRED)
            at.take(wish, 2.0, volume, f"{added:.1f}")
        at.recorder.stop(experiment.pk, str(person))


def beam_edge(experiment: Experiment, person: Person) -> None:
    """Stepwise: the knife edge moved across the beam, in finer steps where it is steep."""
    place = flows.add_entered(experiment, "place of the edge", "x", "mm", "2")
    with apparatus("beam_edge", experiment, person, pace=20) as at:
        wish = at.wish(("E",))
        for edge in EDGES:
            at.set("x", edge)
            at.go_by(0.2)
            at.take(wish, 1.0, place, f"{edge:.2f}")
        at.recorder.stop(experiment.pk, str(person))


def linked_wells(experiment: Experiment, person: Person) -> None:
    """Zeroed at the common level, the second stick turned round; then a bucket and the valve."""
    for number, well in enumerate(("1", "2")):
        flows.add_condition(
            experiment, f"area of well {well}", Condition.Kind.NUMBER, f"A_{number + 1}", "m^2"
        )
    with apparatus("linked_wells", experiment, person) as at:
        at.zero("h_1", "h_2")
        at.reverse("h_2")
        at.set("pour1", 1)
        wish = at.wish(("h_1", "h_2"), area_of_well_1=WELLS[0], area_of_well_2=WELLS[1])
        at.go_by(5.0)
        at.set("valve", 1)
        at.record(wish, SteadyPlan(10, 25))


def _calibrate(at: Apparatus) -> None:
    electrode = at.channel("E")
    making = calibration_flows.in_the_making(electrode, at.person)
    calibration_flows.describe_value(making, quantity="acidity", symbol="pH", unit="", model="line")
    feed, column = at.bench.feed_of(electrode.pk)
    for value, place in POTS:
        at.set("probe", place)
        at.go_by(SETTLED)
        averaging = feed.average(column, TAKE)
        until(averaging.done.is_set, f"readings in the pot of pH {value}", 20)
        calibration_flows.add_take(making, value, 0.01, averaging.readings, TAKE)
    calibration_flows.keep(making)
    at.bench.refresh()
