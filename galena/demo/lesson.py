"""A lesson of the demo world: eight groups fill the tide tank, one after another, each in a copy of
its own; one of them marks off a stretch in which the drain is open.
"""

from concurrent.futures import ThreadPoolExecutor
from dataclasses import dataclass
from pathlib import Path

from django.db import connections

from galena.classroom.models import Lesson, Person
from galena.core.errors import GalenaError
from galena.core.plans import SteadyPlan
from galena.demo.apparatus import apparatus
from galena.desk.annotations import flows as annotation_flows
from galena.desk.findings import flows as finding_flows
from galena.desk.sheets import flows as sheet_flows
from galena.experiments.models import Experiment
from galena.lessons import coming_in, flows, giving, handing_in
from galena.reports import flows as report_flows

TITLE = "Filling the tide tank · class 9b"
TASK = (
    "Find out how fast the tank fills at one setting of the pump, and **how sure you are**. "
    "The drain opens by itself after a while: find the moment."
)
STEPS = [
    ("bench", "Set the level gauge to zero while the tank is empty.", "zero"),
    ("record", "One run with the pump at 40 mL/s.", "run"),
    ("desk", "Mark off the stretch where it fills steadily. Ask for its line.", "finding:line"),
    ("report", "Say what you found and why you believe it. Two numbers at least.", "report"),
]
STARTS_WITH = ["conditions", "quantities", "sheets"]
OPENS = 25.0  # s of the tank: the drain
FOLDER = Path(__file__).with_name("reports")
AT_ONCE = 4
REMARKS = (
    (
        "number-1",
        "the slope",
        "Say here how many readings this rests on: you have it in your ledger.",
    ),
    (
        "block-5",
        "Figure 1",
        "Good. And what would you see if the drain leaked a little all the time?",
    ),
)


@dataclass(frozen=True)
class Group:
    """What a group of the demo did: how many runs, the stretch it marked off, its report."""

    name: str
    runs: int
    span: tuple[float, float] | None = None
    report: str = ""
    hands_in: bool = False
    gets_back: bool = False


GROUPS = (
    Group("Gannet", 1, (8.0, 24.0), "group_gannet", hands_in=True),
    Group("Tern", 2, (9.0, 23.5), "group_tern"),
    Group("Puffin", 1),
    Group("Skua", 1, (9.0, 28.0)),
    Group("Fulmar", 2, (7.5, 24.5)),
    Group("Eider", 0),
    Group("Curlew", 1, (10.0, 24.0), "group_curlew", hands_in=True, gets_back=True),
    Group("Dunlin", 1, (8.5, 24.0)),
)


def hold(experiment: Experiment, teacher: Person) -> Lesson:
    """Hold the lesson with an experiment of the teacher's."""
    described = flows.described_of(TITLE, TASK, STEPS, STARTS_WITH)
    lesson = flows.begin(teacher, experiment, described)
    members = [
        coming_in.come_in(lesson.code, group.name, f"{number:016x}")
        for number, group in enumerate(GROUPS)
    ]
    with ThreadPoolExecutor(AT_ONCE) as pool:
        doing = [
            pool.submit(_in_thread, group, member, number)
            for number, (group, member) in enumerate(zip(GROUPS, members, strict=True))
        ]
        for task in doing:
            task.result()
    for group, member in zip(GROUPS, members, strict=True):
        _analyse(group, member)
    flows.say(lesson, "The drain opens by itself: look for the moment before you mark off.", None)
    lesson.questions.create(
        words="slope of A", unit="mm/s", kind="line", is_shown=True,
        details={"span": "A", "quantity": "h", "number": "slope"},
    )  # fmt: skip
    giving.give(lesson, experiment.runs.get(number=1))
    return lesson


def _in_thread(group: Group, member: Person, number: int) -> None:
    try:
        for again in (True, True, False):
            try:
                _record(group, member, number)
            except (AssertionError, GalenaError, TimeoutError):
                if not again:
                    raise
                member.copy.experiment.runs.all().delete()
            else:
                return
    finally:
        connections.close_all()


def _record(group: Group, member: Person, number: int) -> None:
    """Have a group record with the gauge that is lent to it."""
    experiment = member.copy.experiment
    if not group.runs:
        return
    with apparatus("tide_tank", experiment, member, pace=40, instruments=1) as at:
        at.zero("h")
        for run in range(group.runs):
            at.reset(10 * number + run)
            at.set("pump", 40, 3.0)
            at.set("drain", 100, OPENS)
            drain = f"opens at {OPENS:.0f} s"
            at.record(at.wish(("h",), pump="40", drain=drain), SteadyPlan(20, 40))


def _analyse(group: Group, member: Person) -> None:
    copy = member.copy
    experiment = copy.experiment
    if group.span is not None:
        sheet = sheet_flows.first_sheet(experiment)
        span = annotation_flows.add_span(sheet, *group.span)
        finding_flows.ask(span, "line", sheet.quantity, list(experiment.runs.all())[-1:])
    if group.report:
        title, _, text = (FOLDER / f"{group.report}.md").read_text("utf-8").partition("\n\n")
        report = report_flows.report_of(experiment)
        report_flows.begin_anew(report, title.removeprefix("# "), text.strip(), member)
    if group.hands_in:
        made = handing_in.hand_in(copy)
        if group.gets_back:
            for place, quote, text in REMARKS:
                handing_in.remark(made, place, quote, text)
            handing_in.hand_back(made)
