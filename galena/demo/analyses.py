"""What was done at the Desk of the demo world: sheets, spans, notes, and a typed table."""

from pathlib import Path

import numpy as np

from galena.classroom.models import Person
from galena.core.axes import Axis
from galena.core.formats.pasted import pasted
from galena.desk import finding_flows, sheets
from galena.desk import flows as desk
from galena.desk.models import Sheet
from galena.experiments import typed_flows
from galena.experiments.models import Experiment
from galena.reports import flows as reports

REPORT = Path(__file__).with_name("tide_tank.md")
OVERHANGS = np.arange(0.20, 1.001, 0.08)  # m
STIFFNESS = 41.0  # mm/m³: sag = STIFFNESS · L³
MISPRINT = 6  # the row whose digits were turned round
BOTH_LOG = Axis(log=True)


def tide_tank(experiment: Experiment, person: Person) -> None:
    """A line in the same stretch of both fillings, and a report of it."""
    sheet = desk.first_sheet(experiment)
    span = desk.add_span(sheet, 8.0, 24.0)
    first, second, _ = experiment.runs.all()
    finding_flows.ask(span, "line", sheet.quantity, [first, second])
    desk.add_marker(sheet, 25.0)
    report = reports.report_of(experiment)
    reports.save(report, "How fast the tide tank fills", REPORT.read_text("utf-8"), report.version)


def lamp(experiment: Experiment, person: Person) -> None:
    """The curve, and beside it the same with both axes logarithmic."""
    sheet = desk.first_sheet(experiment)
    second = sheets.add_sheet(experiment, sheet.x, [sheet.quantity], "E over d, both logarithmic")
    _make_logarithmic(second)
    sheets.set_beside(second, True)


def wing(experiment: Experiment, person: Person) -> None:
    """Speed and lift in a stack, a plateau marked off; and lift over speed."""
    speed = experiment.quantities.get(symbol="v")
    lift = experiment.quantities.get(symbol="L")
    sheet = desk.first_sheet(experiment)
    sheets.choose_quantity(sheet, speed)
    below = sheets.add_graph(sheet, lift)
    span = desk.add_span(sheet, 80.0, 98.0)
    run = experiment.runs.get()
    for quantity in (speed, lift):
        finding_flows.ask(span, "mean", quantity, [run])
    desk.add_note(below, "fan on step 3: v and L settle together", 85.0, 1.8)
    sheets.add_sheet(experiment, speed, [lift])


def gangway(experiment: Experiment, person: Person) -> None:
    """A table that was typed: how far a gangway sags; one misprint is set aside."""
    rng = np.random.default_rng(1871)
    sags = STIFFNESS * OVERHANGS**3 * (1 + 0.02 * rng.standard_normal(OVERHANGS.size))
    texts = [f"{sag:.1f}" for sag in sags]
    whole, _, tenth = texts[MISPRINT].partition(".")
    texts[MISPRINT] = f"{whole[::-1]}.{tenth}"
    lines = ["overhang L / m\tsag s / mm"]
    lines += [f"{L:.2f}\t{sag}" for L, sag in zip(OVERHANGS, texts, strict=True)]
    run = typed_flows.new_table(experiment, person)
    typed_flows.paste(run, 0, 0, pasted("\n".join(lines)), person)
    reason = "misprint: the digits were turned round"
    typed_flows.set_aside(run, None, MISPRINT, MISPRINT, reason, person)
    desk.first_sheet(experiment)


def _make_logarithmic(sheet: Sheet) -> None:
    sheets.set_axis(sheet, "x", BOTH_LOG)
    for graph in sheet.graphs.all():
        sheets.set_axis(graph, "left", BOTH_LOG)
