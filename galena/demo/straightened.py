"""Curves of the demo world that were made straight, and a guess that was wrong."""

from galena.classroom.models import Person
from galena.desk.annotations import flows as annotation_flows
from galena.desk.models import Sheet, Span
from galena.desk.sheets import flows as sheet_flows
from galena.experiments.models import Experiment
from galena.experiments.quantity_flows import add_derived
from galena.straighten.back import back_to_law
from galena.straighten.choice import Choice
from galena.straighten.keep import keep
from galena.straighten.subject import subject_of
from galena.straighten.work import work_of


def lamp(experiment: Experiment, person: Person) -> None:
    """The inverse square of a bare lamp; with a lens in front it is none."""
    sheet = sheet_flows.first_sheet(experiment)
    _straighten(
        sheet, sheet.spans.first(), "inverse_square",
        "The lamp is small, so its light spreads over a sphere of 4πd². A little light in the "
        "room adds the constant.",
    )  # fmt: skip


def gangway(experiment: Experiment, person: Person) -> None:
    """A power by both logarithms, after an exponential was tried that stays a curve."""
    sheet = sheet_flows.first_sheet(experiment)
    span = sheet.spans.first()
    guess = _straighten(sheet, span, "exponential_growth",
                        "A guess that was tried: what is left over runs in a curve.")  # fmt: skip
    sheet_flows.retitle(guess, "a guess: exponential")
    _straighten(sheet, span, "power", "A beam clamped at one end sags with the cube of its length.")


def cocoa(experiment: Experiment, person: Person) -> None:
    """The logarithm of how much warmer than the room the cocoa is."""
    warmer = add_derived(experiment, "T_2 - T_room", "excess temperature of mug 2", "ΔT")
    sheet = sheet_flows.add_sheet(experiment, None, [warmer], "mug 2 above the room")
    span = annotation_flows.add_span(sheet, 60.0, 3600.0, warmer)
    _straighten(sheet, span, "exponential_decay",
                "It loses heat in proportion to how much warmer than the room it is.")  # fmt: skip


def wing(experiment: Experiment, person: Person) -> None:
    """A sheet that goes over the square of the speed already: back to the law."""
    sheet = sheet_flows.sheets_of(experiment)[-1]
    subject = subject_of(sheet, sheet.spans.first(), None, None)
    back_to_law(
        subject, Choice(),
        "Twice the speed brings twice the air in a second, and each part of it is turned down "
        "twice as fast.",
    )  # fmt: skip


def _straighten(sheet: Sheet, span: Span | None, relation: str, why: str) -> Sheet:
    """Make the second sheet; the first one stays alone in front."""
    choice = Choice(relation=relation)
    subject = subject_of(sheet, span, None, None)
    second = keep(work_of(subject, choice), subject, choice, why)
    sheet_flows.set_beside(sheet, False)
    return second
