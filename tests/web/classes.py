"""A lesson with groups whose copies hold the same runs, for tests."""

from django.test import Client

from galena.desk.annotations import flows as annotations
from galena.desk.findings import flows as finding_flows
from galena.desk.sheets import flows as sheet_flows
from galena.lessons import coming_in, flows, handing_out
from tests import making
from tests.pages import PageClient

STEPS = [
    {"page": "desk", "text": "Mark off the steady stretch.", "done": "finding:line"},
    {"page": "report", "text": "Say what you found.", "done": "report"},
]


def begin(experiment, starts_with=("conditions", "quantities", "formulas", "sheets", "runs")):
    """Begin a lesson with an experiment."""
    described = {"title": "Filling the tide tank", "text": "How fast does it fill?",
                 "steps": STEPS, "starts_with": handing_out.completed(starts_with)}  # fmt: skip
    return flows.begin(experiment.owner, experiment, described)


def group(lesson, name):
    """Have a group come in."""
    return coming_in.come_in(lesson.code, name, f"{abs(hash(name)):016x}"[:16])


def client_of(person) -> Client:
    """Give a browser in which somebody is signed in."""
    client = PageClient()
    client.force_login(person)
    return client


def slope(member, lo=2.0, hi=15.0, run=1):
    """Have a group mark off a span of its first sheet and ask for its line."""
    copy = member.copy.experiment
    sheet = sheet_flows.first_sheet(copy)
    span = annotations.add_span(sheet, lo, hi)
    runs = list(copy.runs.filter(number=run))
    (line,) = finding_flows.ask(span, "line", sheet.quantity, runs)
    return line


def recorded(experiment, **given):
    """Store a run of a level that rises by 2 mm/s."""
    return making.run(experiment, making.ramp(**given), conditions=["40"])
