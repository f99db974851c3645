"""Stepwise runs: a reading when the person says so, taken again, and going on another day."""

from galena.core.errors import GalenaError
from galena.core.plans import StepwisePlan
from galena.experiments.models import Quantity, Run
from galena.experiments.runs.stepwise import correct as correct_entry
from galena.instruments.errors import InstrumentError
from galena.recording import flows
from galena.recording.acquisition.releasing import release
from galena.recording.acquisition.stepping import StepTaking
from galena.recording.acquisition.taking import Batch
from galena.recording.engine import sources
from galena.recording.engine.recorder import Recorder, claim_of
from galena.recording.engine.sources import Source
from galena.recording.engine.state import Stepping, Wish
from galena.recording.errors import AlreadyRecording, NothingToRecord
from galena.recording.stepwise import flows as step_flows

PATIENCE = 3.0  # seconds past the time of a mean after which a reading is given up


def take(
    recorder: Recorder,
    wish: Wish,
    plan: StepwisePlan,
    quantities: list[Quantity],
    texts: dict[int, str],
) -> str:
    """Take a reading with what was typed; the first one begins the run.

    Gives a remark where that setting was there before. Returns when the reading is stored;
    raises PlanError, ConditionError, RecordingError or InstrumentError, and then none is kept.
    """
    typed = step_flows.read_settings(quantities, texts)
    stepping = recorder.recordings.of(wish.experiment.pk)
    is_first = not isinstance(stepping, Stepping)
    if not isinstance(stepping, Stepping):
        stepping = _begin(recorder, wish, plan)
    try:
        same = step_flows.repeated(stepping.run, typed)
        _take(stepping, wish.person, typed, None)
    except (GalenaError, OSError):
        if is_first:
            _give_up(recorder, stepping)
        raise
    return "" if same is None else step_flows.said_of_repeat(same, typed)


def take_again(recorder: Recorder, run: Run, row: int, person) -> None:
    """Take the reading of a row again; the one before is kept. Raises as `take` does."""
    stepping = _of(recorder, run)
    if not run.steps.filter(row=row, replaced_at=None).exists():
        raise NothingToRecord(f"Row {row} is not there any more. Load the page again.")
    _take(stepping, person, None, row)


def correct(recorder: Recorder, run: Run, row: int, quantity: Quantity, text: str, person) -> None:
    """Correct a typed value, whether the run is in the making or not. Raises CannotType."""
    correct_entry(run, row, quantity, text, person)
    stepping = recorder.recordings.of(run.experiment_id)
    if isinstance(stepping, Stepping) and stepping.run.pk == run.pk:
        stepping.version += 1


def go_on(recorder: Recorder, run: Run, person) -> Stepping:
    """Go on with a stepwise run that has ended, with the channels that it was made of.

    Raises RecordingError or InstrumentError.
    """
    if not run.kind.can_go_on:
        raise NothingToRecord(f"Run {run.number} was not taken step by step; record a repeat.")
    wish = Wish(run.experiment, _channels_of(recorder, run), {}, "", person)
    chosen = sources.find(recorder.bench, wish)
    with recorder.recordings.claiming(claim_of(wish, chosen)):
        ending = run.ending
        flows.reopen(run)
        try:
            stepping = _open(chosen, StepwisePlan(run.details["average"]), run)
        except (GalenaError, OSError):
            flows.end_run(run, ending, [])
            raise
        recorder.recordings.put(stepping)
    return stepping


def _begin(recorder: Recorder, wish: Wish, plan: StepwisePlan) -> Stepping:
    chosen = sources.find(recorder.bench, wish)  # refuses before anything is kept
    with recorder.recordings.claiming(claim_of(wish, chosen)):
        run, _ = flows.begin_run(wish.experiment, plan, [], wish.conditions, wish.note, wish.person)
        try:
            stepping = _open(chosen, plan, run)
        except (GalenaError, OSError):
            run.delete()
            raise
        recorder.recordings.put(stepping)
    return stepping


def _open(chosen: list[Source], plan: StepwisePlan, run: Run) -> Stepping:
    shown = [one.shown for one in chosen]
    takings = [StepTaking(one.link, one.columns, one.corrections, plan.average) for one in chosen]
    try:
        for taking in takings:
            taking.link.restart(taking.rate, taking)
    except InstrumentError:
        for taking in takings:
            release(taking.link, taking)
        raise
    stored = [flows.begin_stream(run, group) for group in shown]
    return Stepping(run, plan, takings, stored, shown)


def _take(stepping: Stepping, person, typed: step_flows.Typed | None, row: int | None) -> None:
    if not stepping.busy.acquire(blocking=False):
        raise AlreadyRecording("A reading is being taken just now. Wait for it to be there.")
    try:
        batches = _collect(stepping)
        taken = list(zip(stepping.stored, batches, strict=True))
        step_flows.store_step(stepping.run, taken, person, typed, row)
        for taking in stepping.takings:
            taking.count += taking.wanted
        stepping.version += 1
    finally:
        stepping.busy.release()


def _collect(stepping: Stepping) -> list[Batch]:
    for taking in stepping.takings:
        taking.begin()
    batches = []
    for taking in stepping.takings:
        pace = taking.link.stream.clock.pace
        taking.wait(taking.wanted / taking.rate / pace + PATIENCE)
        batch = taking.end()
        if batch is None:
            state = taking.link.state
            why = f"{state.reason}. {state.advice}" if not state.is_live else "Try again."
            name = stepping.shown[stepping.takings.index(taking)][0].name
            raise NothingToRecord(f"No reading was taken: {name} gave too few in time. {why}")
        batches.append(batch)
    return batches


def _give_up(recorder: Recorder, stepping: Stepping) -> None:
    """Take back a run whose first reading could not be taken."""
    if stepping.run.steps.exists():
        return
    for taking in stepping.takings:
        release(taking.link, taking)
    recorder.recordings.drop(stepping)
    stepping.run.delete()


def _of(recorder: Recorder, run: Run) -> Stepping:
    stepping = recorder.recordings.of(run.experiment_id)
    if not isinstance(stepping, Stepping) or stepping.run.pk != run.pk:
        raise NothingToRecord(f"Run {run.number} is not being recorded. Go on with it first.")
    return stepping


def _channels_of(recorder: Recorder, run: Run) -> list[int]:
    """Give the live channels that measure what the run measured; all of them must be there."""
    wanted = {
        one.quantity.source: one.quantity.name
        for stream in run.streams.prefetch_related("series__quantity")
        for one in stream.series.all()
        if one.quantity is not None
    }
    shown = recorder.bench.show(run.experiment)
    live = {one.pk for one in recorder.bench.live_channels()}
    by_source = {one.source: key for key, one in shown.items() if key in live}
    missing = [name for source, name in wanted.items() if source not in by_source]
    if missing:
        raise NothingToRecord(
            f"Run {run.number} needs {' and '.join(missing)}, which gives no readings now. "
            "Connect the same instrument on the Bench."
        )
    return [by_source[source] for source in wanted]
