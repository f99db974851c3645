"""Instruments that are lent to groups, and come back."""

from django.db import IntegrityError, transaction
from django.utils import timezone

from galena.bench.live.bench import BENCH
from galena.bench.models import Instrument
from galena.classroom.models import Lesson, Person
from galena.experiments.models import Experiment
from galena.lessons.errors import LessonError
from galena.lessons.live import tell_group, tell_teacher
from galena.lessons.models import Loan
from galena.recording.engine.recorder import RECORDER


def load() -> None:
    """Have the Bench know what is lent now, as it stands in the database."""
    kept = Loan.objects.filter(back_at=None).select_related("group")
    BENCH.loans.set({loan.instrument_id: (loan.group_id, str(loan.group)) for loan in kept})
    BENCH.refresh()


def lend(lesson: Lesson, instrument: Instrument, group: Person) -> Loan:
    """Lend an instrument to a group of a lesson. Raises LessonError."""
    if lesson.ended_at is not None:
        raise LessonError("This lesson has ended.")
    _refuse_while_recording(instrument)
    try:
        with transaction.atomic():
            loan = Loan.objects.create(lesson=lesson, instrument=instrument, group=group)
    except IntegrityError as error:
        holder = Loan.objects.get(instrument=instrument, back_at=None).group
        raise LessonError(
            f"{instrument} is lent to {holder} already. Take it back first."
        ) from error
    load()
    tell_group(group, "loan")
    tell_teacher(lesson)
    return loan


def take_back(loan: Loan) -> None:
    """Take an instrument back. Raises LessonError while the group records with it."""
    _refuse_while_recording(loan.instrument)
    _end(loan)
    load()
    tell_group(loan.group, "loan")
    tell_teacher(loan.lesson_id)


def take_all_back(lesson: Lesson) -> None:
    """Have all that is lent in a lesson come back; what is recorded with it ends, and is kept."""
    loans = list(lesson.loans.filter(back_at=None).select_related("group", "instrument"))
    for loan in loans:
        for experiment in Experiment.objects.filter(owner=loan.group):
            RECORDER.stop(experiment.pk, "the end of the lesson")
        _end(loan)
    if loans:
        load()


def _end(loan: Loan) -> None:
    loan.back_at = timezone.now()
    loan.save(update_fields=["back_at"])


def _refuse_while_recording(instrument: Instrument) -> None:
    channels = instrument.channels.values_list("pk", flat=True)
    links = {id(feed.link) for feed in BENCH.feeds_of_channels(channels)}
    for use in BENCH.uses():
        if any(id(link) in links for link in use.links):
            raise LessonError(f"{use.name} records {use.what} with {instrument} now. Wait for its "
                              "end, or stop it first.")  # fmt: skip


def lendable(lesson: Lesson) -> list[tuple[Instrument, Loan | None]]:
    """List the instruments on the Bench, each with whom it is lent to."""
    keys = {
        feed.channels[0].instrument_id
        for feed in list(BENCH.feeds.values())
        if feed.channels and feed.group is None
    }
    loans = {
        loan.instrument_id: loan
        for loan in Loan.objects.filter(back_at=None).select_related("group", "lesson")
    }
    keys |= {key for key, loan in loans.items() if loan.lesson_id == lesson.pk}
    instruments = Instrument.objects.filter(pk__in=keys).order_by("model", "serial")
    return [(instrument, loans.get(instrument.pk)) for instrument in instruments]
