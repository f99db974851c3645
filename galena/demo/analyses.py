"""What was done at the Desk of the demo world: sheets, spans, notes, and a typed table."""

import numpy as np

from galena.classroom.models import Person
from galena.core.axes import Axis
from galena.core.formats.pasted import pasted
from galena.desk.annotations import flows as annotation_flows
from galena.desk.findings import flows as finding_flows
from galena.desk.models import Sheet
from galena.desk.sheets import flows as sheet_flows
from galena.experiments import table_flows
from galena.experiments.models import Experiment
from galena.experiments.quantity_flows import add_derived

OVERHANGS = np.arange(0.20, 1.001, 0.08)  # m
STIFFNESS = 41.0  # mm/m³: sag = STIFFNESS · L³
MISPRINT = 6  # the row whose digits were turned round
BOTH_LOG = Axis(log=True)


def tide_tank(experiment: Experiment, person: Person) -> None:
    """A line in the same stretch of both fillings."""
    sheet = sheet_flows.first_sheet(experiment)
    span = annotation_flows.add_span(sheet, 8.0, 24.0)
    first, second, _ = experiment.runs.all()
    finding_flows.ask(span, "line", sheet.quantity, [first, second])
    annotation_flows.add_marker(sheet, 25.0)


def lamp(experiment: Experiment, person: Person) -> None:
    """Three models of the fall with distance, compared; beside it both axes logarithmic."""
    sheet = sheet_flows.first_sheet(experiment)
    span = annotation_flows.add_span(sheet, 0.19, 1.21)
    bare = experiment.runs.get(number=1)
    findings = {
        kind: finding_flows.ask(span, kind, sheet.quantity, [bare])[0]
        for kind in ("inverse_square_constant", "inverse", "decay_constant")
    }
    why = "The light of a small lamp spreads over a sphere; the room adds its own."
    finding_flows.say_why(findings["inverse_square_constant"], why)
    finding_flows.show_on_graph(findings["inverse_square_constant"], True)
    second = sheet_flows.add_sheet(
        experiment, sheet.x, [sheet.quantity], "E over d, both logarithmic"
    )
    _make_logarithmic(second)


def soap(experiment: Experiment, person: Person) -> None:
    """Two branches, a line in each, and where they meet: the critical concentration."""
    sheet = sheet_flows.first_sheet(experiment)
    run = experiment.runs.get()
    lines = [
        finding_flows.ask(annotation_flows.add_span(sheet, *ends), "line", sheet.quantity, [run])[0]
        for ends in ((0.0, 12.0), (15.0, 26.0))
    ]
    met = finding_flows.build(sheet, "meet", [one.pk for one in lines])
    finding_flows.rename(met, "V_c")
    finding_flows.show_on_graph(met, True)


def beam(experiment: Experiment, person: Person) -> None:
    """A steep curve and its rates of change: where the second crosses zero, and E there."""
    light = experiment.quantities.get(symbol="E")
    slope = add_derived(experiment, "rate(E, x)", "rate of change", "E_x")
    second = add_derived(experiment, "rate(E_x, x)", "second rate of change", "E_xx")
    sheet = sheet_flows.first_sheet(experiment)
    for fit in (slope, second):
        sheet_flows.add_graph(sheet, fit)
    run = experiment.runs.get()
    span = annotation_flows.add_span(sheet, 7.5, 11.5)
    (crossing,) = finding_flows.ask(span, "crossing", second, [run], {"level": 0.0})
    finding_flows.ask(span, "peak", slope, [run])
    finding_flows.build(sheet, "there", [crossing.pk], quantity=light)
    whole = annotation_flows.add_span(sheet, 2.5, 15.5)
    finding_flows.ask(whole, "step", light, [run], {"weighted": True})


def gangway(experiment: Experiment, person: Person) -> None:
    """A table that was typed: how far a gangway sags; one misprint is set aside."""
    rng = np.random.default_rng(1871)
    sags = STIFFNESS * OVERHANGS**3 * (1 + 0.02 * rng.standard_normal(OVERHANGS.size))
    texts = [f"{sag:.1f}" for sag in sags]
    whole, _, tenth = texts[MISPRINT].partition(".")
    texts[MISPRINT] = f"{whole[::-1]}.{tenth}"
    lines = ["overhang L / m\tsag s / mm"]
    lines += [f"{L:.2f}\t{sag}" for L, sag in zip(OVERHANGS, texts, strict=True)]
    run = table_flows.new_table(experiment, person)
    table_flows.paste(run, 0, 0, pasted("\n".join(lines)), person)
    reason = "misprint: the digits were turned round"
    table_flows.set_aside(run, None, MISPRINT, MISPRINT, reason, person)
    sheet = sheet_flows.first_sheet(experiment)
    span = annotation_flows.add_span(sheet, 0.15, 1.05)
    finding_flows.ask(span, "power", sheet.quantity, [run])


def _make_logarithmic(sheet: Sheet) -> None:
    sheet_flows.set_axis(sheet, "x", BOTH_LOG)
    for graph in sheet.graphs.all():
        sheet_flows.set_axis(graph, "left", BOTH_LOG)
