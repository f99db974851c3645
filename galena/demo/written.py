"""The reports of the demo world, as groups of students would write them."""

from pathlib import Path

from galena.classroom.models import Person
from galena.experiments.models import Experiment
from galena.reports import flows

FOLDER = Path(__file__).with_name("reports")
REPORTS = {
    "Tide tank": "tide_tank",
    "Lamp over distance": "lamp",
    "Falling magnet": "magnet",
    "Cocoa with and without a lid": "cocoa",
    "Wing in the wind duct": "wing",
    "Two horns": "horns",
    "Shaft spring": "spring",
    "Lantern-room cell": "cell",
    "Wells running together": "wells",
    "Slipway soap": "soap",
    "Beam edge": "beam",
    "Gangway": "gangway",
    "Sycamore seeds": "seeds",
}


def write(experiment: Experiment, person: Person) -> None:
    """Write the report of an experiment, where there is one: its title stands in the first line."""
    name = REPORTS.get(experiment.title)
    if name is None:
        return
    title, _, text = (FOLDER / f"{name}.md").read_text("utf-8").partition("\n\n")
    report = flows.report_of(experiment)
    flows.begin_anew(report, title.removeprefix("# "), text.strip(), person)
