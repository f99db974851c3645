"""A rig with a bench and a recorder of its own, for recording runs as a person would."""

import asyncio
import contextlib
import math
import threading
import time
from collections.abc import Iterator
from dataclasses import dataclass

from galena.bench import flows as bench_flows
from galena.bench.live.bench import Bench
from galena.bench.live.feed import Feed
from galena.bench.models import Channel
from galena.classroom.models import Person
from galena.core.plans import ArmedPlan, SteadyPlan, StepwisePlan
from galena.core.statistics import mean_with_uncertainty
from galena.experiments.models import Experiment, Quantity, Run
from galena.instruments.rigs.process import RigProcess
from galena.instruments.rigs.room import PluggedRig
from galena.recording.engine.recorder import Recorder
from galena.recording.engine.state import Recording, Waiting, Wish
from galena.recording.stepwise import stepper
from galena.shell.waiting import until

PATIENCE = 20.0  # s: several rigs share a machine that may be busy with other things
SEED = 1871  # the year on the lighthouse door


@dataclass
class Apparatus:
    """What is at hand: the experiment, who records, the bench, the recorder, and the rig."""

    experiment: Experiment
    person: Person
    bench: Bench
    recorder: Recorder
    rig: PluggedRig

    def reset(self, seed: int) -> None:
        """Put the rig back to its start; it lives on when the next stream begins."""
        self.rig.control.request(f"RIG:RESET {SEED + seed}")

    def set(self, handle: str, value: float, at: float | None = None) -> None:
        """Move a handle, now or so many seconds of the rig after its reset."""
        later = "" if at is None else f",{at}"
        self.rig.control.request(f"RIG:SET {handle},{value:g}{later}")

    def live_for(self, seconds: float) -> None:
        """Let the rig that was reset live on for so many of its seconds, and hold it there.

        So a run begins at the same moment of it, however long this machine takes to begin one.
        """
        self.rig.control.request(f"RIG:LIVE {seconds:g}")

    def go_by(self, seconds: float) -> None:
        """Wait until so many seconds of the rig have gone by."""
        end = self.rig.state["t"] + seconds
        until(lambda: self.rig.state["t"] > end, "time", 60)

    def reverse(self, symbol: str) -> None:
        """Turn the direction of a channel round."""
        bench_flows.reverse(self.channel(symbol))
        self.bench.refresh()

    def channel(self, symbol: str) -> Channel:
        """Give the live channel that the experiment shows under a symbol."""
        by_key = self.bench.show(self.experiment)
        live = [by_key[one.pk] for one in self.bench.live_channels()]
        channels = [one.channel for one in live if one.symbol == symbol]
        if len(channels) != 1:
            raise LookupError(f"{symbol} is not one of {[one.symbol for one in live]}")
        return channels[0]

    def zero(self, *symbols: str, patiently: int = 1) -> None:
        """Zero channels at the mean of their last readings, or of so many times as many."""
        values = []
        for symbol in symbols:
            feed, column = self.bench.feed_of(self.channel(symbol).pk)
            means, uncertainties = [], []
            for time_over in range(patiently):
                if time_over:
                    self.go_by(2.1)  # what was read before does not count again
                _until_recent(feed)
                mean, u = mean_with_uncertainty(feed.recent()[:, column])
                means.append(mean)
                uncertainties.append(u)
            u = math.hypot(*uncertainties) / len(means)
            values.append((self.channel(symbol), sum(means) / len(means), u))
        bench_flows.zero(values, self.person)
        self.bench.refresh()

    @property
    def recorded(self) -> Recording | None:
        """What is recorded now, or waited for."""
        return self.recorder.recordings.of(self.experiment.pk)

    def wish(self, symbols: tuple[str, ...], note: str = "", **conditions: str) -> Wish:
        """Say what a run is to be of; conditions by name, with _ for a space."""
        by_name = {one.name.replace(" ", "_"): one.pk for one in self.experiment.conditions.all()}
        held = {by_name[name]: text for name, text in conditions.items()}
        channels = [self.channel(symbol).pk for symbol in symbols]
        return Wish(self.experiment, channels, held, note, self.person)

    def record(self, wish: Wish, plan: SteadyPlan) -> Run:
        """Record a steady run to its end."""
        run = self.recorder.start(wish, plan)
        return self._ended(run)

    def catch(self, wish: Wish, plan: ArmedPlan, symbol: str, act: str) -> Run:
        """Arm a run, do what brings the event about, and wait for its end."""
        self.recorder.arm(wish, plan, self.channel(symbol).pk)
        time.sleep(plan.before + 0.15)  # what is from before must be there before the event
        self.set(act, 1)
        until(lambda: not isinstance(self.recorded, Waiting), "the event", 60)
        return self._ended(self.experiment.runs.latest("number"))

    def take(self, wish: Wish, average: float, quantity: Quantity, setting: str) -> None:
        """Take a stepwise reading at a setting."""
        plan = StepwisePlan(average)
        stepper.take(self.recorder, wish, plan, [quantity], {quantity.pk: setting})

    def _ended(self, run: Run) -> Run:
        until(lambda: self.recorded is None, "the end of the run", 120)
        run.refresh_from_db()
        assert (run.state, run.ending) == (Run.State.FINISHED, ""), run.ending
        return run


@contextlib.contextmanager
def apparatus(
    key: str, experiment: Experiment, person: Person, pace: float = 1.0, instruments: int = 9
) -> Iterator[Apparatus]:
    """Run a rig, a bench and a recorder as the server does, in an event loop of their own."""
    bench = Bench(PATIENCE)
    recorder = Recorder(bench)
    loop = asyncio.new_event_loop()
    thread = threading.Thread(target=loop.run_forever, daemon=True)
    with RigProcess(key, pace=pace) as rig:
        addresses = rig.addresses[:instruments]
        thread.start()

        async def start() -> None:
            bench.start(addresses)

        recorder.begin_writing()
        asyncio.run_coroutine_threadsafe(start(), loop).result()
        try:
            until(
                lambda: sum(feed.is_live for feed in bench.feeds.values()) == len(addresses),
                "the instruments of the rig",
                60,
            )
            if person.is_group:  # what a group records with is lent to it
                bench.loans.set({
                    feed.channels[0].instrument_id: (person.pk, str(person))
                    for feed in bench.feeds.values()
                })  # fmt: skip
            bench.show(experiment)
            yield Apparatus(experiment, person, bench, recorder, bench.room.plugged[key])
        finally:
            recorder.close()
            asyncio.run_coroutine_threadsafe(bench.stop(), loop).result()
            loop.call_soon_threadsafe(loop.stop)
            thread.join()
            loop.close()


def _until_recent(feed: Feed) -> None:
    """Wait until an instrument has read long enough for a mean."""
    until(lambda: len(feed.recent()) >= 38, "readings", 60)
