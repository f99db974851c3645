"""The Skerry Point Field School: its people, its experiments and its plugged-in rig."""

import asyncio
import contextlib
import threading
from collections.abc import Iterator
from pathlib import Path

from django.conf import settings

from galena.bench.live import Bench
from galena.classroom.models import Person
from galena.classroom.views import DEMO_TEACHER
from galena.core.plans import SteadyPlan
from galena.desk import flows as desk
from galena.experiments import flows as experiments
from galena.experiments.models import Experiment, Run
from galena.instruments.rigs.process import RigProcess
from galena.recording.recorder import Recorder
from galena.reports import flows as reports
from galena.shell.waiting import until

PACE = 20.0
TO_TRY = (
    ("Linked wells", [("area of well 1", "m^2"), ("area of well 2", "m^2")]),
    ("Rock pool", [("weather", "")]),
    ("Grow-shelf lamps", []),
    ("Tide tank, to try", [("pump", "mL/s"), ("drain", "")]),
)
LAST = TO_TRY[-1][0]
SEED = 1871  # the year on the lighthouse door

REPORT = Path(__file__).with_name("tide_tank.md")


def build() -> None:
    """Make the demo world unless it is there already: people, then experiments.

    The experiment made last tells that it is whole; one that was broken off is made anew.
    """
    if Experiment.objects.filter(owner__username=DEMO_TEACHER, title=LAST).exists():
        return
    print("Building the demo world: three runs are recorded, this takes some seconds.", flush=True)
    ada = Person.objects.filter(username=DEMO_TEACHER).first()
    if ada is None:
        ada = Person.objects.create_user(DEMO_TEACHER, first_name="Ada")
    Experiment.objects.filter(owner=ada).delete()
    experiment = experiments.create(ada, "Tide tank", [("pump", "mL/s"), ("drain", "")])
    _record_tide_tank(experiment, ada)
    _analyse_tide_tank(experiment)
    for title, conditions in TO_TRY:
        experiments.create(ada, title, conditions)


@contextlib.contextmanager
def plugged_in() -> Iterator[None]:
    """Build the world, and have the server plug a rig in."""
    build()
    settings.GALENA_RIGS = settings.GALENA_RIGS or ["tide_tank"]
    yield


@contextlib.contextmanager
def _recording(rig: RigProcess) -> Iterator[tuple[Bench, Recorder]]:
    """Run a bench and a recorder as the server does, in an event loop of their own."""
    bench = Bench()
    recorder = Recorder(bench)
    loop = asyncio.new_event_loop()
    thread = threading.Thread(target=loop.run_forever, daemon=True)
    thread.start()

    async def start() -> None:
        bench.start(rig.addresses[:1])

    recorder.open()
    asyncio.run_coroutine_threadsafe(start(), loop).result()
    try:
        until(bench.live_channels, "the instruments of the rig", 20)
        yield bench, recorder
    finally:
        recorder.close()
        asyncio.run_coroutine_threadsafe(bench.stop(), loop).result()
        loop.call_soon_threadsafe(loop.stop)
        thread.join()
        loop.close()


def _record_tide_tank(experiment: Experiment, person: Person) -> None:
    pump, drain = experiment.conditions.all()
    with RigProcess("tide_tank", pace=PACE) as rig, _recording(rig) as (bench, recorder):
        feed = next(iter(bench.feeds.values()))
        gauge = feed.channels[0]
        for number, (flow, opened) in enumerate([(40, None), (70, None), (100, 25.0)]):
            feed.link.request(f"RIG:RESET {SEED + number}")
            feed.link.request(f"RIG:SET pump,{flow},3.0")
            if opened is not None:
                feed.link.request("RIG:SET pump,0,25.0")
                feed.link.request(f"RIG:SET drain,100,{opened}")
            held = {pump.pk: str(flow), drain.pk: "opened at 25 s" if opened else "closed"}
            run = recorder.start(experiment, SteadyPlan(20, 60), [gauge.pk], held, "", person)
            until(lambda: recorder.current is None, "the end of the run", 60)
            run.refresh_from_db()
            assert run.state == Run.State.FINISHED


def _analyse_tide_tank(experiment: Experiment) -> None:
    sheet = desk.first_sheet(experiment)
    span = desk.add_span(sheet, 8.0, 24.0)
    first, second, _ = experiment.runs.all()
    desk.ask(span, "line", sheet.quantity, [first, second])
    desk.add_marker(sheet, 25.0)
    report = reports.report_of(experiment)
    reports.save(report, "How fast the tide tank fills", REPORT.read_text("utf-8"), report.version)
