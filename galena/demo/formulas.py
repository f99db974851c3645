"""Formulas of the demo world: energies of a spring, power of a cell, water in wells, cooling."""

from galena.classroom.models import Person
from galena.core.axes import Axis
from galena.desk.annotations import flows as annotation_flows
from galena.desk.findings import flows as finding_flows
from galena.desk.sheets import flows as sheet_flows
from galena.experiments.models import Experiment, Quantity
from galena.experiments.quantity_flows import add_derived, save_given, set_rule

DRIFTING = "a*exp(-x/τ) + c + d*x"  # the room warms a little while the cocoa cools


def shaft_spring(experiment: Experiment, person: Person) -> None:
    """Speed and three energies from the height alone; their sum stays what it was."""
    height = experiment.quantities.get(symbol="y")
    set_rule(height, "absolute", "0.001")
    save_given(experiment, None, "stiffness of the spring", "k", "9.60 ± 0.05", "N/m")
    save_given(experiment, None, "height of the hook without a weight", "y_0", "2.404 ± 0.002",
               "m", "read by the ranger itself, so that its offset drops out")  # fmt: skip
    add_derived(experiment, "rate(y, t, 7)", "speed", "v")
    add_derived(experiment, "0.5*m*v^2", "kinetic energy", "E_kin")
    add_derived(experiment, "m*g_n*(y - y_0)", "potential energy", "E_pot")
    add_derived(experiment, "0.5*k*(y_0 - y)^2", "energy of the spring", "E_el")
    add_derived(experiment, "E_kin + E_pot + E_el", "sum of the energies", "E")
    first = sheet_flows.first_sheet(experiment)
    sheet_flows.choose_quantity(first, height)
    sheet_flows.add_graph(first, experiment.quantities.get(symbol="v"))
    second = sheet_flows.add_sheet(experiment, None, [experiment.quantities.get(symbol="E_kin")],
                              "energies")  # fmt: skip
    for symbol in ("E_pot", "E_el", "E"):
        sheet_flows.add_graph(second, experiment.quantities.get(symbol=symbol))
    sheet_flows.set_axis(second.graphs.last(), "left", Axis(-2.0, -0.5))  # a range like the others'
    experiment.runs.filter(number=1).update(shown=False)


def lantern_cell(experiment: Experiment, person: Person) -> None:
    """Power over voltage, and its rate of change: zero where the cell gives most."""
    voltage, current = (experiment.quantities.get(symbol=quantity) for quantity in "UI")
    set_rule(voltage, "absolute", "0.0006")
    set_rule(current, "absolute", "0.06")
    power = add_derived(experiment, "U*I", "power", "P")
    slope = add_derived(experiment, "rate(P, U, 9)", "rate of change of power", "P_U")
    sheet = sheet_flows.first_sheet(experiment)
    sheet_flows.choose_quantity(sheet, current)
    sheet_flows.choose_x(sheet, voltage)
    for quantity in (power, slope):
        sheet_flows.add_graph(sheet, quantity)
    bright = experiment.runs.get(number=1)
    span = annotation_flows.add_span(sheet, 0.42, 0.50)
    (most,) = finding_flows.ask(span, "crossing", slope, [bright], {"level": 0.0})
    finding_flows.build(sheet, "there", [most.pk], quantity=current)
    finding_flows.ask(span, "peak", power, [bright])


def linked_wells(experiment: Experiment, person: Person) -> None:
    """What one well loses the other gains: the water above the common level stays the same."""
    first, second = (experiment.quantities.get(symbol=quantity) for quantity in ("h_1", "h_2"))
    for quantity in (first, second):
        set_rule(quantity, "absolute", "0.0006")
    water = add_derived(experiment, "A_1*h_1 + A_2*h_2", "water above the common level", "V", "L")
    sheet = sheet_flows.first_sheet(experiment)
    sheet_flows.show(sheet.graphs.first(), {first: "left", second: "left"})
    sheet_flows.add_graph(sheet, water)


def cocoa(experiment: Experiment, person: Person) -> None:
    """The logarithm of how much warmer than the room the cocoa is: straight, if it cools by it."""
    save_given(experiment, None, "room temperature", "T_room", "19.9 ± 0.2", "°C")
    logarithms: list[Quantity] = [
        add_derived(
            experiment, f"ln((T_{mug} - T_room)/1 K)", f"logarithm for mug {mug}", f"L_{mug}"
        )
        for mug in (1, 2)
    ]
    sheet = sheet_flows.first_sheet(experiment)
    cooling = {experiment.quantities.get(symbol=f"T_{mug}"): "left" for mug in (1, 2)}
    sheet_flows.show(sheet.graphs.first(), cooling)
    straight = sheet_flows.add_sheet(
        experiment, None, [logarithms[0]], "straight, if by Newton's law"
    )
    graph = straight.graphs.first()
    sheet_flows.show(graph, dict.fromkeys(logarithms, "left"))
    # Later the cocoa is as warm as the room, and the last digit is all that is left.
    sheet_flows.set_axis(straight, "x", Axis(0.0, 3600.0))
    sheet_flows.set_axis(graph, "left", Axis(0.0, 4.5))
    span = annotation_flows.add_span(sheet, 60.0, 7200.0)
    runs = list(experiment.runs.all())
    first, two = (experiment.quantities.get(symbol=symbol) for symbol in ("T_1", "T_2"))
    finding_flows.ask(span, "decay_constant", first, runs[:1])
    finding_flows.ask(span, "model", first, runs[:1], {"formula": DRIFTING})
    # Under a lid two hours are too short to tell the room's drift; it was 0.4 °C in an hour.
    (lidded,) = finding_flows.ask(span, "model", two, runs[1:], {"formula": DRIFTING})
    finding_flows.hold(lidded, {"d": 0.4 / 3600})
